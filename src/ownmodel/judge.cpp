#include "judge.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "analysis/finish/nickel.h"
#include "model_log.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// Of the current, or of the power.
double median(const Recording& r, const Step& s, bool power) {
    std::vector<double> values;
    const std::size_t stride = std::max<std::size_t>(1, (s.last - s.first) / 500);
    for (std::size_t k = s.first; k <= s.last; k += stride)
        if (std::isfinite(r.current_A()[k]) && std::isfinite(r.voltage_V()[k]))
            values.push_back(std::abs(r.current_A()[k] * (power ? r.voltage_V()[k] : 1)));
    if (values.empty()) return 0;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::ranges::nth_element(values, middle);
    return *middle;
}

double seconds(const Recording& r, const Step& s) {
    return r.time_s()[s.last] - r.time_s()[s.first];
}

/// A charge in one piece: the constant current and the constant voltage that follows it.
const Step* taperAfter(const Steps& steps, std::size_t k) {
    if (k + 1 < steps.list.size() && steps.list[k].kind == StepKind::CcCharge &&
        steps.list[k + 1].kind == StepKind::CvCharge)
        return &steps.list[k + 1];
    return nullptr;
}

/// A nickel charge as it went: to its peak and as far under it as it fell, or by the clock.
PredictStep asPeakCharge(const Recording& r, const Step& s, const Battery& battery, double amps) {
    PredictStep out;
    out.kind = PredictStep::Kind::PeakCharge;
    out.value = amps;
    out.duration_s = std::max(1.0, seconds(r, s));
    Steps alone;
    alone.list = {s};
    const InstrumentAccuracy accuracy;
    const AnalysisInput in{r, alone, battery, accuracy};
    for (const NickelCharge& c : nickelCharges(in))
        if (c.peaked) {
            out.duration_s = 0;
            out.drop_V = std::clamp(c.drop_V, 0.0, 0.05);
        }
    return out;
}

}  // namespace

std::optional<PredictStep> asPredicted(const Recording& r, const Step& s, const Battery& battery) {
    const Chemistry* c = battery.chemistryData();
    PredictStep out;
    out.value = median(r, s, false);
    const double cells = battery.cells();
    if (!(out.value > 0)) return std::nullopt;
    switch (s.kind) {
        case StepKind::CcCharge:
        case StepKind::CvCharge:
            if (c != nullptr && c->nickel()) return asPeakCharge(r, s, battery, out.value);
            out.kind = PredictStep::Kind::Charge;
            out.volts = s.endVoltage_V / cells;
            out.cutoff_A = std::abs(s.endCurrent_A);
            return out;
        case StepKind::CcDischarge:
        case StepKind::CpDischarge:
            out.kind = PredictStep::Kind::Discharge;
            if (s.kind == StepKind::CpDischarge) {
                out.kind = PredictStep::Kind::Power;
                out.value = median(r, s, true);
            }
            out.volts = s.endVoltage_V / cells;
            return out;
        default:
            return std::nullopt;
    }
}

double levelAt(const OwnModel& m, const ModelLog& log, const Battery& battery, std::size_t row,
               double start_Ah) {
    const Recording& r = *log.recording;
    if (row >= r.size()) return kNaN;
    const ThinnedLog thinned = thinnedLog(log, battery, *m.chemistry, m.nickel);
    if (!std::isfinite(start_Ah)) start_Ah = thinned.start_Ah;
    if (std::isfinite(start_Ah)) return 1 - (start_Ah - thinned.moved_Ah[row]) / m.capacity_Ah;
    double since_s = 0;
    for (const Step& s : log.steps->list)
        if (s.first <= row && row <= s.last) since_s = r.time_s()[row] - r.time_s()[s.first];
    const double warmth = r.hasTemperature() && std::isfinite(r.temperature_C()[row])
                              ? r.temperature_C()[row]
                              : (battery.hasAmbient() ? battery.ambient_C : 25);
    double unsure = 0;
    return levelUnderLoad(m, r.voltage_V()[row] / m.series, r.current_A()[row], since_s, warmth,
                          unsure);
}

double levelUnderLoad(const OwnModel& m, double cell_V, double amps, double since_s,
                      double warmth_C, double& uncertainty) {
    const double g = m.warmthFactor(warmth_C);
    const double slow = m.r_ohm[0] * (1 - std::exp(-since_s / m.tau_s[0])) +
                        m.r_ohm[1] * (1 - std::exp(-since_s / m.tau_s[1]));
    const double lag_Ah = m.lag_Ah_A * amps * (1 - std::exp(-since_s / m.lag_s));
    double low = -0.05 * m.scale_Ah;
    double high = 1.3 * m.scale_Ah;
    for (int k = 0; k < 60; ++k) {
        const double z = 0.5 * (low + high);
        double volts = m.ocv_V(z - lag_Ah) + amps * (m.r0At(z, warmth_C) + slow * g);
        if (m.nickel.known() && amps > 0)
            volts += m.nickel.riseAt_V(NickelCharging::before_Ah(z, m.nickel.extraAt(amps)) /
                                       m.scale_Ah);
        (volts > cell_V ? low : high) = z;
    }
    const double z = 0.5 * (low + high);
    const double hair = 0.01 * m.scale_Ah;
    const double slope = std::max(1e-6, (m.ocv_V(z - hair) - m.ocv_V(z + hair)) / (2 * hair));
    uncertainty = std::hypot(0.01, std::min(0.5, m.missesAt_V(z) / slope / m.capacity_Ah));
    return 1 - z / m.capacity_Ah;
}

void judgeStep(const OwnModel& m, const ModelLog& log, double start_Ah, LeftOutLog& into) {
    const Recording& r = *log.recording;
    Battery battery;
    battery.series = m.series;
    battery.chemistry = m.chemistry->id;
    battery.rated_Ah = m.capacity_Ah;
    struct Candidate {
        std::size_t step;
        PredictStep told;
        double took_s, charge_Ah;
    };
    constexpr double kLeast_s = 300;
    std::vector<Candidate> candidates;
    for (std::size_t k = 0; k < log.steps->list.size(); ++k) {
        const Step& step = log.steps->list[k];
        const Step* taper = taperAfter(*log.steps, k);
        const double took = seconds(r, step) + (taper != nullptr ? seconds(r, *taper) : 0);
        if (took <= kLeast_s || step.kind == StepKind::CvCharge) continue;
        auto told = asPredicted(r, step, battery);
        if (!told) continue;
        if (told->kind == PredictStep::Kind::PeakCharge) {
            if (told->duration_s > 0) continue;
        } else if (step.kind == StepKind::CcCharge) {
            if (taper == nullptr) continue;
            told->volts = taper->endVoltage_V / m.series;
            told->cutoff_A = std::abs(taper->endCurrent_A);
        } else if (step.endedBy != EndedBy::VoltageFloor) {
            continue;
        }
        candidates.push_back(
            {k, *told, took, step.sum.charge_Ah + (taper != nullptr ? taper->sum.charge_Ah : 0)});
    }
    // The longest; where the model finds no end of it, the next, a few at the most.
    std::ranges::stable_sort(candidates, std::greater(), &Candidate::took_s);
    constexpr std::size_t kMost = 3;
    if (candidates.size() > kMost) candidates.resize(kMost);
    for (const Candidate& c : candidates) {
        const Step& step = log.steps->list[c.step];
        PredictSetting setting;
        setting.startSoc = std::clamp(levelAt(m, log, battery, step.first, start_Ah), 0.0, 1.02);
        const bool warm = r.hasTemperature() && std::isfinite(r.temperature_C()[step.first]);
        setting.ambient_C = warm ? r.temperature_C()[step.first] : 25;
        const auto answer = predict(m, {c.told}, setting);
        if (!answer || !std::isfinite(answer->front().duration_s)) continue;
        into.measured_s = c.took_s;
        into.predicted_s = answer->front().duration_s;
        into.measured_Ah = c.charge_Ah;
        into.predicted_Ah = answer->front().charge_Ah;
        return;
    }
}

Expected<WhatIf> whatIf(const OwnModel& model, const ModelLog& log, const Battery& battery,
                        std::size_t step, const PredictStep& instead, double ambient_C) {
    if (step >= log.steps->list.size())
        return fail(ErrorKind::InvalidArgument, phrase("There is no step {}.", step + 1));
    const Recording& r = *log.recording;
    WhatIf out;
    out.measured = log.steps->list[step];
    const Step* taper = taperAfter(*log.steps, step);
    auto was = asPredicted(r, out.measured, battery);
    if (!was)
        return fail(ErrorKind::Unsupported, phrase("This step cannot be told again."), {},
                    phrase("a charge, or a discharge at one current."));
    if (taper != nullptr) {
        was->volts = taper->endVoltage_V / battery.cells();
        was->cutoff_A = std::abs(taper->endCurrent_A);
    }
    out.measured_s = seconds(r, out.measured) + (taper != nullptr ? seconds(r, *taper) : 0);
    out.startSoc = std::clamp(levelAt(model, log, battery, out.measured.first), 0.0, 1.02);
    const bool warm = r.hasTemperature() && std::isfinite(r.temperature_C()[out.measured.first]);
    out.warmth_C = warm                   ? r.temperature_C()[out.measured.first]
                   : battery.hasAmbient() ? battery.ambient_C
                                          : 25;
    auto asItWas = predict(model, {*was}, {out.startSoc, out.warmth_C});
    if (!asItWas) return tl::unexpected<Error>(asItWas.error());
    auto other = predict(model, {instead},
                         {out.startSoc, std::isfinite(ambient_C) ? ambient_C : out.warmth_C});
    if (!other) return tl::unexpected<Error>(other.error());
    out.asItWas = std::move(asItWas->front());
    out.instead = std::move(other->front());
    out.endSoc = out.instead.endSoc;
    out.endSocUncertainty = out.instead.endSocUncertainty;
    return out;
}

}  // namespace nk
