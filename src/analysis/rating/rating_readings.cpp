#include "rating_readings.h"

#include "rating.h"

namespace nk {

namespace {

const std::vector<DischargeCurve>& curvesOf(const AnalysisInput& in) {
    return in.memo->remember<std::vector<DischargeCurve>>("discharge curves",
                                                          [&] { return dischargeCurves(in); });
}

/// The rating of the recording alone; an error when it holds no steady discharge.
const Expected<Rating>& ratingOf(const AnalysisInput& in) {
    return in.memo->remember<Expected<Rating>>("rating", [&] {
        const auto& curves = curvesOf(in);
        std::vector<HeatTrace> traces;
        if (!curves.empty() && in.recording.hasTemperature()) traces.push_back(heatTrace(in));
        return rateBattery(curves, traces, in.battery, in.accuracy);
    });
}

void compute(const AnalysisInput& in, std::vector<Reading>& out, const char* name, const char* view,
             const char* method) {
    // Said only where there is a discharge to rate; the reason is in the caveat.
    const auto& rating = ratingOf(in);
    if (!rating) return;
    const RatingView* v = rating->view(view);
    Reading r;
    r.name = name;
    r.unit = "C-rate";
    r.method = method;
    r.value = v->c_rate;
    if (v->known()) r.uncertainty = v->uncertainty_A / rating->rated_Ah;
    r.caveats = v->caveats;
    const auto t = in.recording.time_s();
    r.evidence = {t.front(), t.back(), -1};
    for (const DischargeCurve& c : curvesOf(in)) {
        const Step& s = in.steps.list[static_cast<std::size_t>(c.step)];
        r.evidence = {s.start_s, s.end_s, c.step};
        break;
    }
    out.push_back(std::move(r));
}

}  // namespace

void computeTrueCSag(const AnalysisInput& in, std::vector<Reading>& out) {
    compute(in, out, "true_c_sag", "sag", "loaded_voltage_over_floor");
}
void computeTrueCHeat(const AnalysisInput& in, std::vector<Reading>& out) {
    compute(in, out, "true_c_heat", "heat", "thermal_fit");
}
void computeTrueCAdiabatic(const AnalysisInput& in, std::vector<Reading>& out) {
    compute(in, out, "true_c_adiabatic", "adiabatic", "adiabatic_bound");
}

}  // namespace nk
