#include "segment.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <optional>

#include "knee.h"
#include "quantity/extent.h"
#include "quantity/two_threads.h"

namespace nk {

namespace {

/// More samples than this are no longer taken for one edge; it bounds the search for it.
constexpr std::size_t kEdgeSamples = 64;

/// From how many rows on a second thread is worth its start.
constexpr std::size_t kManyRows = 100'000;

/// Nothing below is decided by a law where the current's relative spread is under this.
constexpr double kSteadyCurrent = 0.004;

double medianCurrent(const Recording& recording, std::size_t first, std::size_t last) {
    std::vector<double> values;
    const auto i = recording.current_A();
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 4000);
    for (std::size_t k = first; k <= last; k += stride) values.push_back(i[k]);
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// A logger that samples densely while the current changes sees the edge itself, in many levels
/// within a blink. What lies between its neighbours' currents and lasts a small part of the usual
/// interval belongs to the step that follows.
void joinEdges(const Recording& recording, std::vector<Segment>& segments) {
    const auto t = recording.time_s();
    const double blink_s = edgeLongest_s(recording);
    for (std::size_t s = 1; s + 1 < segments.size();) {
        const Segment& seg = segments[s];
        const Segment& before = segments[s - 1];
        Segment& after = segments[s + 1];
        const double low = std::min(before.level_A, after.level_A);
        const double high = std::max(before.level_A, after.level_A);
        const bool between = seg.level_A > low && seg.level_A < high;
        if (between && t[after.first] - t[before.last] < blink_s) {
            after.first = seg.first;
            segments.erase(segments.begin() + static_cast<std::ptrdiff_t>(s));
        } else {
            ++s;
        }
    }
}

}  // namespace

double edgeLongest_s(const Recording& recording) {
    return std::min(0.5, 0.2 * recording.usualInterval_s());
}

namespace {

/// What the voltage may move in a gap after row `g`, by its pace before and after it, three times
/// over: a curve bends.
double goesOn_V(const Recording& recording, std::size_t g) {
    const auto t = recording.time_s();
    const auto v = recording.voltage_V();
    const double gap_s = t[g + 1] - t[g];
    std::size_t from = g;
    while (from > 0 && t[g] - t[from] < gap_s) --from;
    std::size_t to = g + 1;
    while (to + 1 < t.size() && t[to] - t[g + 1] < gap_s) ++to;
    const auto pace = [&](std::size_t a, std::size_t b) {
        return t[b] > t[a] ? std::abs(v[b] - v[a]) / (t[b] - t[a]) : 0.0;
    };
    constexpr double kBends = 3;
    return kBends * std::max(pace(from, g), pace(g + 1, to)) * gap_s;
}

}  // namespace

std::vector<Segment> cutSegments(const Recording& recording, const RestLevel& rest,
                                 const std::vector<RestlessStretch>& restless) {
    const double restThreshold = rest.threshold_A;
    const double zero_A = rest.zero_A;
    std::vector<Segment> out;
    const auto i = recording.current_A();
    const auto t = recording.time_s();
    const auto v = recording.voltage_V();
    const std::size_t n = recording.size();
    if (n == 0) return out;
    const double blink_s = edgeLongest_s(recording);
    const double sigma = recording.currentQuality().sigma();
    const double sigmaV = recording.voltageQuality().sigma();

    std::vector<char> splitBefore(n, 0);
    for (const Gap& gap : recording.gaps()) {
        // A gap splits only where current or voltage disagree on its two sides.
        const std::size_t g = gap.before;
        if (g + 1 >= n) continue;
        const double di = std::abs(i[g + 1] - i[g]);
        // Under a load that is the same on both sides the voltage goes on at its pace.
        double dv = std::abs(v[g + 1] - v[g]);
        if (std::abs(i[g]) > restThreshold && std::abs(i[g + 1]) > restThreshold &&
            (v[g + 1] - v[g]) * i[g] > 0)
            dv = std::max(0.0, dv - goesOn_V(recording, g));
        if (di > std::max(6 * sigma, 0.05 * std::abs(i[g])) ||
            dv > std::max(10 * sigmaV, 0.02 * v[g]))
            splitBefore[g + 1] = 1;
    }
    const auto direction = [&](std::size_t k) {
        const double x = i[k] - zero_A;
        return x > restThreshold ? 1 : x < -restThreshold ? -1 : 0;
    };

    // Most samples are no edge: the current keeps its direction, and nothing within three samples
    // is as large as any jump must be.
    std::vector<char> edge(n, 0);
    inTwo(n, kManyRows, [&](std::size_t from, std::size_t to) {
        for (std::size_t k = std::max<std::size_t>(from, 1); k < to; ++k) {
            const int here = direction(k);
            const auto small = [&](std::size_t m) {
                return std::abs(i[std::min(m, n - 1)] - i[k - 1]) < 8 * sigma;
            };
            edge[k] = here != direction(k - 1) || splitBefore[k] != 0 ||
                      (here != 0 && !(small(k) && small(k + 1) && small(k + 2)));
        }
    });

    std::size_t first = 0;
    int current = direction(0);
    const auto close = [&](std::size_t last) {
        if (last + 1 > first)
            out.push_back({first, last, current, 0, StepKind::Rest, false, false, 0, 0});
        first = last + 1;
    };
    // How much a sample the current changed anyway before a and after b: a fall that goes on at
    // its pace, seen in coarse steps, has no jumps.
    const auto trend_A = [&](std::size_t a, std::size_t b) {
        constexpr std::size_t kFew = 4;
        constexpr std::size_t kSide = 8;
        const std::size_t left = std::min(kSide, a - first);
        const std::size_t right = std::min(kSide, n - 1 - b);
        if (left < kFew || right < kFew || direction(b + right) != current) return 0.0;
        return std::min(std::abs(i[a] - i[a - left]) / static_cast<double>(left),
                        std::abs(i[b + right] - i[b]) / static_cast<double>(right));
    };
    // What the voltage answered when this charge began, Ω. A jump of the current that would have
    // shown so, and at and behind which the voltage stays, is no other level: the voltage is what
    // is held.
    double answer_ohm = 0;
    const double still_V = std::max(3 * sigmaV, 1.5 * recording.voltageQuality().resolution);
    const auto held = [&](std::size_t a, std::size_t b, double jump_A) {
        if (current <= 0 || a <= first) return false;
        // It may have been rising up to here.
        const double drift_V = std::abs(v[a] - v[a - 1]) * static_cast<double>(b - a);
        if (answer_ohm * std::abs(jump_A) < 1.2 * (still_V + drift_V)) return false;
        for (std::size_t m = b; m <= std::min(b + 2, n - 1); ++m)
            if (std::abs(v[m] - v[a]) > still_V || direction(m) != current) return false;
        return true;
    };
    auto stretch = restless.begin();
    for (std::size_t k = 0; k < n; ++k) {
        if (stretch != restless.end() && k == stretch->first) {
            if (k > 0) close(k - 1);
            double charge = 0;
            for (std::size_t m = stretch->first; m < stretch->last; ++m)
                charge += i[m] * (t[m + 1] - t[m]);
            out.push_back({stretch->first, stretch->last, charge < 0 ? -1 : 1, 0,
                           StepKind::Variable, false, false, 0, 0});
            k = stretch->last;
            first = k + 1;
            if (first < n) current = direction(first);
            answer_ohm = 0;
            ++stretch;
            continue;
        }
        // The next stretch is another's: no jump is looked for across its start.
        const std::size_t end = stretch != restless.end() ? stretch->first : n;
        if (edge[k] == 0) {
            const void* const next = std::memchr(edge.data() + k, 1, end - k);
            k = next == nullptr
                    ? end - 1
                    : static_cast<std::size_t>(static_cast<const char*>(next) - edge.data()) - 1;
            continue;
        }
        if (k == first) continue;
        const int here = direction(k);
        if (here != current || splitBefore[k]) {
            close(k - 1);
            if (here != current) {
                // Only what stands well out of the display is an answer.
                const double dv = v[k] - v[k - 1];
                answer_ohm = here > 0 && dv > 3 * still_V ? dv / (i[k] - i[k - 1]) : 0;
            }
            current = here;
            continue;
        }
        if (current == 0) continue;
        // A jump stands alone: the changes before and after it are much smaller. The fall after a
        // knee goes on at a similar pace and is none. Up to two samples may lie on the way, or
        // some dozens within a blink.
        for (std::size_t width = 1; k + width <= n && width <= kEdgeSamples; ++width) {
            const std::size_t a = k - 1;
            const std::size_t b = k - 1 + width;
            if (b >= end || direction(b) != current) break;
            if (width > 3 && t[b] - t[a] >= blink_s) break;
            const double jump = i[b] - i[a];
            const double needed =
                std::max(8 * sigma, 0.03 * std::max(std::abs(i[a]), std::abs(i[b])));
            if (std::abs(jump) < needed) continue;
            // It begins here and not a sample later.
            if (width > 1 && std::abs(i[k] - i[a]) < std::max(4 * sigma, 0.01 * std::abs(jump)))
                continue;
            const double before = a > first ? std::abs(i[a] - i[a - 1]) : 0;
            const double after =
                b + 1 < n && direction(b + 1) == current ? std::abs(i[b + 1] - i[b]) : 0;
            const double quiet = std::max(0.3 * std::abs(jump), 4 * sigma);
            if (before > quiet || after > quiet) continue;
            bool monotone = true;
            for (std::size_t m = a; m < b; ++m) monotone &= (i[m + 1] - i[m]) * jump >= 0;
            if (!monotone || std::abs(jump) < 3 * trend_A(a, b) * static_cast<double>(width))
                continue;
            // A falling charge current whose voltage stays or still creeps up and which goes on
            // falling is a taper seen by a slow logger: a real step down would lower the voltage
            // by R·ΔI.
            if (current > 0 && jump < 0 &&
                v[b] - v[a] >= -std::max(3 * sigmaV, 1.5 * recording.voltageQuality().resolution)) {
                const std::size_t ahead = std::min(b + 3, n - 1);
                if (direction(ahead) == current && i[b] - i[ahead] > 0.15 * std::abs(jump))
                    continue;
            }
            if (held(a, b, jump)) continue;
            // An edge seen in a blink belongs to the step that follows.
            close(width == 1 || t[b] - t[a] < blink_s ? k - 1 : b - 1);
            k = b;
            break;
        }
    }
    if (first < n) close(n - 1);

    // Flicker about the threshold: short weak stretches between rests are rest.
    std::vector<Segment> merged;
    for (std::size_t s = 0; s < out.size(); ++s) {
        Segment seg = out[s];
        if (seg.kind != StepKind::Variable && seg.direction != 0 && seg.last - seg.first < 10) {
            double top = 0;
            double sum = 0;
            for (std::size_t k = seg.first; k <= seg.last; ++k) {
                top = std::max(top, std::abs(i[k] - zero_A));
                sum += i[k] - zero_A;
            }
            // Several samples in a row: their mean must stay near the threshold.
            if (seg.last - seg.first >= 3 &&
                std::abs(sum) / static_cast<double>(seg.last - seg.first + 1) > 1.3 * restThreshold)
                top = INFINITY;
            const bool restBefore = !merged.empty() && merged.back().direction == 0;
            const bool restAfter = s + 1 < out.size() && out[s + 1].direction == 0;
            if (top < 1.6 * restThreshold && (restBefore || restAfter)) seg.direction = 0;
        }
        const bool joins = !merged.empty() && merged.back().direction == 0 && seg.direction == 0 &&
                           !splitBefore[seg.first];
        if (joins)
            merged.back().last = seg.last;
        else
            merged.push_back(seg);
    }
    inTwo(merged.size(), n >= kManyRows ? 4 : merged.size() + 1,
          [&](std::size_t from, std::size_t to) {
              for (std::size_t k = from; k < to; ++k)
                  merged[k].level_A = medianCurrent(recording, merged[k].first, merged[k].last);
          });
    joinEdges(recording, merged);
    return merged;
}

namespace {

/// A segment without the edges that a dense logger saw at its ends.
Segment withoutEdges(const Recording& recording, Segment s) {
    const auto t = recording.time_s();
    const auto i = recording.current_A();
    const double blink_s = edgeLongest_s(recording);
    const double near = 0.05 * std::abs(s.level_A) + 4 * recording.currentQuality().sigma();
    const auto off = [&](std::size_t k) { return std::abs(i[k] - s.level_A) > near; };
    const double start = t[s.first];
    const double end = t[s.last];
    while (s.first < s.last && off(s.first) && t[s.first + 1] - start < blink_s) ++s.first;
    while (s.last > s.first && off(s.last) && end - t[s.last - 1] < blink_s) --s.last;
    return s;
}

/// A load at its power limit draws more as the voltage falls, until it reaches its current limit.
/// The first sample of the flat part, where the part before follows constant power.
std::optional<std::size_t> powerThenCurrent(const Recording& recording, const Segment& s) {
    const auto i = recording.current_A();
    const std::size_t n = s.last - s.first;
    if (n < 40) return std::nullopt;
    const std::size_t few = std::max<std::size_t>(3, n / 50);
    const double flat = std::abs(medianCurrent(recording, s.last - few, s.last));
    const double margin = std::max(3.5 * recording.currentQuality().sigma(), 0.004 * flat);
    std::size_t k = s.first;
    std::size_t level = 0;
    // The first sample from which three in a row are at the level of the end.
    for (std::size_t m = s.first; m <= s.last && level < 3; ++m) {
        level = std::abs(i[m]) >= flat - margin ? level + 1 : 0;
        k = m;
    }
    if (level < 3) return std::nullopt;
    k -= 2;
    // Sharper than by the margin: where the power of the part before would ask for more than that.
    if (k >= s.first + 10) {
        const auto volts = recording.voltage_V();
        std::vector<double> power;
        const std::size_t stride = std::max<std::size_t>(1, (k - s.first) / 1000);
        for (std::size_t m = s.first + 1; m < k; m += stride)
            power.push_back(std::abs(i[m]) * volts[m]);
        const auto middle = power.begin() + static_cast<std::ptrdiff_t>(power.size() / 2);
        std::nth_element(power.begin(), middle, power.end());
        std::size_t m = k;
        std::size_t over = 0;
        while (m < s.last && over < 3) over = *middle / volts[m++] >= flat ? over + 1 : 0;
        if (over == 3 && m + few <= s.last) k = m - 3;
    }
    if (k < s.first + 10 || k + few > s.last) return std::nullopt;
    // Had the power gone on, the current would have risen well beyond the margin meanwhile.
    const auto v = recording.voltage_V();
    const double rise = (v[k] - v[s.last - few / 2]) / v[k];
    if (rise < 3 * margin / flat) return std::nullopt;
    const LoadLaw head = fitLoadLaw(recording, s.first, k - 1);
    const LoadLaw tail = fitLoadLaw(recording, k, s.last);
    const bool power = std::abs(head.exponent + 1) < 0.25 && head.standardError < 0.1 &&
                       head.currentSpread > 2 * head.residual && head.currentSpread > 0.004;
    const bool current =
        std::abs(tail.exponent) < 0.25 || tail.currentSpread < std::max(0.004, 2 * margin / flat);
    return power && current ? std::optional(k) : std::nullopt;
}

}  // namespace

std::vector<Segment> classifySegment(const Recording& recording, const Segment& segment,
                                     bool nickel) {
    Segment s = segment;
    if (s.direction == 0) {
        s.kind = StepKind::Rest;
        return {s};
    }
    if (s.kind == StepKind::Variable) return {s};
    const double noise = recording.currentQuality().sigma() / std::max(std::abs(s.level_A), 1e-9);
    const double loose = std::max(0.02, 3 * noise);
    if (s.direction > 0) {
        if (!nickel) {
            if (const auto knee = findKnee(recording, s.first, s.last)) {
                std::vector<Segment> parts;
                if (!knee->fromStart && knee->sample > s.first) {
                    Segment cc = s;
                    cc.last = knee->sample - 1;
                    cc.level_A = medianCurrent(recording, cc.first, cc.last);
                    parts = classifySegment(recording, cc, true);  // no second tail in it
                }
                Segment cv = s;
                cv.first = knee->fromStart ? s.first : knee->sample;
                cv.kind = StepKind::CvCharge;
                cv.level_A = medianCurrent(recording, cv.first, cv.last);
                cv.kneeUncertainty_s = knee->fromStart ? 0 : knee->uncertainty_s;
                cv.kneeBefore_s = knee->fromStart ? 0 : knee->before_s;
                parts.push_back(cv);
                return parts;
            }
        }
        s.kind = StepKind::CcCharge;
        const LoadLaw law = fitLoadLaw(recording, s.first, s.last, kSteadyCurrent);
        const bool follows = std::abs(law.exponent + 1) < 0.35 && law.standardError < 0.15;
        if (follows && law.currentSpread > std::max(0.012, 2 * law.residual)) {
            s.kind = StepKind::Variable;
            s.powerLimited = true;
            return {s};
        }
        // A constant-current part that runs into a power limit: the flat part is its own step.
        if (law.currentSpread > std::max(0.01, 2.5 * noise) && s.last - s.first > 40) {
            const auto i = recording.current_A();
            const std::size_t tenth = std::max<std::size_t>(3, (s.last - s.first) / 50);
            const double flat = medianCurrent(recording, s.first, s.first + tenth);
            std::size_t k = s.last;
            const double margin = std::max(3.5 * recording.currentQuality().sigma(), 0.004 * flat);
            while (k > s.first && i[k] < flat - margin) --k;
            if (k > s.first + tenth && k + 10 < s.last) {
                const LoadLaw tail = fitLoadLaw(recording, k + 1, s.last);
                if (std::abs(tail.exponent + 1) < 0.35 && tail.standardError < 0.2) {
                    Segment limited = s;
                    limited.first = k + 1;
                    limited.kind = StepKind::Variable;
                    limited.powerLimited = true;
                    limited.level_A = medianCurrent(recording, limited.first, limited.last);
                    s.last = k;
                    s.level_A = medianCurrent(recording, s.first, s.last);
                    return {s, limited};
                }
            }
        }
        if (law.currentSpread > std::max(0.08, 4 * noise) &&
            law.residual > std::max(0.05, 4 * noise))
            s.kind = StepKind::Variable;
        return {s};
    }
    const Segment core = withoutEdges(recording, s);
    const LoadLaw law = fitLoadLaw(recording, core.first, core.last, kSteadyCurrent);
    const bool sure = std::abs(law.exponent) > 5 * law.standardError &&
                      law.currentSpread > std::max(0.004, 1.5 * law.residual);
    const bool tight = law.residual < loose;
    if (sure && tight && std::abs(law.exponent + 1) < 0.3)
        s.kind = StepKind::CpDischarge;
    else if (sure && tight && std::abs(law.exponent - 1) < 0.3)
        s.kind = StepKind::CrDischarge;
    else if (law.currentSpread < std::max(0.03, 3 * noise) ||
             (std::abs(law.exponent) < 0.3 && tight))
        s.kind = StepKind::CcDischarge;
    else
        s.kind = StepKind::Variable;
    if (s.last - s.first < 5) s.kind = StepKind::CcDischarge;
    if (s.kind != StepKind::CcDischarge || law.currentSpread > 0.005)
        if (const auto flat = powerThenCurrent(recording, core)) {
            Segment limited = s;
            limited.last = *flat - 1;
            limited.kind = StepKind::CpDischarge;
            limited.powerLimited = true;
            limited.level_A = medianCurrent(recording, limited.first, limited.last);
            s.first = *flat;
            s.kind = StepKind::CcDischarge;
            s.level_A = medianCurrent(recording, s.first, s.last);
            return {limited, s};
        }
    return {s};
}

}  // namespace nk
