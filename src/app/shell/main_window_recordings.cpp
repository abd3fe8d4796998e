// What the window does with the book and the shown recording: changes, corrections, undo and redo.
#include <QDateTime>
#include <QInputDialog>
#include <cmath>

#include "app/curve/curve_station.h"
#include "app/findings/findings_panel.h"
#include "app/finish/meter_check_dialog.h"
#include "app/shell/main_window.h"
#include "app/shell/main_window_text.h"
#include "app/strength/resistance_dialog.h"
#include "quantity/format.h"
#include "quantity/units.h"

namespace nk {

void MainWindow::change(BookWork work, std::function<void()> then, bool reload) {
    changes_.push_back({std::move(work), std::move(then), reload});
    if (!changer_.running()) nextChange();
}

void MainWindow::nextChange() {
    if (changes_.empty()) return;
    PendingChange next = std::move(changes_.front());
    changes_.pop_front();
    changer_.start(
        [path = book_->path(), work = std::move(next.work)](
            std::stop_token, const Job::ProgressSink&) -> Expected<void> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return work(**book);
        },
        [this, then = std::move(next.then), reload = next.reload](Expected<void> done) {
            if (!done)
                say(text(done.error()), true);
            else if (then)
                then();
            refreshShelf();
            if (changes_.empty() && reload && shown_) chooseRecording(shown_->id);
            nextChange();
        });
}

void MainWindow::showUndoState() {
    const auto show = [](QAction* action, const QString& name, const Expected<std::string>& label) {
        const bool any = label && !label->empty();
        action->setEnabled(any);
        action->setText(any ? name + ": " + QString::fromStdString(*label) : name);
    };
    show(undo_, tr("Undo"), book_->undoLabel());
    show(redo_, tr("Redo"), book_->redoLabel());
}

void MainWindow::undo() {
    auto label = std::make_shared<std::string>();
    change(
        [label](BenchBook& b) -> Expected<void> {
            auto done = b.undo();
            if (!done) return tl::unexpected<Error>(done.error());
            *label = *done;
            return {};
        },
        [this, label] {
            say(label->empty() ? tr("There is nothing to take back.")
                               : tr("Taken back: %1.").arg(QString::fromStdString(*label)));
            showAnyRecording();
        });
}

void MainWindow::redo() {
    auto label = std::make_shared<std::string>();
    change(
        [label](BenchBook& b) -> Expected<void> {
            auto done = b.redo();
            if (!done) return tl::unexpected<Error>(done.error());
            *label = *done;
            return {};
        },
        [this, label] {
            say(label->empty() ? tr("There is nothing to make again.")
                               : tr("Made again: %1.").arg(QString::fromStdString(*label)));
            showAnyRecording();
        });
}

void MainWindow::showAnyRecording() {
    refreshShelf();
    const auto shownStill = [this](const RecordingEntry& e) {
        return shown_ && e.id == shown_->id;
    };
    if (std::ranges::any_of(recordings_, shownStill)) return;
    load_.cancel();
    shown_.reset();
    cards_.clear();
    for (Station* s : stations_) s->show(nullptr);
    if (!recordings_.empty()) chooseRecording(recordings_.back().id);
}

void MainWindow::changeBattery(const std::function<void(Battery&)>& edit, bool reload) {
    if (!shown_ || shown_->batteryId == 0) return;
    // The newest card is read where it is changed: several changes may wait for each other.
    change(
        [id = shown_->batteryId, edit](BenchBook& b) -> Expected<void> {
            const auto all = b.batteries();
            if (!all) return tl::unexpected<Error>(all.error());
            for (const BatteryEntry& e : *all) {
                if (e.id != id) continue;
                Battery changed = e.battery;
                edit(changed);
                return b.updateBattery(id, e.revision, changed);
            }
            return {};
        },
        {}, reload);
}

void MainWindow::keepRules(const std::vector<std::string>& rules) {
    for (const BatteryEntry& e : batteries_)
        if (shown_ && e.id == shown_->batteryId && e.battery.rules == rules) return;
    changeBattery([rules](Battery& b) { b.rules = rules; }, false);
}

void MainWindow::keepOwnCurve(const OwnCurve& curve) {
    changeBattery([curve](Battery& b) { b.setOwnCurve(curve); }, true);
}

void MainWindow::meterCheck() {
    if (!shown_) return;
    // The uncorrected recording is what the meter is compared with: corrections in force are taken
    // off first by the user if they should not count.
    std::vector<double> moments;
    for (const Step& s : shown_->analysis.steps.list) {
        const double middle = 0.5 * (s.start_s + s.end_s);
        if (s.kind == StepKind::Rest && moments.empty() && s.end_s - s.start_s > 30)
            moments.push_back(middle);
        if (s.isActive() && s.kind != StepKind::Pulse && s.end_s - s.start_s > 60) {
            moments.push_back(middle);
            break;
        }
    }
    if (moments.empty()) moments.push_back(0.5 * shown_->recording->duration_s());
    auto* dialog = new MeterCheckDialog(shown_->recording, moments, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    const std::int64_t id = shown_->id;
    connect(dialog, &QDialog::accepted, this, [this, dialog, id] {
        change([id, proposals = dialog->proposals()](BenchBook& b) -> Expected<void> {
            for (const Correction& c : proposals)
                if (const auto added = b.addCorrection(id, c); !added)
                    return tl::unexpected<Error>(added.error());
            return {};
        });
    });
    dialog->open();
}

void MainWindow::enterResistance() {
    if (!shown_) return;
    if (shown_->batteryId == 0) {
        say(tr("This recording has no battery yet; a reading needs one."), true);
        return;
    }
    auto* dialog = new ResistanceDialog(shown_->analysis.battery, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    const std::int64_t battery = shown_->batteryId;
    connect(dialog, &QDialog::accepted, this, [this, dialog, battery] {
        SpotReading s = dialog->reading();
        s.batteryId = battery;
        s.atEpoch_s = static_cast<double>(QDateTime::currentMSecsSinceEpoch()) / 1000;
        change([s](BenchBook& b) -> Expected<void> {
            const auto added = b.addSpotReading(s);
            if (!added) return tl::unexpected<Error>(added.error());
            return {};
        });
    });
    dialog->open();
}

void MainWindow::unseenLoad(std::int64_t recordingId) {
    auto* dialog = new QInputDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setObjectName("unseenLoad");
    dialog->setWindowTitle(tr("A load the logger did not see"));
    dialog->setLabelText(
        tr("What drew current beside the logger, for the whole recording?\nA current (0.35 A), a "
           "power (5 W) or a resistance (10 ohm)."));
    connect(dialog, &QInputDialog::textValueSelected, this,
            [this, recordingId](const QString& value) {
                Correction c;
                const std::string typed = value.trimmed().replace(',', '.').toStdString();
                const std::string unit =
                    typed.substr(std::min(typed.size(), typed.find_last_of("0123456789.") + 1));
                const auto parsed = parseUnit(unit);
                const auto size = parsed ? parseQuantity(typed, parsed->quantity) : std::nullopt;
                const bool known =
                    size && *size > 0 &&
                    (parsed->quantity == Quantity::Current || parsed->quantity == Quantity::Power ||
                     parsed->quantity == Quantity::Resistance);
                if (!known) {
                    say(tr("“%1” is no load. A current, a power or a resistance with its unit is "
                           "accepted: 0.35 A, 5 W, 10 ohm.")
                            .arg(value),
                        true);
                    return;
                }
                if (parsed->quantity == Quantity::Current)
                    c = {0, Correction::Kind::UnseenCurrent, -*size, 0, 0, kNaN, ""};
                else if (parsed->quantity == Quantity::Power)
                    c = {0, Correction::Kind::UnseenPower, -*size, 0, 0, kNaN, ""};
                else
                    c = {0, Correction::Kind::UnseenResistance, *size, 0, 0, kNaN, ""};
                c.name = "a load beside the logger, " + value.trimmed().toStdString();
                change([recordingId, c](BenchBook& b) -> Expected<void> {
                    const auto added = b.addCorrection(recordingId, c);
                    if (!added) return tl::unexpected<Error>(added.error());
                    return {};
                });
            });
    dialog->open();
}

void MainWindow::takeAction(int index) {
    const auto& cards = findings_->cards();
    if (index < 0 || index >= static_cast<int>(cards.size())) return;
    const Card& card = cards[static_cast<std::size_t>(index)];
    if (card.code == "correction")
        change([id = card.actionId](BenchBook& b) { return b.removeCorrection(id); });
}

}  // namespace nk
