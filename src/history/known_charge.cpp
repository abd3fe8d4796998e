#include "known_charge.h"

#include <algorithm>
#include <cmath>

#include "quantity/format.h"
#include "quantity/phrase.h"
#include "verdict.h"

namespace nk {

namespace {

std::string spanText(const TimeRange& t) {
    return durationText(t[0]) == durationText(t[2])
               ? durationText(t[1])
               : phrase("{} ({} to {})", durationText(t[1], t[2]), durationText(t[0], t[2]),
                        durationText(t[2]));
}

}  // namespace

std::optional<PredictStep> plannedStep(const ChargePlan& plan) {
    PredictStep step;
    step.value = plan.effectiveCurrent_A;
    if (std::isfinite(plan.setPerCell_V)) {
        step.kind = PredictStep::Kind::Charge;
        step.volts = plan.setPerCell_V;
        step.cutoff_A = plan.cutoff_A;
    } else if (std::isfinite(plan.peakDrop_mV) && plan.endsBy.front() == "negative_delta_v") {
        step.kind = PredictStep::Kind::PeakCharge;
        step.drop_V = plan.peakDrop_mV / 1000;
    } else {
        return std::nullopt;
    }
    return step;
}

bool hasEarnedItsUse(const OwnModel& model) {
    constexpr double kMost_V = 0.03, kMostShare = 0.10;
    if (!(model.leftOutRms_V > 0) || model.leftOutRms_V > kMost_V || model.leftOut.empty())
        return false;
    std::vector<double> off;
    for (const LeftOutLog& l : model.leftOut)
        if (l.measured_s > 0 && std::isfinite(l.predicted_s))
            off.push_back(std::abs(l.predicted_s / l.measured_s - 1));
    return !off.empty() && medianOf(off) <= kMostShare;
}

std::optional<PredictedStep> modelSays(const OwnModel& model, const ChargePlan& plan,
                                       double fromSoc, double ambient_C) {
    const auto step = plannedStep(plan);
    if (!step) return std::nullopt;
    PredictSetting setting;
    setting.startSoc = std::clamp(fromSoc, 0.0, 1.0);
    setting.ambient_C = ambient_C;
    const auto told = predict(model, {*step}, setting);
    if (!told || !std::isfinite(told->front().duration_s) ||
        !std::isfinite(told->front().uncertainty_s) || told->front().extrapolated)
        return std::nullopt;
    return told->front();
}

std::optional<TimeRange> loggedCharge_s(const BatteryHistory& history, double capacity_Ah,
                                        double current_A) {
    constexpr double kAlike = 0.10, kWhole = 0.85;
    std::vector<double> times;
    for (const HistoryPoint& p : history.points) {
        const StoredReading& r = p.reading;
        if (r.name != "charge_in" || p.byHand() || !p.dayKnown()) continue;
        if (!(r.conditions.plateau_A > 0) || r.value < kWhole * capacity_Ah) continue;
        const double full_s = r.to_s - r.from_s;
        if (std::abs(r.conditions.plateau_A / current_A - 1) > kAlike) continue;
        times.push_back(full_s * std::min(1.2, capacity_Ah / r.value));
    }
    if (times.empty()) return std::nullopt;
    std::ranges::sort(times);
    const double middle = medianOf(times);
    // Equal ones do not make the next one sure.
    const double half = times.size() == 1 ? 0.10 : 0.03;
    return TimeRange{std::min(times.front(), (1 - half) * middle), middle,
                     std::max(times.back(), (1 + half) * middle)};
}

double ownCurrent_A(const BatteryHistory& history, double capacity_Ah) {
    constexpr double kSome = 0.2;
    std::vector<double> amps;
    for (const HistoryPoint& p : history.points) {
        const StoredReading& r = p.reading;
        if (r.name == "charge_in" && !p.byHand() && p.dayKnown() && r.conditions.plateau_A > 0 &&
            r.value > kSome * capacity_Ah)
            amps.push_back(r.conditions.plateau_A);
    }
    if (amps.empty()) return 0;
    // Three digits that count: nobody sets 0.9987 A.
    const double is = medianOf(amps);
    const double step = std::pow(10.0, std::floor(std::log10(is)) - 1);
    return std::round(is / step) * step;
}

void fillIn(ChargeWish& wish, const Standing& standing, const BatteryHistory& history) {
    wish.battery = standing.battery.battery;
    if (!(wish.capacity_Ah > 0) && standing.capacity) wish.capacity_Ah = standing.capacity->value;
    wish.hazards = standing.hazards;
    wish.skin = standing.life.outOfUse;
    if (wish.rate_C > 0 || wish.current_A > 0) return;
    const Chemistry* c = wish.battery.chemistryData();
    const double own = ownCurrent_A(history, wish.reference_Ah());
    if (c != nullptr && own > 0 && own <= c->chargeC * wish.reference_Ah()) {
        wish.current_A = own;
        wish.ownCurrent = true;
    }
}

void fillIn(ProgramWish& wish, const Standing& standing) {
    wish.battery = standing.battery.battery;
    if (!(wish.capacity_Ah > 0) && standing.capacity) wish.capacity_Ah = standing.capacity->value;
    wish.hazards = standing.hazards;
    wish.skin = standing.life.outOfUse;
}

Expected<KnownCharge> planKnown(ChargeWish wish, const BatteryHistory& history,
                                const OwnModel* model) {
    auto usual = planCharge(wish);
    if (!usual) return tl::unexpected<Error>(usual.error());
    KnownCharge out{std::move(*usual), "usual", {}};
    const ChargePlan& p = out.plan;
    if (p.triage.word == Triage::Word::Gently) return out;
    const double from = std::max(0.0, p.fromSoc);
    std::optional<TimeRange> own;
    std::string ownWords;
    double ownKnee_s = kNaN;
    if (model != nullptr)
        if (const auto told = modelSays(*model, p, from, wish.ambient_C)) {
            const double half = 2 * told->uncertainty_s;
            ownKnee_s = told->knee_s;
            own = TimeRange{std::max(0.0, told->duration_s - half), told->duration_s,
                            told->duration_s + half};
            ownWords = phrase(
                "By its own model: {}; it misses what it did not see by {:.0f} mV a "
                "cell.",
                spanText(*own), 1000 * model->leftOutRms_V);
        }
    std::optional<TimeRange> logged =
        loggedCharge_s(history, wish.reference_Ah(), p.effectiveCurrent_A);
    if (logged && from > 0) {
        // From another level: in the same parts as the usual curve.
        ChargeWish empty = wish;
        empty.fromSoc = 0;
        const auto whole = planCharge(empty);
        const double part = whole && whole->time_s[1] > 0 ? p.time_s[1] / whole->time_s[1] : kNaN;
        if (part > 0 && part <= 1)
            for (double& t : *logged) t *= part;
        else
            logged.reset();
    }
    const std::string loggedWords =
        logged ? phrase("By its logged charges at this current: {}.", spanText(*logged))
               : std::string();
    const std::string usualWords = phrase("By usual figures: {}.", spanText(p.time_s));
    if (own && hasEarnedItsUse(*model)) {
        out.from = "own_model";
        wish.known = KnownTime{*own, p.effectiveCurrent_A, ownKnee_s, out.from, ownWords};
        if (logged) out.how.push_back(loggedWords);
        out.how.push_back(usualWords);
    } else if (logged) {
        out.from = "logged";
        wish.known = KnownTime{*logged, p.effectiveCurrent_A, kNaN, out.from, loggedWords};
        if (own) out.how.push_back(ownWords);
        out.how.push_back(usualWords);
    } else {
        if (own) out.how.push_back(ownWords);
        return out;
    }
    auto plan = planCharge(wish);
    if (!plan) return tl::unexpected<Error>(plan.error());
    out.plan = std::move(*plan);
    return out;
}

}  // namespace nk
