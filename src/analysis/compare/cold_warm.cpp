#include "cold_warm.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/capacity/event.h"
#include "analysis/rating/rating.h"
#include "analysis/resistance/current_step.h"
#include "quantity/format.h"
#include "quantity/plausible.h"
#include "quantity/uncertainty.h"

namespace nk {

namespace {

const Event* mainDischarge(const AnalysisInput& in) {
    const Event* best = nullptr;
    for (const Event& e : dischargeEvents(in))
        if (best == nullptr || e.sum.charge_Ah < best->sum.charge_Ah) best = &e;
    return best;
}

/// The step resistance at a delay, nearest to the given state of charge.
const CompareSide::Step* resistanceAt(const CompareSide& side, double delay, double soc) {
    const CompareSide::Step* best = nullptr;
    const auto far = [&](const CompareSide::Step& s) {
        return std::isfinite(s.soc) && std::isfinite(soc) ? std::abs(s.soc - soc) : 0.5;
    };
    for (const CompareSide::Step& s : side.steps)
        if (s.delay_s == delay && (best == nullptr || far(s) < far(*best))) best = &s;
    return best;
}

Ratio ratio(double second, double uSecond, double first, double uFirst) {
    Ratio r;
    if (!(first > 0) || !(second > 0)) return r;
    r.value = second / first;
    r.uncertainty = r.value * std::hypot(uSecond / second, uFirst / first);
    return r;
}

std::string percent(const Ratio& r) {
    return fmt::format("{:.0f} ± {:.0f} %", 100 * r.value, std::max(1.0, 200 * r.uncertainty));
}

}  // namespace

CompareSide compareSide(const AnalysisInput& in, int step) {
    CompareSide out;
    if (in.recording.empty()) return out;
    if (in.chemistry() != nullptr) out.floor_V = usualFloor_V(*in.chemistry()) * in.battery.cells();
    for (const StepResistance& s : stepResistances(in)) {
        if (!std::isfinite(s.resistance_ohm)) continue;
        if (step >= 0) {
            const Step& chosen = in.steps.list[static_cast<std::size_t>(step)];
            // The edge into it lies before its first row.
            const double before = in.recording.usualInterval_s();
            if (s.at_s < chosen.start_s - before || s.at_s > chosen.end_s) continue;
        }
        const std::size_t k = in.recording.nearest(s.at_s);
        out.steps.push_back({s.nominalDelay_s, s.resistance_ohm, s.uncertainty_ohm, s.soc,
                             s.temperature_C, in.recording.voltage_V()[k > 0 ? k - 1 : 0]});
    }
    const auto discharged = [&](const Integral& sum, double current_A, double end_V, bool full) {
        out.charge_Ah = -sum.charge_Ah;
        // One logger made both sides, so its gain cancels; the rest of the charge's doubt stays.
        InstrumentAccuracy without = in.accuracy;
        without.currentGain = 0;
        out.chargeUncertainty_Ah = chargeUncertainty_Ah(in.recording, sum, without);
        out.energy_Wh = -sum.energy_Wh;
        out.voltageUncertainty_V =
            rectangle(in.accuracy.voltageOffsetSteps * in.recording.voltageQuality().resolution);
        out.current_A = std::abs(current_A);
        out.endVoltage_V = end_V;
        out.startedFull = full;
    };
    if (step >= 0) {
        const Step& s = in.steps.list[static_cast<std::size_t>(step)];
        bool full = false;
        for (const Event& e : dischargeEvents(in))
            full = full ||
                   (!e.steps.empty() && e.steps.front() == step && e.fullAtStart == Known::Yes);
        if (s.isDischarge()) discharged(s.sum, s.meanCurrent_A, s.endVoltage_V, full);
    } else if (const Event* e = mainDischarge(in)) {
        discharged(e->sum, e->meanCurrent_A, e->endVoltage_V, e->fullAtStart == Known::Yes);
        out.temperature_C = e->meanTemperature_C;
    }
    return out;
}

Comparison compareSides(const CompareSide& a, const CompareSide& b) {
    Comparison out;
    bool coarse = false;
    for (const double delay : {10.0, 1.0, 0.0}) {
        const CompareSide::Step* rb = nullptr;
        const CompareSide::Step* ra = resistanceAt(a, delay, 0.7);
        if (ra != nullptr) rb = resistanceAt(b, delay, ra->soc);
        if (ra == nullptr || rb == nullptr) continue;
        const Ratio resistances =
            ratio(rb->resistance_ohm, rb->uncertainty_ohm, ra->resistance_ohm, ra->uncertainty_ohm);
        // An interval of half the value and more is no comparison.
        coarse = !(2 * resistances.uncertainty < 0.5 * resistances.value);
        if (coarse) continue;
        out.resistance = resistances;
        out.delay_s = delay;
        out.firstTemperature_C = ra->temperature_C;
        out.secondTemperature_C = rb->temperature_C;
        if (std::isfinite(ra->soc) && std::isfinite(rb->soc) && std::abs(ra->soc - rb->soc) > 0.15)
            out.caveats.push_back(
                phrase("The resistances were taken at different states of charge."));
        // Usable power at the floor: floor·(E − floor)/R, so its ratio is that of (E − floor)/R.
        const double pa = (ra->rested_V - a.floor_V) / ra->resistance_ohm;
        const double pb = (rb->rested_V - b.floor_V) / rb->resistance_ohm;
        if (pa > 0 && pb > 0)
            out.power = ratio(pb, pb * rb->uncertainty_ohm / rb->resistance_ohm, pa,
                              pa * ra->uncertainty_ohm / ra->resistance_ohm);
        break;
    }
    if (coarse && !out.resistance.known())
        out.caveats.push_back(
            phrase("Their resistances are known too coarsely from these logs to be compared. Log "
                   "faster, or with a larger step of the current."));
    if (std::isfinite(a.charge_Ah) && std::isfinite(b.charge_Ah)) {
        out.capacity =
            ratio(b.charge_Ah, b.chargeUncertainty_Ah, a.charge_Ah, a.chargeUncertainty_Ah);
        // Energy is charge times mean voltage (GUM 5.1.6: relative uncertainties of a product).
        const double va = a.energy_Wh / a.charge_Ah;
        const double vb = b.energy_Wh / b.charge_Ah;
        const auto energyUncertainty = [](const CompareSide& side, double mean_V) {
            return side.energy_Wh * std::hypot(side.chargeUncertainty_Ah / side.charge_Ah,
                                               side.voltageUncertainty_V / mean_V);
        };
        out.energy =
            ratio(b.energy_Wh, energyUncertainty(b, vb), a.energy_Wh, energyUncertainty(a, va));
        out.meanVoltage = ratio(vb, b.voltageUncertainty_V, va, a.voltageUncertainty_V);
        if (std::isnan(out.firstTemperature_C)) out.firstTemperature_C = a.temperature_C;
        if (std::isnan(out.secondTemperature_C)) out.secondTemperature_C = b.temperature_C;
        const double rates = b.current_A / a.current_A;
        if (rates < 0.85 || rates > 1.18)
            out.caveats.push_back(phrase(
                "The discharges ran at different currents, {} and {}: capacities differ for that "
                "too.",
                shortValue(a.current_A, "A"), shortValue(b.current_A, "A")));
        if (std::abs(a.endVoltage_V - b.endVoltage_V) > 0.05 * a.endVoltage_V)
            out.caveats.push_back(phrase("They ended at different voltages."));
        if (!a.startedFull || !b.startedFull)
            out.caveats.push_back(phrase("Not both are known to have begun full."));
        if (out.capacity.known() && out.capacity.value < 1)
            out.minutesOff = (a.charge_Ah - b.charge_Ah) / a.current_A * 60;
    }
    constexpr double kMostRatio = 1e4;
    for (Ratio* r : {&out.resistance, &out.capacity, &out.energy, &out.power, &out.meanVoltage})
        if (r->known() && !(r->value > 1 / kMostRatio && r->value < kMostRatio)) {
            *r = {};
            out.caveats.push_back(cannotBe());
        }
    if (!canBe(out.minutesOff * 60, "s")) out.minutesOff = kNaN;
    const bool warm =
        std::isfinite(out.firstTemperature_C) && std::isfinite(out.secondTemperature_C);
    const std::string at =
        warm ? phrase(" ({} against {})", shortValue(out.secondTemperature_C, "C"),
                      shortValue(out.firstTemperature_C, "C"))
             : "";
    if (out.resistance.known())
        out.words.push_back(
            phrase("Resistance is {} of the first{}.", percent(out.resistance), at));
    if (out.power.known())
        out.words.push_back(phrase("Power it can give before its floor: {}.", percent(out.power)));
    if (out.capacity.known())
        out.words.push_back(phrase("It gave {} of the charge.", percent(out.capacity)));
    if (out.minutesOff > 0.5)
        out.words.push_back(
            phrase("Take {:.0f} min off a timer that is set for the first.", out.minutesOff));
    if (out.words.empty())
        out.words.push_back(phrase(
            "These two logs have nothing in common to compare: both need a discharge, or a step of "
            "the current."));
    return out;
}

Comparison compareRecordings(const AnalysisInput& first, const AnalysisInput& second, int firstStep,
                             int secondStep) {
    return compareSides(compareSide(first, firstStep), compareSide(second, secondStep));
}

}  // namespace nk
