#include "current_zero.h"

#include <algorithm>
#include <cmath>

namespace nk {

namespace {

/// Whether three rows in a row read nothing.
bool standsAtNothing(std::span<const double> current_A, double step_A) {
    int run = 0;
    for (const double i : current_A) {
        run = std::abs(i) < step_A ? run + 1 : 0;
        if (run == 3) return true;
    }
    return false;
}

}  // namespace

std::optional<CurrentZero> currentZero(const Recording& recording, const Steps& steps,
                                       const InstrumentAccuracy& accuracy) {
    const ChannelQuality& q = recording.currentQuality();
    if (!(q.resolution > 0)) return std::nullopt;
    const auto i = recording.current_A();
    const auto t = recording.time_s();
    struct Part {
        double mean = 0, n = 0;
    };
    std::vector<Part> parts;
    double sum = 0;
    double rows = 0;
    double length_s = 0;
    double moves = 0;
    for (const Step& s : steps.list) {
        if (s.kind != StepKind::Rest || s.last < s.first + 4) continue;
        // The rows beside an edge may hold a part of it.
        const std::size_t stride = std::max<std::size_t>(1, (s.last - s.first) / 2000);
        Part p;
        for (std::size_t k = s.first + 2; k + 1 < s.last; k += stride) {
            p.mean += i[k], ++p.n;
            moves += std::abs(i[k] - i[k + 1]) > 0.5 * q.resolution;
        }
        if (p.n < 3) continue;
        sum += p.mean, rows += p.n;
        length_s += t[s.last] - t[s.first];
        p.mean /= p.n;
        parts.push_back(p);
    }
    constexpr double kFewestRows = 20, kShortest_s = 60;
    if (rows < kFewestRows || length_s < kShortest_s) return std::nullopt;
    CurrentZero out;
    out.value_A = sum / rows;
    // Neighbours of a filtered logger are no rows of their own: fifty at most.
    const double scatter = q.noise / std::sqrt(std::min(rows, 50.0));
    // A display that never moves hides where in its code the zero lies, and so does that of the
    // load.
    constexpr double kRounded = 0.4;
    const bool dithers = q.noise >= 0.4 * q.resolution;
    out.uncertainty_A = std::hypot(scatter, dithers ? 0.1 * q.resolution : kRounded * q.resolution);
    // Levels that are multiples of one are codes of a display only where it moves by them at rest.
    constexpr double kOften = 0.02, kTimes = 4;
    const bool codes = moves >= std::max(kTimes, kOften * rows);
    // Where a display that does not move reads nothing for a while, that is its zero; what it reads
    // at other rests is a small load.
    if (!codes && standsAtNothing(i, 0.5 * q.resolution)) return std::nullopt;
    const double written = recording.data().textStep_A;
    const double step = codes || !(written > 0) ? q.resolution : std::min(q.resolution, written);
    const double limit = accuracy.currentOffsetSteps * step;
    if (std::abs(out.value_A) > limit + 2 * scatter) return std::nullopt;
    // A display that reads nothing at rest may hide what it adds under load, and chance is no zero.
    constexpr double kChance = 2.5;
    if (std::abs(out.value_A) < std::max(0.05 * q.resolution, kChance * scatter))
        return std::nullopt;
    for (const Part& p : parts) {
        const double own = q.noise / std::sqrt(std::min(p.n, 50.0));
        if (std::abs(p.mean - out.value_A) > 3 * std::hypot(own, scatter) + 0.3 * q.resolution)
            return std::nullopt;
    }
    return out;
}

RecordingPtr withoutZero(const Recording& recording, const CurrentZero& zero) {
    RecordingData data = recording.data();
    for (double& i : data.current_A) i -= zero.value_A;
    return Recording::make(std::move(data));
}

}  // namespace nk
