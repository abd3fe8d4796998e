#include "app/shelf/shelf_actions.h"

#include <QFileInfo>
#include <QInputDialog>
#include <QMenu>
#include <QSaveFile>
#include <algorithm>
#include <cmath>
#include <memory>

#include "app/session/text.h"
#include "app/shelf/pad_dialog.h"
#include "app/shell/battery_card.h"
#include "quantity/iso_time.h"

namespace nk {

ShelfActions::ShelfActions(Session& session, Dialogs& dialogs, RecordingActions& recordings,
                           QWidget* window)
    : QObject(window),
      session_(session),
      dialogs_(dialogs),
      recordings_(recordings),
      window_(window) {}

void ShelfActions::newBattery() {
    auto* card =
        new BatteryCard(tr("A new battery"),
                        tr("It goes on the shelf and waits for its first log."), {}, {}, window_);
    card->setAttribute(Qt::WA_DeleteOnClose);
    connect(card, &QDialog::accepted, this, [this, card] {
        session_.change(
            [battery = card->battery()](BenchBook& b) -> Expected<void> {
                if (auto added = b.addBattery(battery); !added)
                    return tl::unexpected<Error>(added.error());
                return {};
            },
            [this, name = QString::fromStdString(card->battery().name)] {
                session_.say(tr("%1 is on the shelf. Drop its first log on the window.").arg(name));
            },
            false);
    });
    card->open();
}

void ShelfActions::openPad(std::int64_t batteryId) {
    const auto entry = std::ranges::find(session_.batteries(), batteryId, &BatteryEntry::id);
    if (entry == session_.batteries().end()) {
        session_.say(tr("A reading needs its battery. Choose one of its logs, or make the battery "
                        "first."),
                     true);
        return;
    }
    auto* pad = new PadDialog(*entry, window_);
    pad->setAttribute(Qt::WA_DeleteOnClose);
    connect(pad, &QDialog::accepted, this, [this, pad] {
        session_.change([readings = pad->readings()](BenchBook& b) {
            return b.change({"add_reading"}, [&]() -> Expected<void> {
                for (const SpotReading& s : readings)
                    if (const auto added = b.addSpotReading(s); !added)
                        return tl::unexpected<Error>(added.error());
                return {};
            });
        });
    });
    pad->open();
}

void ShelfActions::editBattery(std::int64_t id) {
    const auto entry = std::ranges::find(session_.batteries(), id, &BatteryEntry::id);
    if (entry == session_.batteries().end()) return;
    auto* card = new BatteryCard(
        tr("Battery card"),
        tr("What is known of this battery. The maker's figures win over the usual ones."),
        entry->battery, {}, window_);
    card->setAttribute(Qt::WA_DeleteOnClose);
    const std::int64_t revision = entry->revision;
    connect(card, &QDialog::accepted, this, [this, card, id, revision] {
        session_.change([id, revision, battery = card->battery()](BenchBook& b) {
            return b.updateBattery(id, revision, battery);
        });
    });
    card->open();
}

void ShelfActions::batteryMenu(std::int64_t id, const QPoint& at) {
    auto* menu = new QMenu(window_);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Edit the card…"), this, [this, id] { editBattery(id); });
    menu->addAction(tr("Readings pad…"), this, [this, id] { openPad(id); });
    Q_EMIT menuOpening(menu, id);
    menu->addAction(tr("Move all its logs…"), this, [this, id] { moveAll(id); });
    menu->addAction(tr("Hand it on with its logs…"), this,
                    [this, id] { Q_EMIT handOnRequested(id); });
    menu->addAction(tr("Remove this battery"), this, [this, id] { removeBattery(id); });
    menu->popup(at);
}

void ShelfActions::removeBattery(std::int64_t id) {
    session_.change(
        [id](BenchBook& b) { return b.removeBattery(id); },
        [this, name = QString::fromStdString(session_.batteryOf(id).name)] {
            session_.say(
                tr("%1 is no longer in the book. Undo (Ctrl+Z) brings it back.").arg(name));
        },
        false);
}

void ShelfActions::recordingMenu(std::int64_t id, const QPoint& at) {
    auto* menu = new QMenu(window_);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Rename…"), this, [this, id] { renameRecording(id); });
    if (const RecordingEntry* entry = session_.entryOf(id);
        entry != nullptr && !std::isfinite(entry->startEpoch_s))
        menu->addAction(tr("Of which day it is…"), this, [this, id] { setDay(id); });
    menu->addAction(tr("Move to another battery…"), this, [this, id] { moveRecording(id); });
    menu->addAction(tr("Save the original file…"), this, [this, id] { saveOriginal(id); });
    menu->addAction(tr("A load the logger did not see…"), this,
                    [this, id] { recordings_.unseenLoad(id); });
    menu->addAction(tr("Instrument and charger…"), this,
                    [this, id] { recordings_.editOrigin(id); });
    if (session_.shown() && session_.shown()->id == id)
        menu->addAction(tr("Meter check…"), this, [this] { recordings_.meterCheck(); });
    menu->addAction(tr("Take off the shelf"), this, [this, id] { takeOff(id); });
    menu->popup(at);
}

void ShelfActions::renameRecording(std::int64_t id) {
    const RecordingEntry* entry = session_.entryOf(id);
    if (entry == nullptr) return;
    auto* dialog = new QInputDialog(window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Rename the recording"));
    dialog->setLabelText(tr("Name"));
    dialog->setTextValue(QString::fromStdString(entry->title));
    connect(dialog, &QInputDialog::textValueSelected, this, [this, id](const QString& name) {
        if (name.trimmed().isEmpty()) return;
        session_.change([id, title = name.trimmed().toStdString()](BenchBook& b) {
            return b.renameRecording(id, title);
        });
    });
    dialog->open();
}

void ShelfActions::setDay(std::int64_t id) {
    const RecordingEntry* entry = session_.entryOf(id);
    if (entry == nullptr) return;
    auto* dialog = new QInputDialog(window_);
    dialog->setObjectName("recordingDay");
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Of which day it is"));
    dialog->setLabelText(
        tr("Its rows have no date. Year-month-day, such as 2026-05-01; empty: "
           "nobody knows, and it stands apart."));
    dialog->setTextValue(std::isfinite(entry->day_s)
                             ? QString::fromStdString(isoTime(entry->day_s).substr(0, 10))
                             : QString());
    connect(dialog, &QInputDialog::textValueSelected, this, [this, id](const QString& day) {
        session_.change([id, day = day.trimmed().toStdString()](BenchBook& b) {
            return b.setDay(id, day, "hand", true);
        });
    });
    dialog->open();
}

void ShelfActions::moveRecording(std::int64_t id) {
    const RecordingEntry* entry = session_.entryOf(id);
    if (entry == nullptr) return;
    std::vector<BatteryEntry> others = session_.batteries();
    std::erase_if(others, [&](const BatteryEntry& e) { return e.id == entry->batteryId; });
    // A new battery starts from what the log was taken for.
    Battery start = session_.shown() && session_.shown()->id == id
                        ? session_.shown()->analysis.battery
                        : session_.batteryOf(entry->batteryId);
    start.name.clear();
    auto* card =
        new BatteryCard(tr("Move to another battery"),
                        tr("“%1” and everything computed from it follow the battery it belongs to.")
                            .arg(QString::fromStdString(entry->title)),
                        start, std::move(others), window_);
    card->setAcceptWords(tr("Move"));
    card->setAttribute(Qt::WA_DeleteOnClose);
    connect(card, &QDialog::accepted, this, [this, card, id] {
        const std::int64_t to = card->chosenId();
        session_.change(
            [id, to, battery = card->battery()](BenchBook& b) -> Expected<void> {
                if (to > 0) return b.assignBattery(id, to);
                if (auto added = b.assignNewBattery(id, battery); !added)
                    return tl::unexpected<Error>(added.error());
                return {};
            },
            [this, name = to > 0 ? session_.batteryOf(to).name : card->battery().name] {
                session_.say(tr("It belongs to %1 now. Undo (Ctrl+Z) takes it back.")
                                 .arg(QString::fromStdString(name)));
            });
    });
    card->open();
}

void ShelfActions::saveOriginal(std::int64_t id) {
    const RecordingEntry* entry = session_.entryOf(id);
    if (entry == nullptr) return;
    const QString target =
        dialogs_.saveAs(window_, tr("Save the original file"),
                        QString::fromStdString(entry->fileName), tr("All files (*)"));
    if (target.isEmpty()) return;
    // Piece by piece, beside the window.
    session_.run(
        tr("Writing %1").arg(QFileInfo(target).fileName()),
        [path = session_.path(), id, target](std::stop_token stop,
                                             const Job::ProgressSink&) -> Expected<void> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            QSaveFile file(target);
            bool room = file.open(QIODevice::WriteOnly);
            if (room) {
                const auto read = (*book)->original(id, [&](std::string_view part) {
                    room = file.write(part.data(), static_cast<qint64>(part.size())) ==
                           static_cast<qint64>(part.size());
                    return room && !stop.stop_requested();
                });
                // Bytes that are not what was kept are never given out as if they were.
                if (!read && room) return tl::unexpected<Error>(read.error());
            }
            if (room && file.commit()) return {};
            return fail(
                ErrorKind::Storage,
                tr("The file could not be written: %1.").arg(file.errorString()).toStdString(),
                target.toStdString());
        },
        [this](Expected<void> done) {
            if (!done) session_.say(text(done.error()), true);
        });
}

void ShelfActions::takeOff(std::int64_t id) {
    session_.change(
        [id](BenchBook& b) { return b.removeRecording(id); },
        [this] {
            session_.say(tr("The recording is off the shelf. Undo (Ctrl+Z) brings it back."));
            session_.chooseAny();
        });
}

void ShelfActions::destroyRemoved() {
    const auto count = session_.book().removedCount();
    if (!count) {
        session_.say(text(count.error()), true);
        return;
    }
    if (*count == 0) {
        session_.say(tr("Nothing was taken off the shelf that could be destroyed."));
        return;
    }
    const bool sure = dialogs_.confirm(
        window_, tr("Destroy what was taken off"),
        tr("What was taken off the shelf will be destroyed with its original files (recordings: "
           "%1). Undo will no longer reach back behind this. Backups that were made before still "
           "hold it.")
            .arg(*count),
        tr("Destroy"));
    if (!sure) return;
    auto destroyed = std::make_shared<std::int64_t>(0);
    session_.change(
        [destroyed](BenchBook& b) -> Expected<void> {
            auto done = b.purgeRemoved();
            if (!done) return tl::unexpected<Error>(done.error());
            *destroyed = *done;
            return {};
        },
        [this, destroyed] { session_.say(tr("Recordings destroyed: %1.").arg(*destroyed)); },
        false);
}

void ShelfActions::moveAll(std::int64_t batteryId) {
    std::vector<BatteryEntry> others;
    for (const BatteryEntry& e : session_.batteries())
        if (e.id != batteryId) others.push_back(e);
    std::vector<std::int64_t> logs;
    for (const RecordingEntry& e : session_.recordings())
        if (e.batteryId == batteryId) logs.push_back(e.id);
    if (logs.empty()) {
        session_.say(tr("This battery has no logs."));
        return;
    }
    Battery start = session_.batteryOf(batteryId);
    start.name.clear();
    auto* card = new BatteryCard(
        tr("Move all logs to another battery"),
        tr("%1 logs, and everything computed from them, follow the battery they belong to.")
            .arg(logs.size()),
        start, std::move(others), window_);
    card->setAcceptWords(tr("Move"));
    card->setAttribute(Qt::WA_DeleteOnClose);
    connect(card, &QDialog::accepted, this, [this, card, logs] {
        session_.change([to = card->chosenId(), battery = card->battery(), logs](BenchBook& b) {
            return b.change({"move_many", {std::to_string(logs.size())}}, [&]() -> Expected<void> {
                std::int64_t id = to;
                if (id == 0) {
                    const auto added = b.addBattery(battery);
                    if (!added) return tl::unexpected<Error>(added.error());
                    id = *added;
                }
                for (const std::int64_t log : logs)
                    if (auto done = b.assignBattery(log, id); !done) return done;
                return {};
            });
        });
    });
    card->open();
}

}  // namespace nk
