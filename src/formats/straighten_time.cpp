// One rising time axis from whatever clock a logger had: midnights, summer time, restarts, rows out
// of order, coarse stamps, silences.
#include "clean.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <set>

#include "quantity/extent.h"
#include "quantity/format.h"

#include "quantity/two_threads.h"
#include "recording/silence.h"

namespace nk {

namespace {

double usualStep(const std::vector<double>& t) {
    std::vector<double> steps;
    const std::size_t stride = std::max<std::size_t>(1, t.size() / 50000);
    for (std::size_t i = 1; i < t.size(); i += stride)
        if (t[i] > t[i - 1]) steps.push_back(t[i] - t[i - 1]);
    if (steps.empty()) return 1;
    std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2),
                     steps.end());
    return steps[steps.size() / 2];
}

/// Runs of equal stamps come from a clock coarser than the sampling: spread evenly.
void spreadRepeats(std::vector<double>& t, double usual) {
    std::size_t i = 0;
    while (i < t.size()) {
        std::size_t j = i + 1;
        while (j < t.size() && t[j] == t[i]) ++j;
        const std::size_t count = j - i;
        if (count > 1) {
            const double next = j < t.size() ? std::min(t[j] - t[i], 2 * usual) : usual;
            for (std::size_t k = 1; k < count; ++k)
                t[i + k] = t[i] + next * static_cast<double>(k) / static_cast<double>(count);
        }
        i = j;
    }
}

/// An hour's jump of a local clock in the small hours of a Sunday in March or April, October or
/// November: summer time begins or ends. `at` is the stamp before the jump, seconds since 1970.
bool clockChanged(double at, double step, double usual) {
    const double jump = step > 0 ? step - 3600 : step + 3600;
    if (at < 1e8 || jump < 0.2 * usual || jump > 3 * usual || usual > 1200) return false;
    const double day = std::floor(at / 86400);
    const double hour = (at - day * 86400) / 3600;
    const auto weekday = static_cast<long long>(day) + 4;  // 1970-01-01 was a Thursday
    if (weekday % 7 != 0 && !(weekday % 7 == 6 && hour > 23)) return false;
    const double yearPart = std::fmod(day - 59, 365.2425);  // days since about 1 March
    const bool spring = yearPart < 45;
    const bool autumn = yearPart > 205 && yearPart < 265;
    return hour < 3.2 && (step > 0 ? spring || autumn : autumn || spring);
}

template <class T>
void permute(std::vector<T>& column, const std::vector<std::size_t>& order) {
    if (column.empty()) return;
    std::vector<T> out(column.size());
    for (std::size_t i = 0; i < order.size(); ++i) out[i] = column[order[i]];
    column = std::move(out);
}

}  // namespace

void straightenTime(RecordingData& data, const Dialect& dialect,
                    const std::vector<std::size_t>& headerRepeats, const LineOf& lineOf) {
    std::vector<double>& t = data.time_s;
    if (t.empty()) return;
    const double usual = usualStep(t);
    const double start = t.front();
    double shift = -start;
    std::vector<std::size_t> restarts;
    std::vector<std::size_t> outOfOrder;
    std::size_t repeats = 0;
    std::size_t firstRepeat = 0;
    double previousRaw = start;
    double latest = 0;
    // The usual log: every stamp later than the one before. Nothing to straighten but the start.
    const bool dated =
        dialect.time.shape == TimeShape::DateTime || dialect.column(Role::Date) != nullptr;
    bool rising = headerRepeats.empty() && !dated;
    for (std::size_t i = 1; i < t.size() && rising; ++i) rising = t[i] > t[i - 1];
    if (rising)
        for (double& x : t) x -= start;
    const std::vector<double> raw = rising ? std::vector<double>() : t;
    t[0] = 0;
    std::size_t nextHeader = 0;
    for (std::size_t i = 1; i < raw.size(); ++i) {
        while (nextHeader < headerRepeats.size() && headerRepeats[nextHeader] < i) ++nextHeader;
        const bool headerHere = nextHeader < headerRepeats.size() && headerRepeats[nextHeader] == i;
        double step = raw[i] - previousRaw;
        if (step < 0 && dialect.time.shape == TimeShape::Clock && step < -43200 &&
            step + 86400 < 43200) {
            shift += 86400;  // past midnight
            step += 86400;
        }
        if (dated && clockChanged(previousRaw, step, usual)) {
            const double change = step > 0 ? -3600 : 3600;
            shift += change;
            step += change;
            data.problems.push_back(
                {lineOf(i), raw[i] + shift, "clock_change",
                 phrase("the clock was set {} by an hour, as for summer time; time goes on "
                        "without the jump",
                        change < 0 ? "forward" : "back")});
        }
        if (step < 0) {
            // A row alone in the past is out of order; a clock that goes on from there restarted.
            const bool goesOn = i + 1 >= t.size() || raw[i + 1] < previousRaw;
            if (headerHere || (goesOn && i + 1 < t.size())) {
                shift = latest + usual - raw[i];
                restarts.push_back(i);
                data.gaps.push_back({i - 1, usual, true});
                data.problems.push_back(
                    {lineOf(i), latest + usual, "logger_restart",
                     phrase("the clock starts again; how long the logger was off is "
                            "unknown, time goes on one usual interval later")});
            } else {
                outOfOrder.push_back(i);
                t[i] = raw[i] + shift;
                data.problems.push_back(
                    {lineOf(i), std::max(0.0, t[i]), "out_of_order",
                     phrase("the time stamp is earlier than the row before; the row "
                            "is moved to its place")});
                continue;
            }
        }
        t[i] = raw[i] + shift;
        if (t[i] == latest && step == 0) {
            if (repeats++ == 0) firstRepeat = i;
        }
        latest = t[i];
        previousRaw = raw[i];
    }
    if (!outOfOrder.empty()) {
        std::vector<std::size_t> order(t.size());
        std::iota(order.begin(), order.end(), std::size_t{0});
        std::stable_sort(order.begin(), order.end(),
                         [&](std::size_t a, std::size_t b) { return t[a] < t[b]; });
        permute(t, order);
        permute(data.voltage_V, order);
        permute(data.current_A, order);
        permute(data.temperature_C, order);
        permute(data.counter_Ah, order);
        permute(data.counter_Wh, order);
        for (auto& c : data.cells_V) permute(c, order);
        for (auto& c : data.moreTemperatures_C) permute(c, order);
        const double first = t.front();
        for (double& x : t) x -= first;
        // The restarts go where their rows went.
        std::vector<std::size_t> place(order.size());
        for (std::size_t k = 0; k < order.size(); ++k) place[order[k]] = k;
        for (Gap& g : data.gaps) {
            const std::size_t after = place[g.before + 1];
            g.before = after > 0 ? after - 1 : 0;
        }
    }
    if (repeats > 0) {
        data.problems.push_back({lineOf(firstRepeat), t[firstRepeat], "repeat",
                                 phrase("{} rows repeat the time stamp of the row before; "
                                        "they are spread evenly until the next one",
                                        repeats)});
        spreadRepeats(t, usual);
    }
    const auto before = [](const Gap& a, const Gap& b) {
        return a.before < b.before || (a.before == b.before && a.duration_s > b.duration_s);
    };
    std::ranges::sort(data.gaps, before);
    const auto [again, none] = std::ranges::unique(data.gaps, {}, &Gap::before);
    data.gaps.erase(again, none);
    const std::size_t known = data.gaps.size();
    for (const Gap& gap : silences(t, usual)) {
        // Between two rows is one gap: of a restart its silence is told with it.
        const auto at = std::lower_bound(
            data.gaps.begin(), data.gaps.begin() + static_cast<std::ptrdiff_t>(known), gap.before,
            [](const Gap& g, std::size_t k) { return g.before < k; });
        if (at != data.gaps.begin() + static_cast<std::ptrdiff_t>(known) &&
            at->before == gap.before)
            at->duration_s = std::max(at->duration_s, gap.duration_s);
        else
            data.gaps.push_back(gap);
        data.problems.push_back(
            {lineOf(gap.before + 1), t[gap.before], "gap",
             phrase("{:.6g} s without a sample (usual interval {:.4g} s)", gap.duration_s, usual)});
    }
    std::ranges::sort(data.gaps, before);
}

}  // namespace nk
