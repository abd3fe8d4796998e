#include "app/shelf/recording_actions.h"

#include <QDateTime>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QInputDialog>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

#include "app/finish/meter_check_dialog.h"
#include "app/origin/origin_form.h"
#include "app/session/text.h"
#include "app/strength/resistance_dialog.h"
#include "app/theme/word_label.h"
#include "quantity/units.h"

namespace nk {

RecordingActions::RecordingActions(Session& session, QWidget* window)
    : QObject(window), session_(session), window_(window) {}

void RecordingActions::keepRules(std::int64_t batteryId, const std::vector<std::string>& rules) {
    if (batteryId == 0 || session_.batteryOf(batteryId).rules == rules) return;
    session_.changeBattery(
        batteryId, [rules](Battery& b) { b.rules = rules; }, false);
}

void RecordingActions::keepOwnCurve(std::int64_t batteryId, const OwnCurve& curve) {
    session_.changeBattery(
        batteryId, [curve](Battery& b) { b.setOwnCurve(curve); }, true);
}

void RecordingActions::editSteps(const std::vector<StepEdit>& added) {
    const ShownPtr shown = session_.shown();
    if (!shown) return;
    session_.change([shown, added](BenchBook& b) {
        // What the edit makes of the steps as they are seen now is kept with it.
        const Battery& battery = shown->analysis.battery;
        const Recording& r = *shown->recording;
        const Steps steps = findSteps(r, battery);
        // Added to those that the book has now: another window, or an edit before this one, may
        // have been there since it was shown.
        return b.change({"edit_steps", {}}, [&]() -> Expected<void> {
            auto edits = b.edits(shown->id);
            if (!edits) return tl::unexpected<Error>(edits.error());
            edits->insert(edits->end(), added.begin(), added.end());
            return b.setEdits(shown->id, settleEdits(r, battery, steps, *edits));
        });
    });
}

void RecordingActions::meterCheck() {
    if (!session_.shown()) return;
    // The uncorrected recording is what the meter is compared with: corrections in force are taken
    // off first by the user if they should not count.
    std::vector<double> moments;
    for (const Step& s : session_.shown()->analysis.steps.list) {
        const double middle = 0.5 * (s.start_s + s.end_s);
        if (s.kind == StepKind::Rest && moments.empty() && s.end_s - s.start_s > 30)
            moments.push_back(middle);
        if (s.isActive() && s.kind != StepKind::Pulse && s.end_s - s.start_s > 60) {
            moments.push_back(middle);
            break;
        }
    }
    if (moments.empty()) moments.push_back(0.5 * session_.shown()->recording->duration_s());
    auto* dialog = new MeterCheckDialog(session_.shown()->recording, moments, window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, dialog, shown = session_.shown()] {
        session_.change([shown, proposals = dialog->proposals()](BenchBook& b) {
            return b.change({"meter_check"}, [&]() -> Expected<void> {
                for (const Correction& c : proposals) {
                    if (const auto added = b.addCorrection(shown->id, c); !added)
                        return tl::unexpected<Error>(added.error());
                    // It is the instrument that was checked: its later logs may use it.
                    if (shown->instrumentId == 0) continue;
                    if (const auto kept = b.addMeterCheck({0, shown->instrumentId, shown->at_s, c});
                        !kept)
                        return tl::unexpected<Error>(kept.error());
                }
                return {};
            });
        });
    });
    dialog->open();
}

void RecordingActions::enterResistance() {
    if (!session_.shown()) return;
    if (session_.shown()->batteryId == 0) {
        session_.say(tr("This recording has no battery yet; a reading needs one."), true);
        return;
    }
    auto* dialog = new ResistanceDialog(session_.shown()->analysis.battery, window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    const std::int64_t battery = session_.shown()->batteryId;
    connect(dialog, &QDialog::accepted, this, [this, dialog, battery] {
        SpotReading s = dialog->reading();
        s.batteryId = battery;
        s.atEpoch_s = static_cast<double>(QDateTime::currentMSecsSinceEpoch()) / 1000;
        session_.change([s](BenchBook& b) -> Expected<void> {
            const auto added = b.addSpotReading(s);
            if (!added) return tl::unexpected<Error>(added.error());
            return {};
        });
    });
    dialog->open();
}

void RecordingActions::unseenLoad(std::int64_t recordingId) {
    auto* dialog = new QInputDialog(window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setObjectName("unseenLoad");
    dialog->setWindowTitle(tr("A load the logger did not see"));
    double from_s = 0;
    double to_s = kNaN;
    QString asked = tr("What drew current beside the logger, for the whole recording?");
    // What the standing of its battery proposes stands there, for the steps it fits.
    const RecordingEntry* entry = session_.entryOf(recordingId);
    const auto standing =
        entry != nullptr ? session_.standings().find(entry->batteryId) : session_.standings().end();
    if (standing != session_.standings().end() &&
        standing->second.unseenRecording == static_cast<double>(recordingId)) {
        const KeptStanding& s = standing->second;
        from_s = std::isfinite(s.unseenFrom_s) ? s.unseenFrom_s : 0;
        to_s = s.unseenTo_s;
        asked =
            tr("The other logs of this battery say that a load ran beside this one. What drew "
               "current beside the logger, in the discharge it fits?");
        dialog->setTextValue(std::isfinite(s.unseen_ohm)
                                 ? QString::number(s.unseen_ohm, 'g', 3) + " ohm"
                                 : QString::number(s.unseen_A, 'g', 3) + " A");
    }
    dialog->setLabelText(asked + '\n' +
                         tr("A current (0.35 A), a power (5 W) or a resistance (10 ohm)."));
    connect(dialog, &QInputDialog::textValueSelected, this,
            [this, recordingId, from_s, to_s](const QString& value) {
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
                    session_.say(
                        tr("“%1” is no load. A current, a power or a resistance with its unit is "
                           "accepted: 0.35 A, 5 W, 10 ohm.")
                            .arg(value),
                        true);
                    return;
                }
                if (parsed->quantity == Quantity::Current)
                    c = {0, Correction::Kind::UnseenCurrent, -*size, 0, from_s, to_s, ""};
                else if (parsed->quantity == Quantity::Power)
                    c = {0, Correction::Kind::UnseenPower, -*size, 0, from_s, to_s, ""};
                else
                    c = {0, Correction::Kind::UnseenResistance, *size, 0, from_s, to_s, ""};
                c.name = "a load beside the logger, " + value.trimmed().toStdString();
                session_.change([recordingId, c](BenchBook& b) -> Expected<void> {
                    const auto added = b.addCorrection(recordingId, c);
                    if (!added) return tl::unexpected<Error>(added.error());
                    return {};
                });
            });
    dialog->open();
}

void RecordingActions::takeAction(const Card& card) {
    if (card.code == "correction")
        session_.change([id = card.actionId](BenchBook& b) { return b.removeCorrection(id); });
    const ShownPtr shown = session_.shown();
    if (card.code != "meter_check" || !shown) return;
    for (const MeterCheck& m : shown->offers) {
        if (m.id != card.actionId) continue;
        session_.change([id = shown->id, c = m.correction](BenchBook& b) -> Expected<void> {
            if (const auto added = b.addCorrection(id, c); !added)
                return tl::unexpected<Error>(added.error());
            return {};
        });
    }
}

void RecordingActions::editOrigin(std::int64_t id) {
    const RecordingEntry* entry = session_.entryOf(id);
    if (entry == nullptr) return;
    auto* dialog = new QDialog(window_);
    dialog->setObjectName("originDialog");
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Instrument and charger"));
    dialog->setMinimumWidth(440);
    auto* box = new QVBoxLayout(dialog);
    auto* form = newOriginForm(session_, dialog);
    auto* lines = new QFormLayout;
    lines->setLabelAlignment(Qt::AlignRight | Qt::AlignVCenter);
    lines->setSpacing(8);
    box->addLayout(lines);
    form->addTo(lines);
    form->choose(entry->instrumentId, entry->chargerId);
    auto* note = wordLabel(dialog, "", "muted");
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, dialog);
    buttons->button(QDialogButtonBox::Ok)->setText(tr("Keep"));
    buttons->button(QDialogButtonBox::Cancel)->setText(tr("Cancel"));
    box->addWidget(note);
    box->addWidget(buttons);
    connect(form, &OriginForm::changed, dialog, [form, note, buttons] {
        note->setText(form->problem());
        buttons->button(QDialogButtonBox::Ok)->setEnabled(form->problem().isEmpty());
    });
    connect(buttons, &QDialogButtonBox::accepted, dialog, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, dialog, &QDialog::reject);
    connect(dialog, &QDialog::accepted, this, [this, form, id] {
        session_.change([id, origin = form->origin()](BenchBook& b) {
            return b.change({"instrument_of"}, [&]() -> Expected<void> {
                std::int64_t instrument = origin.instrumentId;
                std::int64_t charger = origin.chargerId;
                if (origin.newInstrument) {
                    const auto added = b.addInstrument(*origin.newInstrument);
                    if (!added) return tl::unexpected<Error>(added.error());
                    instrument = *added;
                }
                if (origin.newCharger) {
                    const auto added = b.addCharger(*origin.newCharger);
                    if (!added) return tl::unexpected<Error>(added.error());
                    charger = *added;
                }
                if (auto done = b.setInstrument(id, instrument); !done) return done;
                return b.setCharger(id, charger);
            });
        });
    });
    dialog->open();
}

}  // namespace nk
