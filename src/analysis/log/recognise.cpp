#include "recognise.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "chemistry/identify.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "steps/step.h"

namespace nk {

namespace {

/// Means of `bins` equal stretches of samples [first, last].
std::vector<double> means(std::span<const double> v, std::size_t first, std::size_t last,
                          std::size_t bins) {
    std::vector<double> out;
    const std::size_t n = last - first + 1;
    for (std::size_t b = 0; b < bins; ++b) {
        const std::size_t from = first + b * n / bins;
        const std::size_t to = first + (b + 1) * n / bins;
        double sum = 0;
        for (std::size_t k = from; k < to; ++k) sum += v[k];
        out.push_back(sum / std::max<double>(1, static_cast<double>(to - from)));
    }
    return out;
}

/// The highest voltage of a steady charge, when it falls behind it; NaN: it does not.
double peakOf(const Recording& r, const Step& s) {
    constexpr std::size_t kBins = 60;
    if (s.end_s - s.start_s < 600 || s.last - s.first < 4 * kBins) return kNaN;
    const std::vector<double> v = means(r.voltage_V(), s.first, s.last, kBins);
    // The current must not change while the voltage falls: a lithium charge's tail does.
    const std::vector<double> i = means(r.current_A(), s.first, s.last, kBins);
    const auto top = std::max_element(v.begin(), v.end());
    const auto at = static_cast<std::size_t>(top - v.begin());
    if (at < kBins / 3 || at + 2 > kBins) return kNaN;
    const double fall = *top - v.back();
    const double steady = std::abs(i.back() / i[at] - 1);
    const double noise = r.voltageQuality().ofMean(static_cast<double>(s.last - s.first) / kBins);
    return fall > std::max(0.0015 * *top, 4 * noise) && steady < 0.03 ? *top : kNaN;
}

/// The kind of this trait that may be assumed; empty: none.
std::string kindOf(const std::function<bool(const Chemistry&)>& trait) {
    for (const Chemistry& c : chemistries())
        if (std::isfinite(c.guessHandicap) && trait(c)) return c.id;
    return {};
}

}  // namespace

Recognised recogniseFromCurve(const Recording& r) {
    Recognised out;
    if (r.size() < 60) return out;
    const Steps steps = findSteps(r, {});
    for (const Step& s : steps.list) {
        if (!s.isCharge() || s.kind == StepKind::CvCharge) continue;
        const double peak = peakOf(r, s);
        if (std::isnan(peak)) continue;
        out.chemistry = kindOf([](const Chemistry& c) { return c.nickel(); });
        out.series = std::max(1, static_cast<int>(std::lround(peak / 1.46)));
        out.because = phrase("The voltage peaks and falls while the current stays: nickel.");
        return out;
    }
    for (const Step& s : steps.list) {
        if (s.kind != StepKind::CvCharge || s.end_s - s.start_s < 240) continue;
        std::vector<double> v(r.voltage_V().begin() + static_cast<std::ptrdiff_t>(s.first),
                              r.voltage_V().begin() + static_cast<std::ptrdiff_t>(s.last) + 1);
        std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
        const double held = v[v.size() / 2];
        LabelFacts facts;
        facts.max_V = held;
        if (!r.cells_V().empty()) facts.cells = static_cast<double>(r.cells_V().size());
        const auto found = identifyBattery(facts);
        if (!found) continue;
        for (const BatteryCandidate& c : found->candidates) {
            const Chemistry& kind = **findChemistry(c.chemistry);
            if (kind.nickel() || std::abs(held / c.series - kind.set_V) > 0.03) continue;
            out.chemistry = c.chemistry;
            out.series = c.series;
            out.because = phrase("The charger held {}: {} cells at {:.2f} V.",
                                 shortValue(held, "V"), c.series, held / c.series);
            return out;
        }
    }
    for (const Step& s : steps.list) {
        if (s.kind != StepKind::CcDischarge || s.end_s - s.start_s < 1800 || s.last - s.first < 80)
            continue;
        const std::vector<double> v = means(r.voltage_V(), s.first, s.last, 20);
        const double middle = v[10];
        const double slope = (v[4] - v[15]) / middle;
        // Under a small load such a kind stays a little over what its label prints.
        const std::string flat = kindOf([](const Chemistry& c) { return c.flat; });
        if (flat.empty()) break;
        const Chemistry& kind = **findChemistry(flat);
        const double level = kind.nominal_V + 0.04;
        const int n = static_cast<int>(std::lround(middle / level));
        // Under half a per cent a tenth of the charge, at the voltage LFP stays at.
        if (slope < 0 || slope > 0.03 || n < 1 || std::abs(middle / n - level) > 0.07) continue;
        out.chemistry = flat;
        out.series = n;
        out.because =
            phrase("The discharge stays flat near {:.2f} V a cell: {}.", middle / n, kind.name());
        return out;
    }
    return out;
}

}  // namespace nk
