#include "app/life/life_actions.h"

#include <QDate>
#include <QFile>
#include <QMenu>
#include <QSettings>
#include <algorithm>

#include "app/battery/battery_page_presenter.h"
#include "app/life/due_dialog.h"
#include "app/life/intake_dialog.h"
#include "app/life/label_dialog.h"
#include "app/life/life_dialog.h"
#include "app/life/rules_dialog.h"
#include "app/life/skin_dialog.h"
#include "app/session/text.h"
#include "app/shelf/pad_dialog.h"
#include "app/shell/data_export.h"
#include "formats/bytes.h"
#include "history/shelf_table.h"
#include "report/calendar.h"

namespace nk {

LifeActions::LifeActions(Session& session, Dialogs& dialogs, QWidget* window)
    : QObject(window), session_(session), dialogs_(dialogs), window_(window) {
    connect(&job_, &Job::failed, this, [this](const QString& words) { session_.say(words, true); });
}

const BatteryEntry* LifeActions::entryOf(std::int64_t id) const {
    const auto at = std::ranges::find(session_.batteries(), id, &BatteryEntry::id);
    return at == session_.batteries().end() ? nullptr : &*at;
}

void LifeActions::fillMenu(QMenu& menu, std::int64_t id) {
    const BatteryLife life = session_.lifeOf(id);
    menu.addAction(tr("What else is known…"), this, [this, id] { editLife(id); });
    menu.addAction(tr("A look at its skin…"), this, [this, id] { look(id); });
    if (!life.outOfUse.empty())
        menu.addAction(tr("Take it back into use"), this, [this, id] { bringBack(id); });
    menu.addAction(life.retired() ? tr("Take it out of the drawer") : tr("Put it into the drawer"),
                   this, [this, id, to = !life.retired()] { setRetired(id, to); });
    menu.addAction(tr("Its label…"), this, [this, id] { printLabels(id); });
}

void LifeActions::editLife(std::int64_t id) {
    const BatteryEntry* entry = entryOf(id);
    if (entry == nullptr) return;
    auto* dialog =
        new LifeDialog(*entry, session_.lifeOf(id), session_.batteries(), dialogs_, window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, dialog, id] {
        session_.change(
            [id, life = dialog->life(), file = dialog->newPhoto(),
             gone = dialog->photoTakenAway()](BenchBook& b) -> Expected<void> {
                BatteryLife now = life;
                if (gone) now.photo.clear();
                if (!file.isEmpty()) {
                    const auto bytes = readFile(file.toStdString());
                    if (!bytes) return tl::unexpected<Error>(bytes.error());
                    const auto kept = b.addPhoto(*bytes);
                    if (!kept) return tl::unexpected<Error>(kept.error());
                    now.photo = *kept;
                }
                return b.setLife(id, now);
            },
            {}, false);
    });
    dialog->open();
}

void LifeActions::look(std::int64_t id) {
    const BatteryEntry* entry = entryOf(id);
    if (entry == nullptr) return;
    auto* dialog = new SkinDialog(QString::fromStdString(entry->battery.name), window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, dialog, id] {
        session_.change(
            [id, signs = dialog->signs(), note = dialog->note().toStdString(),
             at = now_s()](BenchBook& b) -> Expected<void> {
                if (const auto grade = addSkinCheck(b, id, signs, note, at); !grade)
                    return tl::unexpected<Error>(grade.error());
                return {};
            },
            {}, false);
    });
    dialog->open();
}

void LifeActions::setRetired(std::int64_t id, bool retired) {
    session_.change(
        [id, retired, at = now_s()](BenchBook& b) { return nk::setRetired(b, id, retired, at); },
        [this, retired] {
            session_.say(retired ? tr("It lies in the drawer, at the end of the shelf. Undo "
                                      "(Ctrl+Z) brings it back.")
                                 : tr("It is back on the shelf."));
        },
        false);
}

void LifeActions::bringBack(std::int64_t id) {
    const BatteryLife life = session_.lifeOf(id);
    const bool sure =
        dialogs_.confirm(window_, tr("Take it back into use"),
                         tr("It was taken out of use: %1. A swollen, dented, torn or leaking cell "
                            "is not used again, "
                            "whatever it still gives. Take it back only if that was a mistake.")
                             .arg(QString::fromStdString(life.outOfUse)),
                         tr("It was a mistake: take it back"));
    if (!sure) return;
    session_.change([id](BenchBook& b) { return nk::bringBack(b, id); }, {}, false);
}

void LifeActions::editReading(std::int64_t batteryId, std::int64_t readingId) {
    const BatteryEntry* entry = entryOf(batteryId);
    if (entry == nullptr) return;
    const auto all = session_.book().spotReadings(batteryId);
    if (!all) return session_.say(text(all.error()), true);
    const auto at = std::ranges::find(*all, readingId, &SpotReading::id);
    if (at == all->end()) return;
    if (at->kind == "skin") {
        const bool sure = dialogs_.confirm(
            window_, tr("A look at its skin"),
            tr("Seen: %1. %2")
                .arg(at->method.empty() ? tr("nothing") : QString::fromStdString(at->method),
                     QString::fromStdString(at->note)),
            tr("Take this look away"));
        if (sure)
            session_.change([readingId](BenchBook& b) { return b.removeSpotReading(readingId); },
                            {}, false);
        return;
    }
    auto* pad = new PadDialog(*entry, *at, window_);
    pad->setAttribute(Qt::WA_DeleteOnClose);
    connect(pad, &PadDialog::takeAwayRequested, this, [this, readingId] {
        session_.change([readingId](BenchBook& b) { return b.removeSpotReading(readingId); }, {},
                        false);
    });
    connect(pad, &QDialog::accepted, this, [this, pad, readingId] {
        session_.change(
            [readings = pad->readings(), readingId](BenchBook& b) {
                return b.change({"change_reading"}, [&]() -> Expected<void> {
                    bool first = true;
                    for (SpotReading s : readings) {
                        s.id = readingId;
                        if (first) {
                            if (auto ok = b.updateSpotReading(s); !ok) return ok;
                        } else if (const auto added = b.addSpotReading(s); !added) {
                            return tl::unexpected<Error>(added.error());
                        }
                        first = false;
                    }
                    return {};
                });
            },
            {}, false);
    });
    pad->open();
}

void LifeActions::tick(const DueTask& task) {
    session_.change(
        [task, at = now_s()](BenchBook& b) { return tickOff(b, task, at); },
        [this, name = QString::fromStdString(task.battery)] {
            session_.say(tr("Ticked off for %1. Undo (Ctrl+Z) brings it back.").arg(name));
        },
        false);
}

void LifeActions::showDue() {
    job_.start(
        [path = session_.path(), at = now_s()](
            std::stop_token, const Job::ProgressSink&) -> Expected<std::vector<DueTask>> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            const auto rules = dueRules(**book);
            if (!rules) return tl::unexpected<Error>(rules.error());
            return dueTasks(**book, at, *rules);
        },
        [this](const Expected<std::vector<DueTask>>& tasks) {
            if (!tasks) return session_.say(text(tasks.error()), true);
            auto* dialog = new DueDialog(*tasks, now_s(), window_);
            dialog->setAttribute(Qt::WA_DeleteOnClose);
            connect(dialog, &DueDialog::done, this, &LifeActions::tick);
            connect(dialog, &DueDialog::batteryChosen, this, [this, dialog](qlonglong id) {
                dialog->accept();
                Q_EMIT batteryChosen(id);
            });
            connect(dialog, &DueDialog::calendarRequested, this, &LifeActions::saveCalendar);
            dialog->open();
        });
}

void LifeActions::greet() {
    const QString today = QDate::currentDate().toString(Qt::ISODate);
    if (QSettings().value("due/greeted").toString() == today) return;
    job_.start(
        [path = session_.path(), at = now_s()](std::stop_token,
                                               const Job::ProgressSink&) -> Expected<std::string> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            const auto rules = dueRules(**book);
            if (!rules) return tl::unexpected<Error>(rules.error());
            const auto tasks = dueTasks(**book, at, *rules);
            if (!tasks) return tl::unexpected<Error>(tasks.error());
            return dueLine(*tasks, at);
        },
        [this, today](const Expected<std::string>& line) {
            // A book that cannot be read says so elsewhere.
            if (!line || line->empty()) return;
            QSettings().setValue("due/greeted", today);
            session_.say(QString::fromStdString(*line));
        });
}

void LifeActions::saveCalendar() {
    const QString target = dialogs_.saveAs(window_, tr("Save what is due as a calendar"),
                                           tr("battery bench.ics"), tr("Calendar (*.ics)"));
    if (target.isEmpty()) return;
    session_.run(
        tr("Writing %1").arg(QFileInfo(target).fileName()),
        [path = session_.path(), target, at = now_s()](std::stop_token,
                                                       const Job::ProgressSink&) -> Expected<void> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            const auto rules = dueRules(**book);
            if (!rules) return tl::unexpected<Error>(rules.error());
            const auto tasks = dueTasks(**book, at, *rules);
            if (!tasks) return tl::unexpected<Error>(tasks.error());
            return writeWhole(target, QByteArray::fromStdString(dueCalendar(*tasks, at)));
        },
        [this, target](Expected<void> done) {
            session_.say(done ? tr("The calendar is in %1.").arg(target) : text(done.error()),
                         !done);
        });
}

void LifeActions::editRules() {
    const auto verdict = verdictRules(session_.book());
    const auto due = dueRules(session_.book());
    if (!verdict || !due) return session_.say(text(verdict ? due.error() : verdict.error()), true);
    auto* dialog = new RulesDialog(*verdict, *due, window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, dialog] {
        session_.change(
            [verdict = dialog->verdict(), due = dialog->due()](BenchBook& b) {
                return b.change({"setting"}, [&]() -> Expected<void> {
                    if (auto ok = setVerdictRules(b, verdict); !ok) return ok;
                    return setDueRules(b, due);
                });
            },
            {}, false);
    });
    dialog->open();
}

void LifeActions::takeInMany() {
    auto* dialog = new IntakeDialog(session_.batteries(), window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this,
            [this, dialog] { keepMany(dialog->items(), dialog->labelsWanted()); });
    dialog->open();
}

void LifeActions::keepMany(const std::vector<IntakeItem>& items, bool labels) {
    auto ids = std::make_shared<std::vector<std::int64_t>>();
    session_.change(
        [items, ids](BenchBook& b) {
            return b.change({"intake", {std::to_string(items.size())}}, [&]() -> Expected<void> {
                for (const IntakeItem& item : items) {
                    const auto id = b.addBattery(item.battery);
                    if (!id) return tl::unexpected<Error>(id.error());
                    if (auto ok = b.setLife(*id, item.life); !ok) return ok;
                    ids->push_back(*id);
                }
                return {};
            });
        },
        [this, ids, labels] {
            session_.say(
                tr("On the shelf now: %1. Undo (Ctrl+Z) takes them off again.").arg(ids->size()));
            if (labels) labelsOf(*ids);
        },
        false);
}

void LifeActions::printLabels(std::int64_t onlyBattery) {
    std::vector<std::int64_t> ids;
    for (const BatteryEntry& e : session_.batteries())
        if (onlyBattery > 0 ? e.id == onlyBattery : !session_.lifeOf(e.id).retired())
            ids.push_back(e.id);
    if (ids.empty()) return session_.say(tr("There is no battery to label."), true);
    labelsOf(std::move(ids));
}

void LifeActions::labelsOf(std::vector<std::int64_t> batteries) {
    auto* dialog = new LabelDialog(static_cast<int>(batteries.size()), window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, dialog, batteries = std::move(batteries)] {
        const QString target =
            dialogs_.saveAs(window_, tr("Save the labels"), tr("labels.pdf"), tr("PDF (*.pdf)"));
        if (target.isEmpty()) return;
        const QString day = QLocale().toString(QDate::currentDate(), "d MMM yyyy");
        session_.run(
            tr("Writing %1").arg(QFileInfo(target).fileName()),
            [path = session_.path(), target, batteries, day, sheet = dialog->sheet(),
             first = dialog->first(), outlines = dialog->outlines()](
                std::stop_token stop, const Job::ProgressSink& progress) -> Expected<void> {
                auto book = BenchBook::open(path, false);
                if (!book) return tl::unexpected<Error>(book.error());
                std::vector<LabelText> labels;
                for (const std::int64_t id : batteries) {
                    if (stop.stop_requested()) return fail(ErrorKind::Cancelled, "", "");
                    const auto page = readBatteryPage(**book, id);
                    if (!page) return tl::unexpected<Error>(page.error());
                    labels.push_back(labelText(page->history, page->verdict, day));
                    progress(static_cast<double>(labels.size()) /
                             static_cast<double>(batteries.size()));
                }
                return writeLabels(target, labels, sheet, first, outlines);
            },
            [this, target](Expected<void> done) {
                if (!done && done.error().kind == ErrorKind::Cancelled) return;
                session_.say(done ? tr("The labels are in %1. Print them at full size.").arg(target)
                                  : text(done.error()),
                             !done);
            });
    });
    dialog->open();
}

void LifeActions::saveTable() {
    const QString target = dialogs_.saveAs(window_, tr("Save the shelf as a table"),
                                           tr("shelf.csv"), tr("Table (*.csv)"));
    if (target.isEmpty()) return;
    session_.run(
        tr("Writing %1").arg(QFileInfo(target).fileName()),
        [path = session_.path(), target](std::stop_token,
                                         const Job::ProgressSink&) -> Expected<void> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            const auto table = shelfTable(**book);
            if (!table) return tl::unexpected<Error>(table.error());
            return writeWhole(target, QByteArray::fromStdString(*table));
        },
        [this, target](Expected<void> done) {
            session_.say(done ? tr("The shelf is in %1.").arg(target) : text(done.error()), !done);
        });
}

void LifeActions::takeTable() {
    const QStringList files = dialogs_.openLogs(window_);
    if (files.isEmpty()) return;
    auto taken = std::make_shared<ShelfTaken>();
    session_.change(
        [file = files.first(), taken](BenchBook& b) -> Expected<void> {
            const auto bytes = readFile(file.toStdString());
            if (!bytes) return tl::unexpected<Error>(bytes.error());
            auto done = takeShelfTable(b, *bytes);
            if (!done) {
                done.error().where = file.toStdString() + ", " + done.error().where;
                return tl::unexpected<Error>(done.error());
            }
            *taken = *done;
            return {};
        },
        [this, taken] {
            session_.say(tr("Taken in: %1 new, %2 changed, %3 as they were. Undo (Ctrl+Z) takes it "
                            "back.")
                             .arg(taken->added)
                             .arg(taken->changed)
                             .arg(taken->unchanged));
        });
}

}  // namespace nk
