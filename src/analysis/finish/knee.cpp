#include <algorithm>
#include <cmath>

#include "analysis/finish/finish.h"
#include "analysis/finish/stop_moment.h"

#include "quantity/phrase.h"

namespace nk {

namespace {

template <class Fill>
void eachCv(const AnalysisInput& in, std::vector<Reading>& out, const char* name, const char* unit,
            const char* method, Fill fill) {
    const auto& list = in.steps.list;
    for (std::size_t k = 0; k < list.size(); ++k) {
        if (list[k].kind != StepKind::CvCharge) continue;
        Reading r;
        r.name = name;
        r.unit = unit;
        r.method = method;
        r.evidence = {list[k].start_s, list[k].end_s, static_cast<int>(k)};
        fill(list[k], k, r);
        out.push_back(std::move(r));
    }
}

}  // namespace

void computeKneeTime(const AnalysisInput& in, std::vector<Reading>& out) {
    eachCv(in, out, "knee_time", "s", "taper_onset", [&](const Step& s, std::size_t k, Reading& r) {
        const bool hasBefore = k > 0 && in.steps.list[k - 1].isCharge();
        if (!hasBefore) {
            r.caveats.push_back(phrase(
                "Not measurable: this constant-voltage charge has no constant-current part before "
                "it in the log."));
            return;
        }
        if (s.cutByHand && in.steps.list[k - 1].kind == StepKind::CvCharge) {
            r.caveats.push_back(
                phrase("Not measurable: a hand cut it here, inside the constant voltage; the log "
                       "shows no knee."));
            return;
        }
        if (s.cutByHand)
            r.caveats.push_back(phrase("Its place was set by hand, not found in the log."));
        r.value = s.start_s - (s.cutByHand ? 0 : s.kneeBefore_s);
        r.uncertainty = std::max(s.kneeUncertainty_s, quantisation(in.recording.usualInterval_s()));
        r.coverage = coverageFactor(r.uncertainty, quantisation(in.recording.usualInterval_s()));
        r.evidence.from_s =
            std::max(in.steps.list[k - 1].start_s, s.start_s - 10 * in.recording.usualInterval_s());
        if (in.steps.list[k - 1].end_s - in.steps.list[k - 1].start_s < 60)
            r.caveats.push_back(phrase(
                "The set voltage was reached within the first minute of charging: the battery is "
                "cold, worn, or was nearly full."));
    });
}

void computeSetVoltage(const AnalysisInput& in, std::vector<Reading>& out) {
    eachCv(
        in, out, "cv_set_voltage", "V", "median_in_constant_voltage",
        [&](const Step& s, std::size_t, Reading& r) {
            const auto v = in.recording.voltage_V();
            std::vector<double> values(v.begin() + static_cast<std::ptrdiff_t>(s.first),
                                       v.begin() + static_cast<std::ptrdiff_t>(s.last) + 1);
            const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
            std::nth_element(values.begin(), middle, values.end());
            r.value = *middle;
            const ChannelQuality& q = in.recording.voltageQuality();
            r.uncertainty = quadrature({rectangle(in.accuracy.voltageGain * r.value),
                                        rectangle(in.accuracy.voltageOffsetSteps * q.resolution),
                                        1.2533 * q.ofMean(static_cast<double>(values.size()))});
            if (in.battery.series > 1)
                r.caveats.push_back(phrase("Pack voltage; divide by the series count for a cell."));
        });
}

void computeTaperEnd(const AnalysisInput& in, std::vector<Reading>& out) {
    eachCv(in, out, "taper_end_current", "A", "last_current_in_constant_voltage",
           [&](const Step& s, std::size_t, Reading& r) {
               const StopCurrent stop = stopCurrentOf(in.recording, in.accuracy, s);
               r.value = stop.value_A;
               r.uncertainty = stop.uncertainty_A;
               r.coverage = stop.coverage;
               r.evidence.from_s = stop.from_s;
               if (s.endedBy == EndedBy::EndOfLog)
                   r.caveats.push_back(phrase("The log ends here; the charge may have gone on."));
           });
}

void computeChargeInCv(const AnalysisInput& in, std::vector<Reading>& out) {
    eachCv(in, out, "charge_in_cv", "Ah", "coulomb_count_trapezoid",
           [&](const Step& s, std::size_t k, Reading& r) {
               // From the knee, between two rows, to the stop, between two others.
               const StopMoment stop = stopOf(in.recording, s);
               const auto c = in.recording.current_A();
               const Integral rows = integrate(in.recording, s.first, stop.last);
               const bool hasBefore = k > 0 && in.steps.list[k - 1].isCharge() && s.first > 0;
               const double plateau = hasBefore ? c[s.first - 1] : 0;
               const double knee_u =
                   hasBefore
                       ? std::max(s.kneeUncertainty_s, quantisation(in.recording.usualInterval_s()))
                       : 0;
               r.value = rows.charge_Ah + plateau * (hasBefore ? s.kneeBefore_s : 0) / 3600 +
                         c[stop.last] * (stop.at_s - in.recording.time_s()[stop.last]) / 3600;
               r.uncertainty = quadrature({chargeUncertainty_Ah(in.recording, rows, in.accuracy),
                                           plateau * knee_u / 3600,
                                           rectangle(c[stop.last] * stop.halfWidth_s / 3600)});
               r.coverage =
                   coverageFactor(r.uncertainty, rectangle(in.accuracy.currentGain * r.value));
           });
}

void computeMaxTemperature(const AnalysisInput& in, std::vector<Reading>& out) {
    if (!in.recording.hasTemperature()) return;
    const auto temp = in.recording.temperature_C();
    std::size_t at = temp.size();
    for (std::size_t k = 0; k < temp.size(); ++k)
        if (std::isfinite(temp[k]) && (at == temp.size() || temp[k] > temp[at])) at = k;
    if (at == temp.size()) return;
    Reading r;
    r.name = "max_temperature";
    r.unit = "C";
    r.method = "highest_sample";
    r.value = temp[at];
    r.uncertainty = quadrature({rectangle(in.accuracy.temperature_C),
                                quantisation(in.recording.temperatureQuality().resolution),
                                in.recording.temperatureQuality().noise});
    const double t = in.recording.time_s()[at];
    const int step = in.steps.at(t);
    r.evidence = {t, t, step};
    r.caveats.push_back(
        phrase("Skin temperature where the sensor sits; the core is warmer under load."));
    out.push_back(std::move(r));
}

}  // namespace nk
