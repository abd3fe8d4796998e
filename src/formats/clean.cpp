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

/// Ohmic answer of the voltage to current steps, Ω; 0 when there are too few steps.
double roughResistance(const RecordingData& d, double currentJump) {
    std::vector<double> ratios;
    for (std::size_t i = 1; i < d.current_A.size() && ratios.size() < 2000; ++i) {
        const double di = d.current_A[i] - d.current_A[i - 1];
        if (std::abs(di) < currentJump) continue;
        ratios.push_back((d.voltage_V[i] - d.voltage_V[i - 1]) / di);
    }
    if (ratios.size() < 3) return 0;
    std::nth_element(ratios.begin(),
                     ratios.begin() + static_cast<std::ptrdiff_t>(ratios.size() / 2), ratios.end());
    return ratios[ratios.size() / 2];
}

void repair(RecordingData& data, std::vector<double>& column, Channel channel, std::size_t i,
            const char* kind, const char* what, const LineOf& lineOf) {
    data.repairs.push_back({i, channel, column[i], kind});
    data.problems.push_back({lineOf(i), data.time_s[i], kind,
                             phrase("{} of {:.6g} for one sample, which its neighbours and "
                                    "the other channels contradict; interpolated",
                                    what, column[i])});
    column[i] = i + 1 < column.size() ? 0.5 * (column[i - 1] + column[i + 1]) : column[i - 1];
}

/// From how many rows on a second thread is worth its start.
constexpr std::size_t kManyRows = 100'000;

/// A surface does not change by more from one sample to the next and back again.
constexpr double kJump_C = 8;

/// Rows to be looked at, in rising order; those beside a row that was changed are looked at too.
class Suspects {
  public:
    void add(std::size_t row) { rows_.push_back(row); }
    /// The first after `row`, or a number beyond all rows.
    std::size_t next(std::size_t row) {
        while (at_ < rows_.size() && rows_[at_] <= row) ++at_;
        const std::size_t listed =
            at_ < rows_.size() ? rows_[at_] : std::numeric_limits<std::size_t>::max();
        const auto beside = also_.upper_bound(row);
        return beside == also_.end() ? listed : std::min(listed, *beside);
    }
    /// The row's value is another now: it may make its neighbours stand out, or no longer.
    void changed(std::size_t row, std::size_t rows) {
        for (const std::size_t k : {row - 1, row, row + 1})
            if (k >= 1 && k + 1 < rows) also_.insert(k);
    }

  private:
    std::vector<std::size_t> rows_;
    std::set<std::size_t> also_;
    std::size_t at_ = 0;
};

/// Rows whose value went by `least` or more from the one before and came back at the next.
Suspects outAndBack(const std::vector<double>& column, double least) {
    Suspects out;
    for (std::size_t i = 1; i + 1 < column.size(); ++i) {
        const double before = column[i] - column[i - 1];
        if (std::abs(before) >= least && before * (column[i + 1] - column[i]) < 0) out.add(i);
    }
    return out;
}

}  // namespace

void repairOutliers(RecordingData& data, const ChannelQualities& quality, const LineOf& lineOf) {
    const std::size_t n = data.time_s.size();
    if (n < 5) return;
    auto& v = data.voltage_V;
    auto& c = data.current_A;
    auto& temp = data.temperature_C;
    const ChannelQuality& qv = quality.voltage;
    const ChannelQuality& qc = quality.current;
    double top = 0;
    for (std::size_t i = 0; i < n; i += std::max<std::size_t>(1, n / 20000))
        top = std::max(top, std::abs(c[i]));
    const double currentJump = std::max(20 * qc.sigma(), 0.05 * top);
    const double resistance = roughResistance(data, currentJump);

    const double leastV = 20 * qv.sigma();
    Suspects suspectV, suspectC, suspectT;
    atOnce(
        n >= kManyRows, [&] { suspectV = outAndBack(v, leastV); },
        [&] {
            suspectC = outAndBack(c, currentJump);
            suspectT = outAndBack(temp, kJump_C);
        });
    for (std::size_t i = suspectV.next(0); i < n; i = suspectV.next(i)) {
        const double before = v[i] - v[i - 1];
        const double after = v[i + 1] - v[i];
        if (std::abs(before) <= leastV || before * after >= 0) continue;
        const double size = std::min(std::abs(before), std::abs(after));
        const double base = std::abs(v[i + 1] - v[i - 1]);
        if (size > std::max(20 * qv.sigma(), 0.04 * std::abs(v[i - 1])) && base < 0.25 * size) {
            const double currentStep =
                std::max(std::abs(c[i] - c[i - 1]), std::abs(c[i + 1] - c[i]));
            const bool whole = v[i] == 0;
            if (currentStep < currentJump || (whole && c[i] == 0)) {
                if (whole && c[i] == 0 && std::abs(c[i - 1]) > currentJump) {
                    repair(data, c, Channel::Current, i, "drop_out", "a current", lineOf);
                    suspectC.changed(i, n);
                }
                repair(data, v, Channel::Voltage, i, whole ? "drop_out" : "spike", "a voltage",
                       lineOf);
                suspectV.changed(i, n);
            }
        }
    }
    for (std::size_t i = suspectC.next(0); i < n; i = suspectC.next(i)) {
        const double before = c[i] - c[i - 1];
        if (std::abs(before) < currentJump) continue;
        const double after = c[i + 1] - c[i];
        if (before * after >= 0) continue;
        const double size = std::min(std::abs(before), std::abs(after));
        if (size < currentJump || std::abs(c[i + 1] - c[i - 1]) > 0.1 * size) continue;
        // A real interruption moves the voltage by R·ΔI; a logger's drop-out does not.
        const double expected = resistance * 0.5 * (before - after);
        const double seen = v[i] - 0.5 * (v[i - 1] + v[i + 1]);
        // Where it answers one edge in full, the other may be hidden: the battery ends meanwhile.
        const bool answers = (v[i] - v[i - 1]) / (resistance * before) > 0.5 ||
                             (v[i + 1] - v[i]) / (resistance * after) > 0.5;
        if (resistance > 0 && !answers && std::abs(expected) > 6 * qv.sigma() &&
            std::abs(seen) < 0.25 * std::abs(expected)) {
            const bool zero = std::abs(c[i]) <= qc.resolution;
            repair(data, c, Channel::Current, i, zero ? "drop_out" : "spike", "a current", lineOf);
            suspectC.changed(i, n);
        }
    }
    for (std::size_t i = suspectT.next(0); i < n; i = suspectT.next(i)) {
        const double before = temp[i] - temp[i - 1];
        const double after = temp[i + 1] - temp[i];
        if (before * after < 0 && std::min(std::abs(before), std::abs(after)) > kJump_C &&
            std::abs(temp[i + 1] - temp[i - 1]) < 3) {
            repair(data, temp, Channel::Temperature, i, temp[i] == 0 ? "drop_out" : "spike",
                   "a temperature", lineOf);
            suspectT.changed(i, n);
        }
    }
}

namespace {

/// 1 where the voltage goes with the current at nearly every jump of it, −1 where it goes against
/// it, 0 where nothing can be told. `jump_A`, `least_V`: what is more than noise; `top_A`: the
/// largest current.
int signByJumps(const RecordingData& data, double jump_A, double top_A, double least_V) {
    const auto& v = data.voltage_V;
    const auto& c = data.current_A;
    // A load that never rests looks like noise; then its many small jumps and answers count.
    constexpr std::ptrdiff_t kFew = 4;
    constexpr std::size_t kEnough = 100'000;
    std::ptrdiff_t large = 0;
    for (std::size_t i = 1; i < v.size(); ++i) large += std::abs(c[i] - c[i - 1]) >= jump_A ? 1 : 0;
    if (large < kFew) jump_A = std::min(jump_A, 0.1 * top_A);
    std::vector<double> moves;  // positive where both went the same way
    for (std::size_t i = 1; i < v.size(); ++i) {
        const double di = c[i] - c[i - 1];
        if (std::abs(di) < jump_A) continue;
        // Less what the voltage was doing anyway: near empty it falls faster than a slow logger
        // looks.
        const bool calm = i > 1 && std::abs(c[i - 1] - c[i - 2]) < 0.2 * std::abs(di);
        const double dv = v[i] - v[i - 1] - (calm ? v[i - 1] - v[i - 2] : 0);
        if (dv != 0) moves.push_back(di > 0 ? dv : -dv);
        if (moves.size() >= kEnough) break;
    }
    std::vector<double> sure;
    for (const double m : moves)
        if (std::abs(m) >= least_V) sure.push_back(m);
    if (std::ssize(sure) >= kFew || (std::ssize(moves) < 2 * kFew && !sure.empty())) {
        std::vector<double> sizes;
        sizes.reserve(sure.size());
        for (const double m : sure) sizes.push_back(std::abs(m));
        const auto middle = sizes.begin() + std::ssize(sizes) / 2;
        std::ranges::nth_element(sizes, middle);
        // One jump during which the battery ended does not speak for all.
        const double most = 2 * *middle;
        double agree = 0;
        double against = 0;
        for (const double m : sure) (m > 0 ? agree : against) += std::min(std::abs(m), most);
        if (agree > 3 * against) return 1;
        if (against > 3 * agree) return -1;
    }
    const auto with = std::ranges::count_if(moves, [](double m) { return m > 0; });
    const auto other = std::ssize(moves) - with;
    return std::ssize(moves) < 2 * kFew ? 0 : with >= 5 * other ? 1 : other >= 5 * with ? -1 : 0;
}

}  // namespace

int findSign(const RecordingData& data, const ChannelQualities& quality) {
    const auto& v = data.voltage_V;
    const auto& c = data.current_A;
    const std::size_t n = v.size();
    if (n < 3) return 0;
    const ChannelQuality& qv = quality.voltage;
    const ChannelQuality& qc = quality.current;
    const double top = extentOf(c).size();
    const double jump = std::max(8 * qc.sigma(), 0.1 * top);
    // Before all: what the voltage does in the very row in which a large current begins or ends.
    // What it does afterwards can have many reasons; that has one.
    std::vector<double> edges;
    for (std::size_t i = 1; i < n; ++i) {
        const double di = c[i] - c[i - 1];
        const double dv = v[i] - v[i - 1];
        const bool edge =
            std::abs(di) > 0.5 * top && std::min(std::abs(c[i]), std::abs(c[i - 1])) < 0.1 * top;
        if (edge && std::abs(dv) > 8 * qv.sigma()) edges.push_back(di > 0 ? dv : -dv);
    }
    double with = 0;
    double against = 0;
    if (!edges.empty()) {
        std::vector<double> sizes;
        sizes.reserve(edges.size());
        for (const double e : edges) sizes.push_back(std::abs(e));
        const auto middle = sizes.begin() + (std::ssize(sizes) - 1) / 2;
        std::ranges::nth_element(sizes, middle);
        // One edge during which the battery ended does not speak for all.
        const double most = 2 * *middle;
        for (const double e : edges) (e > 0 ? with : against) += std::min(std::abs(e), most);
    }
    // First witness: at a steady current the voltage rises while charging and falls while
    // discharging.
    double rise = 0;
    double fall = 0;
    for (std::size_t first = 0; first < n;) {
        std::size_t last = first;
        while (last + 1 < n && std::abs(c[last + 1] - c[first]) < 0.1 * std::abs(c[first])) ++last;
        if (last >= first + 4 && std::abs(c[first]) > 0.1 * top) {
            // The first samples still answer the jump.
            const double drift = (v[last] - v[first + 1]) * (c[first] > 0 ? 1 : -1);
            if (std::abs(drift) > 6 * qv.sigma() && std::abs(drift) > 0.01 * std::abs(v[first]))
                (drift > 0 ? rise : fall) += std::abs(drift);
        }
        first = last + 1;
    }
    if (with > 4 * against && with > 2 * std::max(rise, fall)) return 1;
    if (against > 4 * with && against > 2 * std::max(rise, fall)) return -1;
    if (rise > 4 * fall && rise > 0) return 1;
    if (fall > 4 * rise && fall > 0) return -1;
    // Second: the voltage steps with the current (ohmic) at every jump.
    if (const int found = signByJumps(data, jump, top, 2 * qv.sigma()); found != 0) return found;
    // Third: the voltage drifts up while charging, down while discharging.
    double up = 0;
    double down = 0;
    std::size_t i = 0;
    while (i < n) {
        if (std::abs(c[i]) < 0.05 * top) {
            ++i;
            continue;
        }
        std::size_t j = i + 1;
        while (j < n && std::abs(c[j]) >= 0.05 * top && (c[j] > 0) == (c[i] > 0)) ++j;
        const double drift = (v[j - 1] - v[i]) * (c[i] > 0 ? 1 : -1);
        (drift > 0 ? up : down) += std::abs(drift);
        i = j;
    }
    if (up > 1.5 * down && up > 3 * qv.sigma()) return 1;
    if (down > 1.5 * up && down > 3 * qv.sigma()) return -1;
    return 0;
}

bool signByVoltage(RecordingData& data, const ChannelQualities& quality) {
    auto& c = data.current_A;
    const auto& v = data.voltage_V;
    const std::size_t n = c.size();
    const double top = extentOf(c).size();
    if (top <= 0) return false;
    const ChannelQuality& qv = quality.voltage;
    const double limit = 0.03 * top;
    struct Stretch {
        std::size_t first, last;
        double score;
    };
    std::vector<Stretch> stretches;
    std::size_t i = 0;
    while (i < n) {
        if (std::abs(c[i]) < limit) {
            ++i;
            continue;
        }
        std::size_t j = i + 1;
        while (j < n && std::abs(c[j]) >= limit) ++j;
        double score = 0;
        if (i > 0) score += v[i] - v[i - 1];
        // Less what the voltage was doing anyway.
        if (j < n) score += v[j - 1] - v[j] + (j > i + 1 ? v[j - 1] - v[j - 2] : 0);
        if (std::abs(score) < 4 * qv.sigma()) score = v[j - 1] - v[i];
        stretches.push_back({i, j, score});
        i = j;
    }
    // Both ways only where the voltage says so plainly, measured against its noise and against what
    // it says elsewhere: two stretches of noise turn nothing round.
    double strongest = 0;
    for (const Stretch& s : stretches) strongest = std::max(strongest, std::abs(s.score));
    constexpr double kPlain = 6, kShare = 0.1;
    const double least = std::max(kPlain * qv.sigma(), kShare * strongest);
    bool up = false;
    bool down = false;
    for (const Stretch& s : stretches)
        if (std::abs(s.score) >= least) (s.score > 0 ? up : down) = true;
    if (!up || !down) return false;
    // What says little goes on as before it.
    bool discharge = false;
    for (const Stretch& s : stretches)
        if (std::abs(s.score) >= least) {
            discharge = s.score < 0;
            break;
        }
    for (const Stretch& s : stretches) {
        if (std::abs(s.score) >= std::min(least, 4 * qv.sigma())) discharge = s.score < 0;
        if (discharge)
            for (std::size_t k = s.first; k < s.last; ++k) c[k] = -c[k];
    }
    return true;
}

}  // namespace nk
