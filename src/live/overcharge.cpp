#include "overcharge.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"
#include "quantity/reading.h"

namespace nk {

namespace {

/// Stretches that are looked at, from the end of the rows back.
constexpr double kNickelWindow_s = 285, kHeld_s = 600;
/// Under this a nickel cell that is charged is not near full (common practice).
constexpr double kNickelHigh_V = 1.38;
/// Between trickle and this nothing is said: a slow charge is made to go on (IEC 61951-2).
constexpr double kLeastRate_C = 0.15;
/// A current is steady when it stays within this share of its mean.
constexpr double kSteady = 0.05;
constexpr double kWarming_Cmin = 0.08;

struct Mean {
    double sum = 0, squares = 0, count = 0;
    void take(double x) {
        if (!std::isfinite(x)) return;
        sum += x, squares += x * x, count += 1;
    }
    double value() const { return count > 0 ? sum / count : kNaN; }
    double spread() const {
        return count > 1 ? std::sqrt(std::max(0.0, squares / count - value() * value())) : 0;
    }
};

std::optional<Overcharge> pastPeak(const Recording& r, const Battery& b, const Chemistry& c,
                                   double start_s, std::size_t until) {
    const auto t = r.time_s().first(until);
    const double end = t.back();
    if (end - start_s < kNickelWindow_s - 1e-6) return std::nullopt;
    const double from = end - kNickelWindow_s;
    const auto first = static_cast<std::size_t>(std::ranges::lower_bound(t, from) - t.begin());
    if (t.size() - first < 6) return std::nullopt;
    Mean early, late, amps, cool, warm, all;
    double least_A = 1e300;
    double most_A = -1e300;
    for (std::size_t k = first; k < t.size(); ++k) {
        const double at = (t[k] - from) / kNickelWindow_s;
        const double volts = r.voltage_V()[k] / b.cells();
        const double amp = r.current_A()[k];
        amps.take(amp);
        all.take(volts);
        least_A = std::min(least_A, amp);
        most_A = std::max(most_A, amp);
        if (at <= 0.34) early.take(volts);
        if (at >= 0.66) late.take(volts);
        if (r.hasTemperature() && at <= 0.34) cool.take(r.temperature_C()[k]);
        if (r.hasTemperature() && at >= 0.66) warm.take(r.temperature_C()[k]);
    }
    const double current = amps.value();
    if (!(current > 0) || most_A - least_A > kSteady * current) return std::nullopt;
    if (b.capacity_Ah() > 0 && current / b.capacity_Ah() < kLeastRate_C) return std::nullopt;
    if (!(late.value() > kNickelHigh_V) || early.count < 2 || late.count < 2) return std::nullopt;
    const double step = r.voltageQuality().resolution / b.cells();
    const double noise =
        std::hypot(std::min(early.spread(), late.spread()), step / std::sqrt(12.0));
    const double doubt = 2 * noise * std::sqrt(1 / early.count + 1 / late.count);
    const double fell = early.value() - late.value();
    constexpr double kThirds = 0.66;
    const double warming = (warm.value() - cool.value()) / (kThirds * kNickelWindow_s / 60);
    const bool falls = fell > std::max(doubt, 0.15 * c.peakDrop_V);
    const bool warms = std::isfinite(warming) && warming > kWarming_Cmin && fell > -0.5 * doubt;
    if (!falls && !warms) return std::nullopt;
    return Overcharge{from, "past_peak",
                      falls ? phrase("the voltage falls while it is charged: it is past its peak")
                            : phrase("it warms and its voltage rises no more: it is full")};
}

std::optional<Overcharge> heldFull(const Recording& r, const Battery& b, const Chemistry& c,
                                   double start_s, std::size_t until) {
    const double cutoff = b.charger.cutoff_A > 0 ? b.charger.cutoff_A
                          : b.capacity_Ah() > 0  ? b.capacity_Ah() / 20
                                                 : 0;
    if (!(cutoff > 0)) return std::nullopt;
    const auto t = r.time_s().first(until);
    constexpr double kUnder_V = 0.03, kRoom = 0.95;
    std::size_t k = t.size();
    while (k > 0 && t[k - 1] >= start_s) {
        const double amps = r.current_A()[k - 1];
        if (!(amps > 0 && amps < kRoom * cutoff) ||
            r.voltage_V()[k - 1] / b.cells() < c.set_V - kUnder_V)
            break;
        --k;
    }
    if (k >= t.size() || t.back() - t[k] < kHeld_s) return std::nullopt;
    return Overcharge{t[k], "held_full",
                      phrase("it is full (under {:.3g} A) and is held on", cutoff)};
}

}  // namespace

std::optional<Overcharge> overchargeOf(const Recording& r, const Battery& b, double start_s,
                                       std::size_t until) {
    const Chemistry* c = b.chemistryData();
    if (c == nullptr || until < 6 || b.series < 1) return std::nullopt;
    return c->nickel() ? pastPeak(r, b, *c, start_s, until) : heldFull(r, b, *c, start_s, until);
}

}  // namespace nk
