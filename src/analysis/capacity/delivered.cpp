#include <fmt/format.h>

#include <cmath>

#include "analysis/capacity/capacity.h"
#include "analysis/capacity/event.h"
#include "quantity/format.h"

namespace nk {

namespace {

Reading start(const char* name, const char* unit, const char* method, const Event& e) {
    Reading r;
    r.name = name;
    r.unit = unit;
    r.method = method;
    r.evidence = {e.from_s, e.to_s, e.mainStep()};
    return r;
}

/// Rate, cut-off, temperature, rest: a capacity is only comparable under the same ones.
void addConditions(const AnalysisInput& in, const Event& e, Reading& r) {
    std::string text = phrase("at {}", shortValue(std::abs(e.meanCurrent_A), "A"));
    if (in.battery.capacity_Ah() > 0)
        text += phrase(" ({:.2g}C)", std::abs(e.meanCurrent_A) / in.battery.capacity_Ah());
    text += phrase(" down to {}", shortValue(e.endVoltage_V, "V"));
    if (in.battery.series > 1)
        text += phrase(" ({} a cell)", shortValue(in.perCell(e.endVoltage_V), "V"));
    if (std::isfinite(e.meanTemperature_C))
        text += phrase(", {} °C on average", fixed(e.meanTemperature_C, 0));
    else
        text += phrase(", temperature not logged");
    r.caveats.push_back(phrase("Conditions: ") + text + ".");
    if (e.steps.size() > 1)
        r.caveats.push_back(phrase("Sum of {} parts with pauses between them.", e.steps.size()));
    if (e.fullAtStart == Known::No)
        r.caveats.push_back(phrase("Started part-charged: ") + e.fullBecause +
                            phrase(". This is what was left, not the capacity."));
    if (e.fullAtStart == Known::Unknown)
        r.caveats.push_back(phrase(
            "Whether it was full at the start is not in this log; log the charge before it, or a "
            "rest of ten minutes."));
    if (e.reachedFloor == Known::No)
        r.caveats.push_back(
            phrase("The discharge stopped above the usual floor: more was left in the battery."));
}

void addSamplingCaveats(const AnalysisInput& in, const Event& e, Reading& r) {
    double silent = 0;
    for (const Gap& gap : in.recording.gaps())
        if (gap.before >= e.first && gap.before < e.last) {
            if (gap.restart)
                r.caveats.push_back(phrase(
                    "The logger restarted in between; charge moved while it was off is missing."));
            else
                silent += gap.duration_s;
        }
    if (silent > 0)
        r.caveats.push_back(
            phrase("Includes {} without samples, bridged by the neighbours' current.",
                   durationText(silent)));
}

}  // namespace

std::string whyNoCharge(const AnalysisInput& in, const Event& e, bool energy) {
    if (energy && !std::isfinite(e.sum.energy_Wh))
        return phrase("Not measurable: this log holds no voltage.");
    const double size = energy ? e.sum.energy_Wh : e.sum.charge_Ah;
    const double u = energy ? energyUncertainty_Wh(in.recording, e.sum, in.accuracy)
                            : chargeUncertainty_Ah(in.recording, e.sum, in.accuracy);
    const bool charging =
        in.steps.list[static_cast<std::size_t>(e.steps.front())].meanCurrent_A > 0;
    if ((charging ? size : -size) > Reading().coverage * u) return {};
    return phrase(
        "Not measurable from this log: it lasted {} at rows {} apart, and what moved is no more "
        "than what the log may be wrong by. Log faster or for longer.",
        durationText(e.to_s - e.from_s), durationText(in.recording.usualInterval_s()));
}

void computeDeliveredCapacity(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const Event& e : dischargeEvents(in)) {
        Reading r = start("delivered_capacity", "Ah", "coulomb_count_trapezoid", e);
        if (const std::string why = whyNoCharge(in, e); !why.empty()) {
            r.caveats.push_back(why);
            out.push_back(std::move(r));
            continue;
        }
        r.value = -e.sum.charge_Ah;
        r.uncertainty = chargeUncertainty_Ah(in.recording, e.sum, in.accuracy);
        addConditions(in, e, r);
        addSamplingCaveats(in, e, r);
        out.push_back(std::move(r));
    }
}

void computeDeliveredEnergy(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const Event& e : dischargeEvents(in)) {
        Reading r = start("delivered_energy", "Wh", "power_trapezoid", e);
        if (const std::string why = whyNoCharge(in, e, true); !why.empty()) {
            r.caveats.push_back(why);
            out.push_back(std::move(r));
            continue;
        }
        r.value = -e.sum.energy_Wh;
        r.uncertainty = energyUncertainty_Wh(in.recording, e.sum, in.accuracy);
        addSamplingCaveats(in, e, r);
        out.push_back(std::move(r));
    }
}

void computeMeanVoltage(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const Event& e : dischargeEvents(in)) {
        Reading r = start("mean_voltage", "V", "energy_over_charge", e);
        const std::string charge = whyNoCharge(in, e);
        if (const std::string why = charge.empty() ? whyNoCharge(in, e, true) : charge;
            !why.empty()) {
            r.caveats.push_back(why);
        } else {
            r.value = e.sum.energy_Wh / e.sum.charge_Ah;
            // Charge cancels: what is left is the voltmeter.
            r.uncertainty = quadrature({rectangle(in.accuracy.voltageGain * r.value),
                                        rectangle(in.accuracy.voltageOffsetSteps *
                                                  in.recording.voltageQuality().resolution)});
        }
        out.push_back(std::move(r));
    }
}

void computeChargeIn(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const Event& e : chargeEvents(in)) {
        Reading r = start("charge_in", "Ah", "coulomb_count_trapezoid", e);
        if (const std::string why = whyNoCharge(in, e); !why.empty()) {
            r.caveats.push_back(why);
            out.push_back(std::move(r));
            continue;
        }
        r.value = e.sum.charge_Ah;
        r.uncertainty = chargeUncertainty_Ah(in.recording, e.sum, in.accuracy);
        const Chemistry* c = in.chemistry();
        r.caveats.push_back(
            c != nullptr && c->nickel()
                ? phrase(
                      "Charge put in is not capacity: nickel takes 110 to 160 % (common practice).")
                : phrase(
                      "Charge put in is not capacity: it depends on how empty the battery was."));
        addSamplingCaveats(in, e, r);
        out.push_back(std::move(r));
    }
}

}  // namespace nk
