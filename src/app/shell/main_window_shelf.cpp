// What the window does with a battery or a recording on the shelf: their menus, cards, renaming,
// moving, taking off, and destroying what was taken off.
#include <QFile>
#include <QInputDialog>
#include <QMenu>
#include <algorithm>
#include <memory>

#include "app/shell/battery_card.h"
#include "app/shell/main_window.h"
#include "app/shell/main_window_text.h"

namespace nk {

const RecordingEntry* MainWindow::entryOf(std::int64_t id) const {
    const auto at = std::ranges::find(recordings_, id, &RecordingEntry::id);
    return at != recordings_.end() ? &*at : nullptr;
}

void MainWindow::newBattery() {
    auto* card = new BatteryCard(
        tr("A new battery"), tr("It goes on the shelf and waits for its first log."), {}, {}, this);
    card->setAttribute(Qt::WA_DeleteOnClose);
    connect(card, &QDialog::accepted, this, [this, card] {
        change(
            [battery = card->battery()](BenchBook& b) -> Expected<void> {
                if (auto added = b.addBattery(battery); !added)
                    return tl::unexpected<Error>(added.error());
                return {};
            },
            [this, name = QString::fromStdString(card->battery().name)] {
                say(tr("%1 is on the shelf. Drop its first log on the window.").arg(name));
            },
            false);
    });
    card->open();
}

void MainWindow::editBattery(std::int64_t id) {
    const auto entry = std::ranges::find(batteries_, id, &BatteryEntry::id);
    if (entry == batteries_.end()) return;
    auto* card = new BatteryCard(
        tr("Battery card"),
        tr("What is known of this battery. The maker's figures win over the usual ones."),
        entry->battery, {}, this);
    card->setAttribute(Qt::WA_DeleteOnClose);
    const std::int64_t revision = entry->revision;
    connect(card, &QDialog::accepted, this, [this, card, id, revision] {
        change([id, revision, battery = card->battery()](BenchBook& b) {
            return b.updateBattery(id, revision, battery);
        });
    });
    card->open();
}

void MainWindow::batteryMenu(std::int64_t id, const QPoint& at) {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Edit the card…"), this, [this, id] { editBattery(id); });
    menu->addAction(tr("Remove this battery"), this, [this, id] { removeBattery(id); });
    menu->popup(at);
}

void MainWindow::removeBattery(std::int64_t id) {
    change([id](BenchBook& b) { return b.removeBattery(id); },
           [this, name = QString::fromStdString(batteryOf(id).name)] {
               say(tr("%1 is no longer in the book. Undo (Ctrl+Z) brings it back.").arg(name));
           },
           false);
}

void MainWindow::recordingMenu(std::int64_t id, const QPoint& at) {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Rename…"), this, [this, id] { renameRecording(id); });
    menu->addAction(tr("Move to another battery…"), this, [this, id] { moveRecording(id); });
    menu->addAction(tr("Save the original file…"), this, [this, id] { saveOriginal(id); });
    menu->addAction(tr("A load the logger did not see…"), this, [this, id] { unseenLoad(id); });
    if (shown_ && shown_->id == id)
        menu->addAction(tr("Meter check…"), this, [this] { meterCheck(); });
    menu->addAction(tr("Take off the shelf"), this, [this, id] { takeOff(id); });
    menu->popup(at);
}

void MainWindow::renameRecording(std::int64_t id) {
    const RecordingEntry* entry = entryOf(id);
    if (entry == nullptr) return;
    auto* dialog = new QInputDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Rename the recording"));
    dialog->setLabelText(tr("Name"));
    dialog->setTextValue(QString::fromStdString(entry->title));
    connect(dialog, &QInputDialog::textValueSelected, this, [this, id](const QString& name) {
        if (name.trimmed().isEmpty()) return;
        change([id, title = name.trimmed().toStdString()](BenchBook& b) {
            return b.renameRecording(id, title);
        });
    });
    dialog->open();
}

void MainWindow::moveRecording(std::int64_t id) {
    const RecordingEntry* entry = entryOf(id);
    if (entry == nullptr) return;
    std::vector<BatteryEntry> others = batteries_;
    std::erase_if(others, [&](const BatteryEntry& e) { return e.id == entry->batteryId; });
    // A new battery starts from what the log was taken for.
    Battery start =
        shown_ && shown_->id == id ? shown_->analysis.battery : batteryOf(entry->batteryId);
    start.name.clear();
    auto* card =
        new BatteryCard(tr("Move to another battery"),
                        tr("“%1” and everything computed from it follow the battery it belongs to.")
                            .arg(QString::fromStdString(entry->title)),
                        start, std::move(others), this);
    card->setAcceptWords(tr("Move"));
    card->setAttribute(Qt::WA_DeleteOnClose);
    connect(card, &QDialog::accepted, this, [this, card, id] {
        const std::int64_t to = card->chosenId();
        change(
            [id, to, battery = card->battery()](BenchBook& b) -> Expected<void> {
                if (to > 0) return b.assignBattery(id, to);
                if (auto added = b.assignNewBattery(id, battery); !added)
                    return tl::unexpected<Error>(added.error());
                return {};
            },
            [this, name = to > 0 ? batteryOf(to).name : card->battery().name] {
                say(tr("It belongs to %1 now. Undo (Ctrl+Z) takes it back.")
                        .arg(QString::fromStdString(name)));
            });
    });
    card->open();
}

void MainWindow::saveOriginal(std::int64_t id) {
    const RecordingEntry* entry = entryOf(id);
    if (entry == nullptr) return;
    const QString target =
        dialogs_.saveAs(this, tr("Save the original file"), QString::fromStdString(entry->fileName),
                        tr("All files (*)"));
    if (target.isEmpty()) return;
    const auto bytes = book_->original(id);
    QFile file(target);
    if (!bytes)
        say(text(bytes.error()), true);
    else if (!file.open(QIODevice::WriteOnly) ||
             file.write(bytes->data(), static_cast<qint64>(bytes->size())) !=
                 static_cast<qint64>(bytes->size()) ||
             !file.flush())
        say(tr("%1: the file could not be written: %2.").arg(target, file.errorString()), true);
}

void MainWindow::takeOff(std::int64_t id) {
    change([id](BenchBook& b) { return b.removeRecording(id); },
           [this] {
               say(tr("The recording is off the shelf. Undo (Ctrl+Z) brings it back."));
               showAnyRecording();
           });
}

void MainWindow::destroyRemoved() {
    const auto count = book_->removedCount();
    if (!count) {
        say(text(count.error()), true);
        return;
    }
    if (*count == 0) {
        say(tr("Nothing was taken off the shelf that could be destroyed."));
        return;
    }
    const bool sure = dialogs_.confirm(
        this, tr("Destroy what was taken off"),
        tr("What was taken off the shelf will be destroyed with its original files (recordings: "
           "%1). Undo will no longer reach back behind this. Backups that were made before still "
           "hold it.")
            .arg(*count),
        tr("Destroy"));
    if (!sure) return;
    auto destroyed = std::make_shared<std::int64_t>(0);
    change(
        [destroyed](BenchBook& b) -> Expected<void> {
            auto done = b.purgeRemoved();
            if (!done) return tl::unexpected<Error>(done.error());
            *destroyed = *done;
            return {};
        },
        [this, destroyed] { say(tr("Recordings destroyed: %1.").arg(*destroyed)); }, false);
}

}  // namespace nk
