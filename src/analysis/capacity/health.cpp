#include <fmt/format.h>

#include <cmath>

#include "analysis/capacity/capacity.h"
#include "analysis/capacity/event.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// Less of the rating than this says nothing of health where the start is not known (common
/// practice, no source).
constexpr double kLeastUnknown = 0.5;

}  // namespace

void computeHealth(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const Event& e : dischargeEvents(in)) {
        Reading r;
        r.name = "health_capacity";
        r.unit = "%";
        r.method = "delivered_over_rated";
        r.evidence = {e.from_s, e.to_s, e.mainStep()};
        const double rated = in.battery.rated_Ah;
        if (rated <= 0) {
            r.caveats.push_back(
                phrase("Not measurable: the battery's rated capacity is not given. Write it on the "
                       "battery card."));
        } else if (e.fullAtStart == Known::No) {
            r.caveats.push_back(
                phrase("Not measurable from this log: the discharge started part-charged (") +
                e.fullBecause + phrase("). Charge fully and log the whole discharge."));
        } else if (e.fullAtStart == Known::Unknown && -e.sum.charge_Ah < kLeastUnknown * rated) {
            r.caveats.push_back(phrase(
                "Not measurable from this log: it does not show whether the battery was full, and "
                "less than half of the rating came out. Charge fully and log the whole "
                "discharge."));
        } else if (e.reachedFloor == Known::No) {
            r.caveats.push_back(phrase(
                "Not measurable from this log: the discharge stopped above the usual floor. Log it "
                "down to the end."));
        } else if (const std::string why = whyNoCharge(in, e); !why.empty()) {
            r.caveats.push_back(why);
        } else {
            r.value = 100 * -e.sum.charge_Ah / rated;
            r.uncertainty = 100 * chargeUncertainty_Ah(in.recording, e.sum, in.accuracy) / rated;
            if (e.fullAtStart == Known::Unknown)
                r.caveats.push_back(phrase(
                    "Holds if the battery was full at the start; this log does not show it."));
            const double rate = std::abs(e.meanCurrent_A) / rated;
            // IEC 61960-3 and IEC 61951-2: 0.2 It at 20 ± 5 °C.
            if (rate > 0.3 || rate < 0.1)
                r.caveats.push_back(
                    phrase("Discharged at {:.2g}C of the label; the rating's standard test is "
                           "{:.1f}C (IEC "
                           "61960-3, IEC 61951-2).",
                           rate, 0.2));
            if (!std::isfinite(e.meanTemperature_C))
                r.caveats.push_back(
                    phrase("Temperature not logged; the standard test is at 20 ± 5 °C."));
            else if (std::abs(e.meanTemperature_C - 20) > 8)
                r.caveats.push_back(
                    phrase("At {:.0f} °C on average; the standard test is at 20 ± 5 °C.",
                           e.meanTemperature_C));
        }
        out.push_back(std::move(r));
    }
}

void checkPartChargedStart(const AnalysisInput& in, std::vector<Finding>& out) {
    for (const Event& e : dischargeEvents(in)) {
        if (e.fullAtStart != Known::No) continue;
        out.push_back({Severity::Verdict,
                       "part_charged_start",
                       phrase("This discharge began part-charged: {}.", e.fullBecause),
                       phrase("Read it as charge that was left, not as capacity. For health, "
                              "charge fully first."),
                       {e.from_s, e.to_s, e.mainStep()}});
    }
}

void checkCutOuts(const AnalysisInput& in, std::vector<Finding>& out) {
    int count = 0;
    double from = kNaN;
    double to = kNaN;
    int step = -1;
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (!s.cutOut || !s.isActive()) continue;
        if (count++ == 0) from = s.start_s, step = static_cast<int>(k);
        to = s.end_s;
    }
    if (count < 2) return;
    std::string text =
        phrase("The load cut out at low voltage and came back {} times under one sustained load.",
               count - 1);
    if (in.recording.hasTemperature()) {
        const auto t = in.recording.temperature_C();
        const double rise = t[in.recording.nearest(to)] - t[in.recording.nearest(from)];
        if (rise > 3) text += phrase(" The pack warmed by {:.0f} K meanwhile.", rise);
    }
    out.push_back(
        {Severity::Verdict,
         "low_voltage_cutouts",
         text,
         phrase("Usual causes are cold, high resistance, or a load too large for the pack; warm "
                "it or draw less."),
         {from, to, step}});
}

void checkPowerLimited(const AnalysisInput& in, std::vector<Finding>& out) {
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (!s.powerLimited) continue;
        const double watts = s.sum.duration_s > 0 ? s.sum.energy_Wh * 3600 / s.sum.duration_s : 0;
        if (s.isDischarge()) {
            out.push_back({Severity::Note,
                           "power_limited",
                           phrase("The load ran at its power limit, about {:.3g} W: the current "
                                  "rose as the voltage fell, until its current limit.",
                                  std::abs(watts)),
                           phrase("The set current was not drawn here; a rate is only that of the "
                                  "part after it."),
                           {s.start_s, s.end_s, static_cast<int>(k)}});
            continue;
        }
        out.push_back(
            {Severity::Note,
             "power_limited",
             phrase("The charger ran at its power limit, about {:.3g} W: the "
                    "current fell as the voltage rose.",
                    watts),
             phrase("The set current was not reached here; charging takes longer than planned."),
             {s.start_s, s.end_s, static_cast<int>(k)}});
    }
}

}  // namespace nk
