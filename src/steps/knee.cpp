#include "knee.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "knee_moment.h"

namespace nk {

double constantVoltageBand_V(const Recording& recording, double set_V) {
    const ChannelQuality& q = recording.voltageQuality();
    return std::max({4 * q.sigma(), 1.5 * q.resolution, 0.0015 * std::abs(set_V)});
}

std::optional<Knee> findKnee(const Recording& recording, std::size_t first, std::size_t last) {
    if (last < first + 4) return std::nullopt;
    const auto t = recording.time_s();
    const auto i = recording.current_A();
    const auto v = recording.voltage_V();
    const ChannelQuality& qi = recording.currentQuality();
    const double end_A =
        medianIn(i, std::max(first, last - std::min<std::size_t>(last - first, 2)), last);
    const double top_A = quantileIn(i, first, last, 0.98);
    const double margin0 = std::max({4 * qi.sigma(), 1.5 * qi.resolution, 0.002 * top_A});
    if (top_A - end_A < std::max(5 * margin0 / 4, 0.04 * top_A)) return std::nullopt;  // no fall

    Knee knee;
    knee.uncertainty_s = (t[last] - t[first]) / static_cast<double>(last - first) / std::sqrt(12.0);
    // The constant-voltage part must hold its voltage while the current falls, at the top of the
    // charge.
    const auto holds = [&](std::size_t from) {
        if (last < from + 2) return false;
        const double low = quantileIn(v, from, last, 0.03);
        const double high = quantileIn(v, from, last, 0.97);
        const double set = medianIn(v, from, last);
        const double fall = (quantileIn(i, from, std::min(last, from + 2), 0.5) - end_A) /
                            std::max(quantileIn(i, from, std::min(last, from + 2), 0.5), 1e-9);
        const double band = constantVoltageBand_V(recording, set);
        const double rise = high - low;
        const bool steady = rise <= 2 * band || (rise <= 0.015 * set && rise / set < 0.1 * fall);
        const double before = first < from ? quantileIn(v, first, from - 1, 0.97) : low;
        return steady && before <= high + 2 * band;
    };

    // By the current: the last sample that is still on the plateau, for a flat plateau.
    const auto byCurrent = [&](double plateau, double margin) {
        std::size_t k = last;
        while (k > first && i[k] < plateau - margin) --k;
        return k + 1;
    };
    std::vector<double> high;
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 20000);
    for (std::size_t k = first; k <= last; k += stride)
        if (i[k] > top_A - 2 * margin0) high.push_back(i[k]);
    double plateau = middleOf(high);
    const double margin = std::max({3 * qi.sigma(), 1.01 * qi.resolution, 1e-5 * plateau});
    std::size_t k = byCurrent(plateau, margin);
    const double interval = knee.uncertainty_s * std::sqrt(12.0);
    bool found = k <= last && k > first + 1 && holds(k);
    if (found && static_cast<double>(high.size() * stride) < 2.5) found = false;
    if (!found) {
        // By the voltage: the longest tail that stays within the band of its own median.
        const double set = medianIn(v, last - (last - first) / 8, last);
        for (const double widen : {1.0, 3.0}) {
            const double band = constantVoltageBand_V(recording, set) * widen;
            std::size_t from = last;
            std::size_t outside = 0;
            while (from > first && outside < 3) {
                --from;
                outside = std::abs(v[from] - set) > band ? outside + 1 : 0;
            }
            from = std::min(last, outside > 0 ? from + outside : from);
            if (from + 3 > last || !holds(from)) continue;
            const double start_A = medianIn(i, from, std::min(last, from + 4));
            if (start_A - end_A < std::max(2 * margin0, 0.04 * start_A)) continue;
            k = std::max(from, first + 1);
            knee.fromStart = from <= first + 2;
            if (!knee.fromStart) {
                const std::size_t back =
                    from - std::min<std::size_t>(from - first,
                                                 std::max<std::size_t>(5, (from - first) / 20));
                plateau = medianIn(i, back, from - 1);
                const std::size_t sharper = byCurrent(plateau, std::max(margin, 0.003 * plateau));
                if (sharper <= last && sharper > first && holds(sharper) && sharper + 5 > from / 2)
                    k = sharper;
            } else {
                plateau = i[first];
                k = first;
            }
            found = true;
            break;
        }
    }
    if (!found) return std::nullopt;
    knee.sample = k;
    knee.plateau_A = plateau;
    if (knee.fromStart) return knee;
    // A plateau must begin the stretch: a short beginning in which the current falls already is a
    // charge that was at its voltage when it began.
    constexpr double kShort = 0.05;
    const double beginning = t[k] - t[first];
    if (k >= first + 2 && beginning < kShort * (t[last] - t[first])) {
        const double start = i[std::min(first + 1, k - 1)];
        if (start - i[k - 1] > std::max({4 * qi.sigma(), 1.5 * qi.resolution, 0.03 * start})) {
            knee.fromStart = true;
            knee.sample = first;
            knee.plateau_A = start;
            return knee;
        }
    }
    // When the fall of one interval drowns in the noise, look at more samples at once.
    const std::size_t ahead = std::min(last, k + 10);
    const double fallPerSample =
        std::abs(plateau - medianIn(i, ahead - std::min<std::size_t>(ahead - k, 3), ahead)) /
        std::max<double>(1, static_cast<double>(ahead - k));
    // The first sample that shows the fall comes up to one interval after the turn, and later by
    // what the fall needs to leave the margin.
    const double wide = interval * (1 + margin / std::max(fallPerSample, 1e-12));
    knee.uncertainty_s = rectangle(0.5 * interval);
    if (fallPerSample < 2.5 * margin) {
        refineKnee(recording, first, last, knee);
    } else {
        // The turn lies anywhere in that stretch before the first sample that shows it: its middle,
        // and a rectangle.
        knee.before_s = 0.5 * wide;
        knee.uncertainty_s = rectangle(0.5 * wide);
    }
    return knee;
}

}  // namespace nk
