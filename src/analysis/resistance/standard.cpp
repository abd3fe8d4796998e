#include "standard.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "quantity/format.h"

namespace nk {

namespace {

struct Procedure {
    const char* cell;
    double low_C, high_C, high_s;
};

bool close(double value, double wanted) {
    return std::abs(value - wanted) <= 0.15 * wanted;
}

double meanOver(std::span<const double> x, std::size_t first, std::size_t last) {
    double sum = 0;
    for (std::size_t k = first; k <= last; ++k) sum += x[k];
    return sum / static_cast<double>(last - first + 1);
}

}  // namespace

std::vector<TwoLevel> twoLevelResistances(const AnalysisInput& in) {
    std::vector<TwoLevel> out;
    const double rated = in.battery.capacity_Ah();
    const Chemistry* c = in.chemistry();
    if (rated <= 0 || c == nullptr) return out;
    static constexpr Procedure kLithium[] = {{"", 0.2, 1.0, 1}};
    static constexpr Procedure kNickel[] = {
        {"L", 0.2, 2.0, 3}, {"M", 0.5, 5.0, 3}, {"H and X", 1.0, 10.0, 3}};
    const std::span<const Procedure> procedures =
        c->nickel() ? std::span<const Procedure>(kNickel) : std::span<const Procedure>(kLithium);
    const Recording& r = in.recording;
    const auto t = r.time_s();
    const auto v = r.voltage_V();
    const auto i = r.current_A();
    const ChannelQuality& qv = r.voltageQuality();
    for (std::size_t k = 1; k < in.steps.list.size(); ++k) {
        const Step& low = in.steps.list[k - 1];
        const Step& high = in.steps.list[k];
        if (!low.isDischarge() || !high.isDischarge()) continue;
        const double held = high.start_s - low.start_s;
        for (const Procedure& p : procedures) {
            if (!close(-low.meanCurrent_A, p.low_C * rated) ||
                !close(-high.meanCurrent_A, p.high_C * rated) || held < 8.5)
                continue;
            // U1 at the end of the first level; U2 at the nominal delay, or at the last sample
            // before when the second level ends with it.
            const double wanted = high.start_s + p.high_s;
            std::size_t at = std::clamp(r.nearest(wanted), high.first, high.last);
            if (t[at] > wanted + 0.1 * p.high_s && at > high.first) --at;
            if (wanted - t[at] > std::max(0.1 * p.high_s, 1.01 * r.usualInterval_s())) continue;
            TwoLevel m;
            const std::size_t last = low.last;
            // Up to three samples against the noise, as long as their drift drowns in it.
            std::size_t first = last;
            while (qv.noise >= 0.5 * qv.resolution && last - first < 2 && first > low.first + 2 &&
                   t[last] - t[first - 1] <= 2 && std::abs(v[first - 1] - v[last]) < 3 * qv.sigma())
                --first;
            const double u1 = meanOver(v, first, last);
            const double i1 = -meanOver(i, first, last);
            const double u2 = v[at];
            const double i2 = -i[at];
            if (i2 - i1 <= 0) continue;
            m.low_A = i1, m.high_A = i2;
            m.lowHeld_s = held;
            m.highDelay_s = t[at] - high.start_s;
            m.resistance_ohm = (u1 - u2) / (i2 - i1);
            const double single = qv.noise >= 0.5 * qv.resolution
                                      ? qv.sigma()
                                      : std::hypot(qv.noise, quantisation(qv.resolution));
            m.uncertainty_ohm = quadrature(
                {single * std::sqrt(2.0) / (i2 - i1),
                 m.resistance_ohm * rectangle(in.accuracy.voltageGain),
                 m.resistance_ohm * rectangle(in.accuracy.currentGain),
                 m.resistance_ohm * r.currentQuality().sigma() * std::sqrt(2.0) / (i2 - i1)});
            m.step = static_cast<int>(k);
            m.from_s = low.start_s;
            m.to_s = high.end_s;
            m.cell = p.cell;
            if (held > 13 || held < 9.5)
                m.note = phrase("The first level was held for {}, the standard has 10 s.",
                                durationText(held));
            else if (std::abs(m.highDelay_s - p.high_s) > 0.1 * p.high_s)
                m.note =
                    phrase("Read {} into the second level, the standard has {:.0f} s: log faster.",
                           durationText(m.highDelay_s), p.high_s);
            if (m.resistance_ohm > 0) out.push_back(std::move(m));
            break;
        }
    }
    return out;
}

namespace {

void compute(const AnalysisInput& in, std::vector<Reading>& out, const char* name) {
    for (const TwoLevel& m : twoLevelResistances(in)) {
        Reading r;
        r.name = name;
        r.unit = "ohm";
        r.method = "two_level_dc";
        r.value = m.resistance_ohm;
        r.uncertainty = m.uncertainty_ohm;
        r.evidence = {m.from_s, m.to_s, m.step};
        r.caveats.push_back(phrase("{} for {}, then {}, read after {}.", shortValue(m.low_A, "A"),
                                   durationText(m.lowHeld_s), shortValue(m.high_A, "A"),
                                   durationText(m.highDelay_s)));
        if (!m.cell.empty())
            r.caveats.push_back(
                phrase("Levels of cell type ") + m.cell +
                phrase(", written down from memory: check them against the standard."));
        if (!m.note.empty()) r.caveats.push_back(m.note);
        out.push_back(std::move(r));
    }
}

bool nickel(const AnalysisInput& in) {
    return in.chemistry() != nullptr && in.chemistry()->nickel();
}

}  // namespace

void computeResistanceIec61960(const AnalysisInput& in, std::vector<Reading>& out) {
    if (!nickel(in)) compute(in, out, "resistance_iec61960");
}
void computeResistanceIec61951(const AnalysisInput& in, std::vector<Reading>& out) {
    if (nickel(in)) compute(in, out, "resistance_iec61951");
}

}  // namespace nk
