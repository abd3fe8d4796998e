#include "step.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "arrange.h"
#include "ended_by.h"
#include "quantity/two_threads.h"
#include "segment.h"

namespace nk {

namespace {

constexpr std::array kKindNames = {"rest",         "cc_charge",    "cv_charge",
                                   "cc_discharge", "cp_discharge", "cr_discharge",
                                   "pulse",        "variable",     "gap"};
constexpr std::array kEndNames = {
    "voltage_limit", "taper",        "negative_delta_v", "zero_delta_v",       "temperature",
    "timer",         "charge_limit", "voltage_floor",    "cell_voltage_floor", "power_limit",
    "manual",        "end_of_log",   "unknown"};

Step toStep(const Segment& seg) {
    Step step;
    step.kind = seg.kind;
    step.first = seg.first;
    step.last = seg.last;
    step.powerLimited = seg.powerLimited;
    step.cutOut = seg.cutOut;
    step.kneeUncertainty_s = seg.kneeUncertainty_s;
    step.kneeBefore_s = seg.kneeBefore_s;
    return step;
}

/// The interval between two steps belongs to the one with the larger mean current, so that rests
/// hold no charge of their neighbours; to the later one when both are active alike.
bool earlierTakes(const Step& a, const Step& b) {
    if (a.kind == StepKind::Gap) return true;
    if (b.kind == StepKind::Gap) return false;
    return a.isActive() && !b.isActive();
}

/// From how many parts on a second thread is worth its start.
std::size_t shared(const Recording& r) {
    return r.size() >= 100'000 ? 4 : std::numeric_limits<std::size_t>::max();
}

void count(const Recording& r, std::vector<Step>& list) {
    const auto t = r.time_s();
    const auto v = r.voltage_V();
    const auto i = r.current_A();
    const auto temp = r.temperature_C();
    for (std::size_t k = 0; k < list.size(); ++k) {
        Step& s = list[k];
        const bool gap = s.kind == StepKind::Gap;
        s.countFrom = k == 0 || gap ? s.first : list[k - 1].countTo;
        if (gap && k > 0) list[k - 1].countTo = s.first;
        if (gap || k + 1 == list.size()) {
            s.countTo = s.last;
        } else {
            const Step& next = list[k + 1];
            s.countTo = next.kind == StepKind::Gap ? s.last
                        : earlierTakes(s, next)    ? next.first
                                                   : s.last;
        }
        s.start_s = t[s.first];
        s.end_s = k + 1 < list.size() ? t[list[k + 1].first] : t[s.last];
        if (gap) s.end_s = t[s.last];
    }
    const auto fill = [&](Step& s) {
        s.sum = integrate(r, s.countFrom, s.countTo);
        s.startVoltage_V = v[s.first];
        s.endVoltage_V = v[s.last];
        // The single last sample is noisy: the current at the end is a short median.
        std::vector<double> tail;
        for (std::size_t k = s.last + 1; tail.size() < 3 && k-- > s.first;) tail.push_back(i[k]);
        std::sort(tail.begin(), tail.end());
        s.endCurrent_A = tail[tail.size() / 2];
        // Of a taper in a few rows the middle of three is long past.
        if (s.kind == StepKind::CvCharge && s.last - s.first < 8) s.endCurrent_A = i[s.last];
        // The mean is over the step's own samples: the border intervals that were counted to it are
        // taken off again.
        double inside_As = s.sum.charge_Ah * 3600;
        const auto interval = [&](std::size_t k) {
            return 0.5 * (i[k] + i[k + 1]) * (t[k + 1] - t[k]);
        };
        for (std::size_t k = s.countFrom; k < s.first; ++k) inside_As -= interval(k);
        for (std::size_t k = s.last; k < s.countTo; ++k) inside_As -= interval(k);
        const double duration_s = t[s.last] - t[s.first];
        s.meanCurrent_A =
            duration_s > 0 && s.countFrom <= s.first && s.countTo >= s.last ? inside_As / duration_s
            : duration_s > 0 ? integrate(r, s.first, s.last).charge_Ah * 3600 / duration_s
                             : i[s.first];
        s.maxTemperature_C = kNaN;
        if (!temp.empty())
            for (std::size_t k = s.first; k <= s.last; ++k)
                if (std::isfinite(temp[k]) && !(temp[k] <= s.maxTemperature_C))
                    s.maxTemperature_C = temp[k];
    };
    inTwo(list.size(), shared(r), [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; k < to; ++k) fill(list[k]);
    });
}

std::vector<std::vector<int>> groups(const Steps& steps, int direction) {
    std::vector<std::vector<int>> out;
    std::vector<int> group;
    const auto flush = [&] {
        if (!group.empty()) out.push_back(group);
        group.clear();
    };
    for (std::size_t k = 0; k < steps.list.size(); ++k) {
        const Step& s = steps.list[k];
        if (s.kind == StepKind::Gap) {
            flush();
            continue;
        }
        if (!s.isActive()) continue;
        const int here = s.meanCurrent_A > 0 ? 1 : -1;
        if (here == direction)
            group.push_back(static_cast<int>(k));
        else if (s.kind != StepKind::Pulse)
            flush();
    }
    flush();
    return out;
}

}  // namespace

std::string toString(StepKind kind) {
    return kKindNames[static_cast<std::size_t>(kind)];
}
std::string toString(EndedBy reason) {
    return kEndNames[static_cast<std::size_t>(reason)];
}

std::optional<StepKind> stepKindFrom(const std::string& name) {
    for (std::size_t k = 0; k < kKindNames.size(); ++k)
        if (name == kKindNames[k]) return static_cast<StepKind>(k);
    return std::nullopt;
}

int Steps::at(double t_s) const {
    if (list.empty() || !(t_s >= list.front().start_s)) return -1;
    // The last step that starts by then; a step of no length ends where the next starts.
    const auto after = std::partition_point(list.begin(), list.end(),
                                            [t_s](const Step& s) { return s.start_s <= t_s; });
    for (auto k = static_cast<int>(after - list.begin()) - 1; k >= 0; --k) {
        const Step& s = list[static_cast<std::size_t>(k)];
        if (t_s < s.end_s || k + 1 == static_cast<int>(list.size())) return k;
        if (s.start_s < t_s) break;
    }
    return -1;
}

Steps findSteps(const Recording& recording, const Battery& battery) {
    Steps out;
    if (recording.empty()) return out;
    const RestLevel rest = restLevel(recording, battery);
    out.restThreshold_A = rest.threshold_A;
    const Chemistry* chemistry = battery.chemistryData();
    const bool nickel = chemistry != nullptr && chemistry->nickel();
    std::vector<Segment> segments;
    const auto restless = findRestless(recording, out.restThreshold_A);
    const auto raw = cutSegments(recording, rest, restless);
    collectInTwo(raw.size(), shared(recording), segments,
                 [&](std::size_t k, std::vector<Segment>& list) {
                     for (const Segment& part : classifySegment(recording, raw[k], nickel))
                         list.push_back(part);
                 });
    if (!nickel) joinShortTaper(recording, segments);
    extendConstantVoltage(recording, segments, rest.zero_A);
    mergeVariable(recording, segments);
    if (!nickel) holdConstantVoltage(recording, segments);
    joinNeighbours(recording, segments);
    nameCutOutsAndPulses(recording, battery, segments);
    insertGaps(recording, segments);
    out.list.reserve(segments.size());
    for (const Segment& seg : segments) out.list.push_back(toStep(seg));
    count(recording, out.list);
    findEndings(recording, battery, out.list);
    return out;
}

void recount(const Recording& recording, const Battery& battery, Steps& steps) {
    count(recording, steps.list);
    findEndings(recording, battery, steps.list);
}

std::vector<std::vector<int>> dischargeGroups(const Steps& steps) {
    return groups(steps, -1);
}
std::vector<std::vector<int>> chargeGroups(const Steps& steps) {
    return groups(steps, +1);
}

}  // namespace nk
