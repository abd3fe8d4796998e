// What the window does with batteries and recordings: cards, menus, corrections, undo and redo.
#include <QDateTime>
#include <QFile>
#include <QInputDialog>
#include <QMenu>
#include <QTimer>
#include <cmath>

#include "app/curve/curve_station.h"
#include "app/findings/findings_panel.h"
#include "app/finish/meter_check_dialog.h"
#include "app/shelf/shelf.h"
#include "app/shell/battery_card.h"
#include "app/shell/main_window.h"
#include "app/shell/main_window_text.h"
#include "app/strength/resistance_dialog.h"
#include "quantity/format.h"
#include "quantity/units.h"

namespace nk {

void MainWindow::afterChange(const Expected<void>& done) {
    if (!done) say(text(done.error()), true);
    refreshShelf();
    if (shown_) chooseRecording(shown_->id);
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
    const auto done = book_->undo();
    if (!done)
        say(text(done.error()), true);
    else
        say(done->empty() ? tr("There is nothing to take back.")
                          : tr("Taken back: %1.").arg(QString::fromStdString(*done)));
    refreshShelf();
    if (shown_) chooseRecording(shown_->id);
    if (!load_.running() && !recordings_.empty()) chooseRecording(recordings_.back().id);
}

void MainWindow::redo() {
    const auto done = book_->redo();
    if (!done)
        say(text(done.error()), true);
    else
        say(done->empty() ? tr("There is nothing to make again.")
                          : tr("Made again: %1.").arg(QString::fromStdString(*done)));
    refreshShelf();
    if (shown_) chooseRecording(shown_->id);
}

void MainWindow::changeBattery(const std::function<void(Battery&)>& change, bool reload) {
    if (!shown_ || shown_->batteryId == 0) return;
    for (const BatteryEntry& e : batteries_) {
        if (e.id != shown_->batteryId) continue;
        Battery changed = e.battery;
        change(changed);
        const auto done = book_->updateBattery(e.id, e.revision, changed);
        if (!done) say(text(done.error()), true);
        refreshShelf();
        if (reload && shown_) chooseRecording(shown_->id);
        return;
    }
}

void MainWindow::keepRules(const std::vector<std::string>& rules) {
    for (const BatteryEntry& e : batteries_)
        if (shown_ && e.id == shown_->batteryId && e.battery.rules == rules) return;
    changeBattery([&](Battery& b) { b.rules = rules; }, false);
}

void MainWindow::keepOwnCurve(const OwnCurve& curve) {
    changeBattery([&](Battery& b) { b.setOwnCurve(curve); }, true);
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
        Expected<void> done;
        for (const Correction& c : dialog->proposals()) {
            const auto added = book_->addCorrection(id, c);
            if (!added) done = tl::unexpected<Error>(added.error());
        }
        afterChange(done);
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
        const auto added = book_->addSpotReading(s);
        afterChange(added ? Expected<void>()
                          : Expected<void>(tl::unexpected<Error>(added.error())));
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
                const auto added = book_->addCorrection(recordingId, c);
                afterChange(added ? Expected<void>()
                                  : Expected<void>(tl::unexpected<Error>(added.error())));
            });
    dialog->open();
}

void MainWindow::takeAction(int index) {
    const auto& cards = findings_->cards();
    if (index < 0 || index >= static_cast<int>(cards.size())) return;
    const Card& card = cards[static_cast<std::size_t>(index)];
    if (card.code == "correction") afterChange(book_->removeCorrection(card.actionId));
}

void MainWindow::editBattery(std::int64_t id) {
    const BatteryEntry* entry = nullptr;
    for (const BatteryEntry& e : batteries_)
        if (e.id == id) entry = &e;
    if (entry == nullptr) return;
    auto* card = new BatteryCard(
        tr("Battery card"),
        tr("What is known of this battery. The maker's figures win over the usual ones."),
        entry->battery, {}, this);
    card->setAttribute(Qt::WA_DeleteOnClose);
    const std::int64_t revision = entry->revision;
    connect(card, &QDialog::accepted, this, [this, card, id, revision] {
        afterChange(book_->updateBattery(id, revision, card->battery()));
    });
    card->open();
}

void MainWindow::recordingMenu(std::int64_t id, const QPoint& at) {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Rename…"), this, [this, id] {
        QString title;
        for (const RecordingEntry& e : recordings_)
            if (e.id == id) title = QString::fromStdString(e.title);
        auto* dialog = new QInputDialog(this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        dialog->setWindowTitle(tr("Rename the recording"));
        dialog->setLabelText(tr("Name"));
        dialog->setTextValue(title);
        connect(dialog, &QInputDialog::textValueSelected, this, [this, id](const QString& name) {
            if (name.trimmed().isEmpty()) return;
            afterChange(book_->renameRecording(id, name.trimmed().toStdString()));
        });
        dialog->open();
    });
    menu->addAction(tr("Save the original file…"), this, [this, id] {
        QString name;
        for (const RecordingEntry& e : recordings_)
            if (e.id == id) name = QString::fromStdString(e.fileName);
        const QString target =
            dialogs_.saveAs(this, tr("Save the original file"), name, tr("All files (*)"));
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
    });
    menu->addAction(tr("A load the logger did not see…"), this, [this, id] { unseenLoad(id); });
    if (shown_ && shown_->id == id)
        menu->addAction(tr("Meter check…"), this, [this] { meterCheck(); });
    menu->addAction(tr("Take off the shelf"), this, [this, id] {
        if (const auto done = book_->removeRecording(id); !done)
            say(text(done.error()), true);
        else
            say(tr("The recording is off the shelf. Undo (Ctrl+Z) brings it back."));
        if (shown_ && shown_->id == id) shown_.reset();
        refreshShelf();
        if (!shown_ && !recordings_.empty()) chooseRecording(recordings_.back().id);
    });
    menu->popup(at);
}

}  // namespace nk
