#include "arrange.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "knee.h"
#include "quantity/extent.h"
#include "quantity/uncertainty.h"

namespace nk {

namespace {

constexpr double kPulseLongest_s = 60;

double duration_s(const Recording& r, const Segment& s) {
    return r.time_s()[s.last] - r.time_s()[s.first];
}

double median(std::span<const double> column, std::size_t first, std::size_t last) {
    std::array<double, 8> few{};
    if (last - first < few.size()) {
        const auto count = static_cast<std::ptrdiff_t>(last - first + 1);
        std::copy_n(column.begin() + static_cast<std::ptrdiff_t>(first), count, few.begin());
        std::nth_element(few.begin(), few.begin() + count / 2, few.begin() + count);
        return few[static_cast<std::size_t>(count / 2)];
    }
    std::vector<double> values;
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 3000);
    for (std::size_t k = first; k <= last; k += stride) values.push_back(column[k]);
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// Same level within noise or 3 %.
bool sameLevel(const Recording& r, double a, double b) {
    return std::abs(a - b) <
           std::max(4 * r.currentQuality().sigma(), 0.03 * std::max(std::abs(a), std::abs(b)));
}

bool constantLoad(StepKind kind) {
    return kind == StepKind::CcDischarge || kind == StepKind::CpDischarge ||
           kind == StepKind::CrDischarge;
}

/// Loads of one length, all but the last: a timer let go and not a floor.
bool timed(const Recording& r, const std::vector<Segment>& segments,
           const std::vector<std::size_t>& group) {
    double shortest = INFINITY;
    double longest = 0;
    for (std::size_t g = 0; g + 1 < group.size(); ++g) {
        const double d = duration_s(r, segments[group[g]]);
        shortest = std::min(shortest, d);
        longest = std::max(longest, d);
    }
    return longest - shortest <= 2.1 * r.usualInterval_s() + 0.01 * longest;
}

/// A few samples in which a load of constant power or resistance goes on as before.
bool follower(const Recording& r, const Segment& before, const Segment& seg) {
    if (before.direction >= 0 || seg.direction >= 0 || seg.last - seg.first >= 5) return false;
    const auto law = [&](std::size_t k) {
        return before.kind == StepKind::CpDischarge ? r.current_A()[k] * r.voltage_V()[k]
                                                    : r.current_A()[k] / r.voltage_V()[k];
    };
    if (before.kind != StepKind::CpDischarge && before.kind != StepKind::CrDischarge) return false;
    const double last = law(before.last);
    for (std::size_t k = seg.first; k <= seg.last; ++k)
        if (!(std::abs(law(k) - last) < 0.02 * std::abs(last))) return false;
    return true;
}

/// Cuts everything up to and including `sample` from the segments after index `s`.
void swallow(std::vector<Segment>& segments, std::size_t s, std::size_t sample) {
    segments[s].last = sample;
    std::size_t next = s + 1;
    while (next < segments.size() && segments[next].last <= sample) ++next;
    segments.erase(segments.begin() + static_cast<std::ptrdiff_t>(s) + 1,
                   segments.begin() + static_cast<std::ptrdiff_t>(next));
    if (s + 1 < segments.size() && segments[s + 1].first <= sample)
        segments[s + 1].first = sample + 1;
}

/// How far behind `end` a charger still held its voltage where the current says nothing: half an
/// hour and more in which the voltage stays where it was held, though a battery that is let go
/// relaxes. `end` where it did not, or where the display is too coarse to say.
std::size_t heldUntil(const Recording& r, std::size_t from, std::size_t end, std::size_t behind) {
    constexpr double kLongEnough_s = 1800, kSame = 1e-4, kTimes = 2.5, kMostDoubt = 2e-4;
    const auto t = r.time_s();
    const auto v = r.voltage_V();
    const auto i = r.current_A();
    const ChannelQuality& qi = r.currentQuality();
    const ChannelQuality& qv = r.voltageQuality();
    if (end + 12 >= behind || t[behind - 1] - t[end] < kLongEnough_s) return end;
    const auto meanOf = [](std::span<const double> x, std::size_t a, std::size_t b) {
        double sum = 0;
        for (std::size_t k = a; k < b; ++k) sum += x[k];
        return sum / static_cast<double>(b - a);
    };
    const double held = meanOf(v, from, end + 1);
    const std::size_t third = (behind - end - 1) / 3;
    const auto few = static_cast<double>(std::min(third, end + 1 - from));
    const double doubt = kTimes * qv.noise / std::sqrt(few) +
                         (qv.noise < 0.3 * qv.resolution ? qv.resolution / 2 : 0);
    if (doubt > kMostDoubt * held) return end;
    const double same = std::max(kSame * held, doubt);
    const bool stays = std::abs(meanOf(v, behind - third, behind) - held) <= same &&
                       std::abs(meanOf(v, end + 1, end + 1 + third) - held) <= same;
    return stays && meanOf(i, end + 1, behind) > 0.4 * qi.resolution ? behind - 1 : end;
}

}  // namespace

void extendConstantVoltage(const Recording& recording, std::vector<Segment>& segments,
                           double zero_A) {
    const auto i = recording.current_A();
    const auto v = recording.voltage_V();
    const ChannelQuality& q = recording.currentQuality();
    const double zero = std::max(2 * q.noise, 0.6 * q.resolution);
    for (std::size_t s = 0; s < segments.size(); ++s) {
        if (segments[s].kind != StepKind::CvCharge) continue;
        const std::size_t last = segments[s].last;
        const std::size_t from = last - std::min<std::size_t>(last - segments[s].first, 200);
        const double set = median(v, from, last);
        // Strict here: a rested cell falls out of it, a regulated one does not.
        const double band = std::max({3.5 * recording.voltageQuality().sigma(),
                                      1.01 * recording.voltageQuality().resolution, 0.0006 * set});
        std::size_t end = last;
        const auto meanOf = [&](std::size_t a, std::size_t b) {
            double sum = 0;
            for (std::size_t k = a; k < b; ++k) sum += i[k] - zero_A;
            return sum / static_cast<double>(std::max<std::size_t>(b - a, 1));
        };
        // Block by block, as many samples as it takes to tell half the current from its noise.
        double recent =
            meanOf(std::max(segments[s].first, last - std::min<std::size_t>(last, 9)), last + 1);
        bool going = true;
        while (going && end + 1 < i.size()) {
            const double ratio = recent > 0 ? 8 * q.noise / recent : 1;
            const auto block =
                std::clamp<std::size_t>(static_cast<std::size_t>(ratio * ratio), 1, 200);
            const std::size_t to = std::min(i.size(), end + 1 + block);
            const double mean = meanOf(end + 1, to);
            const double noise = q.noise / std::sqrt(static_cast<double>(to - end - 1));
            // A current that is lost in the noise cannot step: there only the voltage tells.
            const bool visible = recent > zero;
            if (!visible && zero_A != 0) break;
            // The last steps of a coarse display are halves and thirds: 0.02, 0.01.
            if ((visible && mean < 0.6 * recent - 2 * noise - 0.6 * q.resolution) ||
                mean > 1.6 * recent + 6 * q.sigma())
                break;
            std::size_t inside = end;
            // A row of noise alone ends no charge that goes on behind it.
            const auto within = [&](std::size_t k) {
                return k >= v.size() || std::abs(v[k] - set) <= band;
            };
            while (inside + 1 < to &&
                   (within(inside + 1) || (within(inside + 2) && within(inside + 3))))
                ++inside;
            going = inside + 1 == to;
            if (inside > end) recent = visible ? mean : recent;
            end = inside;
        }
        // Beside a known offset only what stands clear of it is still the charge.
        if (zero_A != 0)
            while (end > last && i[end] - zero_A <= 0.6 * q.resolution) --end;
        // What follows until the current flows again, or the log ends.
        std::size_t behind = s + 1;
        while (behind < segments.size() && segments[behind].direction == 0) ++behind;
        const std::size_t until = behind < segments.size() ? segments[behind].first : i.size();
        if (zero_A != 0 && segments[s].first < last)
            end = std::max(end, heldUntil(recording, from, end, until));
        if (end > last) swallow(segments, s, end);
    }
}

void joinShortTaper(const Recording& recording, std::vector<Segment>& segments) {
    const auto i = recording.current_A();
    const auto v = recording.voltage_V();
    const auto t = recording.time_s();
    const double sigma = recording.currentQuality().sigma();
    const auto plain = [](const Segment& s) {
        return s.direction > 0 && s.kind == StepKind::CcCharge;
    };
    std::vector<Segment> out;
    for (std::size_t s = 0; s < segments.size();) {
        out.push_back(segments[s]);
        const std::size_t begin = s++;
        if (out.size() < 2 || !plain(out[out.size() - 2]) || !plain(out.back())) continue;
        const std::size_t first = segments[begin].first;
        const double band = std::max(constantVoltageBand_V(recording, v[first]),
                                     1.01 * recording.voltageQuality().resolution);
        std::size_t last = first;
        std::size_t end = begin;  // one behind the last segment of the run
        for (bool falls = true; falls && end < segments.size() && plain(segments[end]);) {
            for (std::size_t k = segments[end].first; k <= segments[end].last; ++k)
                falls &= std::abs(v[k] - v[first]) <= band && i[k] < i[k - 1] - 2 * sigma;
            if (falls) last = segments[end++].last;
        }
        if (last < first + 2 || i[last] > 0.6 * i[first]) continue;
        // The first of them may have been taken for the edge.
        std::size_t start = first;
        Segment& before = out[out.size() - 2];
        while (before.last > before.first + 1 && first - start < 2 &&
               std::abs(v[start - 1] - v[first]) <= band &&
               i[start - 1] < 0.97 * before.level_A - 4 * sigma) {
            --start;
            --before.last;
        }
        Segment& taper = out.back();
        taper.first = start;
        taper.last = last;
        taper.kind = StepKind::CvCharge;
        taper.level_A = median(i, start, last);
        // It began somewhere between the two rows.
        const double between = t[start] - t[start - 1];
        taper.kneeBefore_s = between / 2;
        taper.kneeUncertainty_s = rectangle(between / 2);
        s = end;
    }
    segments = std::move(out);
}

void joinNeighbours(const Recording& recording, std::vector<Segment>& segments) {
    std::vector<Segment> out;
    for (std::size_t s = 0; s < segments.size(); ++s) {
        const Segment& seg = segments[s];
        if (!out.empty()) {
            Segment& before = out.back();
            const bool kind = before.kind == seg.kind && before.direction == seg.direction &&
                              before.powerLimited == seg.powerLimited;
            const double jumpV =
                std::abs(recording.voltage_V()[seg.first] - recording.voltage_V()[before.last]);
            const bool voltage = jumpV < std::max(10 * recording.voltageQuality().sigma(),
                                                  0.02 * recording.voltage_V()[seg.first]);
            const bool level = seg.kind == StepKind::Rest || seg.kind == StepKind::Variable ||
                               seg.kind == StepKind::CvCharge ||
                               sameLevel(recording, before.level_A, seg.level_A);
            // The last sample or two of a taper, where the charger lets go.
            const bool tail =
                before.kind == StepKind::CvCharge && seg.direction > 0 &&
                jumpV <= constantVoltageBand_V(recording, recording.voltage_V()[before.last]) &&
                seg.level_A < recording.current_A()[before.first] && seg.last - seg.first < 3;
            // The last samples before a floor: the load still follows its law, only faster.
            const bool follows = follower(recording, before, seg);
            if (tail || follows || (kind && level && voltage)) {
                before.last = seg.last;
                continue;
            }
            // A charger that stops for a moment to measure: at most two samples or five seconds.
            if (out.size() >= 2 && before.kind == StepKind::Rest &&
                seg.kind == StepKind::CcCharge) {
                Segment& earlier = out[out.size() - 2];
                const double pause =
                    recording.time_s()[seg.first] - recording.time_s()[earlier.last];
                const bool brief = before.last - before.first < 2 || pause <= 5;
                if (earlier.kind == StepKind::CcCharge &&
                    sameLevel(recording, earlier.level_A, seg.level_A) && brief && pause <= 60) {
                    earlier.last = seg.last;
                    out.pop_back();
                    continue;
                }
            }
        }
        out.push_back(seg);
    }
    segments = std::move(out);
}

void holdConstantVoltage(const Recording& recording, std::vector<Segment>& segments) {
    const auto v = recording.voltage_V();
    const auto t = recording.time_s();
    const ChannelQuality& q = recording.voltageQuality();
    std::vector<Segment> out;
    for (const Segment& seg : segments) {
        out.push_back(seg);
        if (seg.kind != StepKind::CvCharge) continue;
        const double set = median(v, seg.first, seg.last);
        const double band = std::max({4 * q.sigma(), 1.01 * q.resolution, 0.0006 * set});
        // A few rows between two such charges may overshoot by one.
        const auto held = [&](std::size_t at) {
            const Segment& s = out[at];
            const bool between = at > 0 && out[at - 1].kind == StepKind::CvCharge;
            if (s.direction <= 0 || (s.last < s.first + 2 && !between)) return false;
            std::size_t outside = 0;
            for (std::size_t k = s.first; k <= s.last; ++k) outside += std::abs(v[k] - set) > band;
            return outside <= std::max<std::size_t>((s.last - s.first + 1) / 50, between ? 1 : 0);
        };
        while (out.size() >= 2 && held(out.size() - 2)) {
            Segment tail = out.back();
            out.pop_back();
            tail.first = out.back().first;
            tail.level_A = median(recording.current_A(), tail.first, tail.last);
            const double between = tail.first > 0 ? t[tail.first] - t[tail.first - 1] : 0;
            tail.kneeBefore_s = between / 2;
            tail.kneeUncertainty_s = rectangle(0.6 * between);  // the turn may lie before a row
            out.back() = tail;
        }
    }
    segments = std::move(out);
}

void mergeVariable(const Recording& recording, std::vector<Segment>& segments) {
    std::vector<Segment> out;
    std::size_t s = 0;
    const double sigma = recording.currentQuality().sigma();
    while (s < segments.size()) {
        std::size_t end = s;
        std::vector<double> levels;
        const auto belongs = [&](const Segment& seg) {
            return seg.kind == StepKind::Variable
                       ? !seg.powerLimited
                       : seg.kind != StepKind::CvCharge && seg.kind != StepKind::Gap &&
                             duration_s(recording, seg) < kPulseLongest_s;
        };
        while (end < segments.size() && belongs(segments[end])) {
            if (segments[end].kind == StepKind::Rest &&
                (end == s || end + 1 == segments.size() || !belongs(segments[end + 1]))) {
                if (end == s) break;
                if (end + 1 == segments.size() || !belongs(segments[end + 1])) break;
            }
            if (segments[end].direction != 0) levels.push_back(segments[end].level_A);
            ++end;
        }
        bool merge = false;
        if (levels.size() >= 8) {
            std::vector<double> sorted = levels;
            std::sort(sorted.begin(), sorted.end());
            const double width = std::max(
                6 * sigma, 0.04 * std::max(std::abs(sorted.front()), std::abs(sorted.back())));
            std::size_t clusters = 1;
            double start = sorted.front();
            for (const double level : sorted)
                if (level - start > width) ++clusters, start = level;
            // Pulses come back to rest every time; a load that stops now and then does not.
            const std::size_t all = end - s;
            const bool pulses = 5 * (all - levels.size()) >= 2 * all;
            merge = !pulses && clusters > std::max<std::size_t>(4, 0) &&
                    static_cast<double>(clusters) >
                        0.1 * static_cast<double>(std::min<std::size_t>(levels.size(), 60));
        } else if (end > s + 1) {
            merge = std::all_of(segments.begin() + static_cast<std::ptrdiff_t>(s),
                                segments.begin() + static_cast<std::ptrdiff_t>(end),
                                [](const Segment& seg) { return seg.kind == StepKind::Variable; });
        }
        if (!merge) {
            // What all of them are not, a part of them is not either.
            const std::size_t until = std::max(end, s + 1);
            while (s < until) out.push_back(segments[s++]);
            continue;
        }
        Segment joined = segments[s];
        joined.last = segments[end - 1].last;
        joined.kind = StepKind::Variable;
        double charge = 0;
        const auto t = recording.time_s();
        const auto i = recording.current_A();
        for (std::size_t k = joined.first; k < joined.last; ++k) charge += i[k] * (t[k + 1] - t[k]);
        joined.direction = charge < 0 ? -1 : 1;
        joined.level_A = charge / std::max(t[joined.last] - t[joined.first], 1e-9);
        out.push_back(joined);
        s = end;
    }
    segments = std::move(out);
}

void nameCutOutsAndPulses(const Recording& recording, const Battery& battery,
                          std::vector<Segment>& segments) {
    const auto v = recording.voltage_V();
    const double cells = battery.cells();
    const Chemistry* chemistry = battery.chemistryData();
    const double lowest = extentOf(v, 1e300).low;
    const auto endLevel = [&](const Segment& seg) {
        const std::size_t few = std::min<std::size_t>(4, seg.last - seg.first);
        return median(recording.current_A(), seg.last - few, seg.last);
    };
    std::size_t s = 0;
    while (s < segments.size()) {
        if (!constantLoad(segments[s].kind)) {
            ++s;
            continue;
        }
        // Discharges by one load with nothing but rests between: at one level, or, where the level
        // follows the voltage, at one level when the voltage is the same, at their ends.
        std::vector<std::size_t> group{s};
        std::size_t next = s + 1;
        while (next + 1 < segments.size() && segments[next].kind == StepKind::Rest &&
               constantLoad(segments[next + 1].kind) &&
               (sameLevel(recording, segments[next + 1].level_A, segments[s].level_A) ||
                sameLevel(recording, endLevel(segments[next + 1]), endLevel(segments[s])))) {
            group.push_back(next + 1);
            next += 2;
        }
        if (group.size() >= 3) {
            double lowEnd = 1e300;
            double highEnd = -1e300;
            bool anyLong = false;
            for (std::size_t g = 0; g < group.size(); ++g) {
                const Segment& seg = segments[group[g]];
                if (g + 1 < group.size())
                    lowEnd = std::min(lowEnd, v[seg.last]),
                    highEnd = std::max(highEnd, v[seg.last]);
                anyLong |= duration_s(recording, seg) > kPulseLongest_s;
            }
            // Without a chemistry the lowest voltage of the log stands in for the floor.
            const double limit =
                chemistry != nullptr
                    ? (chemistry->dischargeFloor_V + (chemistry->nickel() ? 0.12 : 0.45)) * cells
                    : 1.12 * lowest;
            const bool together = highEnd - lowEnd < 0.04 * highEnd;
            if (anyLong && together && highEnd < limit && !timed(recording, segments, group)) {
                for (std::size_t g = 0; g < group.size(); ++g) {
                    segments[group[g]].cutOut = true;
                    if (g > 0) segments[group[g] - 1].cutOut = true;
                }
            }
        }
        s = next;
    }
    for (std::size_t k = 0; k < segments.size(); ++k) {
        Segment& seg = segments[k];
        if (seg.cutOut || (seg.kind != StepKind::CcCharge && !constantLoad(seg.kind))) continue;
        const double interval = recording.usualInterval_s();
        if (duration_s(recording, seg) > kPulseLongest_s + 0.5 * interval) continue;
        if (segments.size() == 1) continue;
        const bool beforeTail =
            k + 1 < segments.size() &&
            (segments[k + 1].kind == StepKind::CvCharge || segments[k + 1].powerLimited);
        if (beforeTail && seg.direction > 0) continue;
        seg.kind = StepKind::Pulse;
    }
}

void insertGaps(const Recording& recording, std::vector<Segment>& segments) {
    std::vector<Segment> out;
    std::size_t gap = 0;
    const auto& gaps = recording.gaps();
    for (const Segment& seg : segments) {
        if (!out.empty()) {
            while (gap < gaps.size() && gaps[gap].before + 1 < seg.first) ++gap;
            if (gap < gaps.size() && gaps[gap].before + 1 == seg.first && !gaps[gap].restart) {
                Segment silent;
                silent.first = seg.first - 1;
                silent.last = seg.first;
                silent.kind = StepKind::Gap;
                out.push_back(silent);
            }
        }
        out.push_back(seg);
    }
    segments = std::move(out);
}

}  // namespace nk
