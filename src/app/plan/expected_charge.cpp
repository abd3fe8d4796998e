#include "app/plan/expected_charge.h"

#include <QDateTime>
#include <QLocale>
#include <algorithm>
#include <cmath>

#include "app/preferences/preferences.h"
#include "history/known_charge.h"
#include "ownmodel/judge.h"
#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

QString say(const std::string& words) {
    return QString::fromStdString(words);
}

QString momentOf(const KeptPlan& plan) {
    return QLocale().toString(QDateTime::fromSecsSinceEpoch(static_cast<qint64>(plan.at_s)),
                              QLocale::ShortFormat);
}

QString settingName(const std::string& name) {
    if (name == "current") return QObject::tr("Current");
    if (name == "set_voltage") return QObject::tr("Set voltage");
    if (name == "cut_off") return QObject::tr("Cut-off");
    if (name == "time") return QObject::tr("Time");
    return QObject::tr("Charge");
}

}  // namespace

std::optional<ExpectedCharge> expectedCharge(const OwnModel& own, const ChargePlan& plan,
                                             double fromSoc, double warmth_C) {
    const auto step = plannedStep(plan);
    if (!step) return std::nullopt;
    const bool rested = fromSoc < 0 && std::isfinite(plan.triage.cell_V);
    double unsure = 0;
    PredictSetting setting;
    setting.startSoc =
        rested
            ? std::clamp(levelUnderLoad(own, plan.triage.cell_V, 0, 0, warmth_C, unsure), 0.0, 1.0)
            : std::max(0.0, fromSoc);
    setting.ambient_C = warmth_C;
    const auto told = predict(own, {*step}, setting);
    if (!told || !std::isfinite(told->front().duration_s)) return std::nullopt;
    ExpectedCharge out{told->front(), {}};
    PredictedStep& p = out.step;
    const double level_Ah = unsure * own.capacity_Ah;
    p.uncertainty_s = std::hypot(p.uncertainty_s, 3600 * level_Ah / std::max(step->value, 1e-6));
    p.uncertainty_Ah = std::hypot(p.uncertainty_Ah, level_Ah);
    out.words =
        QObject::tr(
            "By its own model: %1 ± %2 to the end, %3, %4, up to %5; it misses what it "
            "did not see by %6 mV a cell.")
            .arg(say(durationText(p.duration_s)), say(durationText(2 * p.uncertainty_s)),
                 step->kind == PredictStep::Kind::PeakCharge
                     ? QObject::tr("%1 mV a cell under its peak").arg(plan.peakDrop_mV)
                     : QObject::tr("%1 to the knee")
                           .arg(say(std::isfinite(p.knee_s) ? durationText(p.knee_s) : "?")),
                 say(valueText(p.charge_Ah, p.uncertainty_Ah, "Ah").joined()),
                 degreesText(p.maxTemperature_C), say(phrase("{:.0f}", 1000 * own.leftOutRms_V)));
    if (rested)
        out.words += " " + QObject::tr("From %1 ± %2 %, by the volts at rest.")
                               .arg(say(phrase("{:.0f}", 100 * setting.startSoc)),
                                    say(phrase("{:.0f}", std::max(1.0, 200 * unsure))));
    else if (fromSoc < 0)
        out.words += " " + QObject::tr("That is from empty: the level before is not known.");
    if (p.extrapolated) out.words += " " + QObject::tr("Beyond what was ever logged:");
    for (const std::string& c : p.caveats) out.words += " " + say(c);
    return out;
}

QString againstWords(const KeptPlan& plan, const std::vector<AgainstLog>& against) {
    QStringList lines;
    lines << QObject::tr("The shown log followed the card of %1: set against actual.")
                 .arg(momentOf(plan));
    for (const AgainstLog& a : against)
        lines << QObject::tr("%1: %2 set, %3 logged%4")
                     .arg(settingName(a.name), say(a.set), say(a.actual),
                          a.met ? QObject::tr("; as set.") : ". " + say(a.words));
    if (plan.beyondUsual) lines << QObject::tr("It went beyond the usual figure.");
    if (!plan.ticked.empty() || !plan.open.empty())
        lines << QObject::tr("Before the start %1 of %2 were ticked.")
                     .arg(plan.ticked.size())
                     .arg(plan.ticked.size() + plan.open.size());
    for (const std::string& o : plan.open) lines << QObject::tr("   not ticked: %1").arg(say(o));
    return lines.join("\n");
}

QString waitsWords(const KeptPlan& plan) {
    return QObject::tr("A card of %1 waits for its log.").arg(momentOf(plan));
}

}  // namespace nk
