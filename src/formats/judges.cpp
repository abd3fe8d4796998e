// The judges of a reading: each looks at how samples fit one another, or a battery, and none knows
// of text.
#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "hypothesis.h"

namespace nk {

namespace {

/// How far x lies outside [low, high], in decades.
double decadesOutside(double x, double low, double high) {
    if (!(x > 0)) return 4;
    return x < low ? std::log10(low / x) : x > high ? std::log10(x / high) : 0;
}

double medianOf(std::vector<double> values) {
    if (values.empty()) return kNaN;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

double largest(const std::vector<double>& column) {
    double most = 0;
    for (const double x : column)
        if (std::isfinite(x)) most = std::max(most, std::abs(x));
    return most;
}

std::vector<double> stepsOf(const Probe& p) {
    std::vector<double> out;
    for (std::size_t k = 1; k < p.time_s.size(); ++k)
        if (p.follows[k] && std::isfinite(p.time_s[k]) && std::isfinite(p.time_s[k - 1]))
            out.push_back(p.time_s[k] - p.time_s[k - 1]);
    return out;
}

/// A time that a logger is set to or a rate that it samples at: two digits, or a whole share of a
/// second.
bool isRound(double step_s, double known_to) {
    const auto near = [&](double x, double whole) {
        return std::abs(x - whole) <= known_to * whole && whole > 0;
    };
    for (int power = -3; std::pow(10, power) < step_s * 10; ++power) {
        const double unit = std::pow(10, power);
        const double digits = std::round(step_s / unit);
        if (digits < 100 && near(step_s / unit, digits)) return true;
    }
    const double rate = std::round(1 / step_s);
    constexpr double kSlow = 2;  // 3, 6 or 12 samples a second are rarer than 20, 10 or 5 s
    return step_s < 1 && near(1 / step_s, rate) && (rate <= kSlow || std::fmod(rate, 3) != 0);
}

/// A regular step that its digits cannot hold (0.0833 and 0.0834 by turns) is round in the unit it
/// was made in: 5 s are a twelfth of a minute. Nothing is said of steps that vary otherwise.
double stepsAreOfThisUnit(const std::vector<double>& forward) {
    if (forward.size() < 12) return 0;
    const auto [least, most] = std::ranges::minmax_element(forward);
    const double mean =
        std::accumulate(forward.begin(), forward.end(), 0.0) / static_cast<double>(forward.size());
    const double spread = *most - *least;
    if (!(spread > 1e-9 * mean) || spread > 0.1 * mean) return 0;
    // Rounded evenly: each step is one of two neighbours.
    const auto between = std::ranges::count_if(forward, [&, low = *least, high = *most](double s) {
        return s - low > 0.1 * spread && high - s > 0.1 * spread;
    });
    if (between > 0) return 0;
    const double known_to = 2 * spread / mean / std::sqrt(static_cast<double>(forward.size()));
    return isRound(mean, known_to) ? 0 : -2;
}

/// Time rises, by steps a logger takes, over hours or days.
double timePasses(const Probe& p, const BatteryHint&) {
    const std::vector<double> steps = stepsOf(p);
    if (steps.empty()) return -5;
    double score = 0;
    std::size_t back = 0;
    std::vector<double> forward;
    for (const double s : steps) {
        back += s < 0 ? 1 : 0;
        if (s > 0) forward.push_back(s);
    }
    score -= 12 * std::min(0.5, static_cast<double>(back) / static_cast<double>(steps.size()));
    if (forward.size() * 4 < steps.size()) score -= 3;
    if (forward.empty()) return score - 5;
    const double usual = medianOf(forward);
    std::size_t regular = 0;
    double longest = 0;
    for (const double s : forward) {
        const double times = s / usual;
        regular += std::abs(times - std::round(times)) < 0.1 && times < 20 ? 1 : 0;
        longest = std::max(longest, s);
    }
    score += 1.5 * static_cast<double>(regular) / static_cast<double>(forward.size()) - 1.5;
    score -= 2.5 * decadesOutside(usual, 0.05, 700);
    // Minutes and seconds in round numbers are what loggers are set to.
    const double round = usual < 1 ? usual * 10 : usual;
    if (std::abs(round - std::round(round)) > 0.02 * round) score -= 0.3;
    score += stepsAreOfThisUnit(forward);
    if (longest > 100 * usual && longest > 43200) score -= 2.5;
    double first = kNaN;
    double last = kNaN;
    for (const double t : p.time_s)
        if (std::isfinite(t)) {
            if (std::isnan(first)) first = t;
            last = t;
        }
    score -= 1.5 * decadesOutside(std::abs(last - first), 4, 1e9) +
             2.5 * decadesOutside(std::abs(last - first), 1e-9, 30 * 86400);
    return score;
}

/// A voltage of some battery, of this one when it is known, and never nothing for long.
double voltageIsABatterys(const Probe& p, const BatteryHint& hint) {
    if (p.voltage_V.empty()) return 0;
    std::vector<double> values;
    std::size_t inside = 0;
    const bool known = hint.highest_V > 0;
    const double low = known ? 0.6 * hint.lowest_V : 0.5;
    const double high = known ? 1.2 * hint.highest_V : 800;
    for (const double v : p.voltage_V) {
        if (!std::isfinite(v)) continue;
        values.push_back(v);
        inside += v >= low && v <= high ? 1 : 0;
    }
    if (values.empty()) return -10;
    const double share = static_cast<double>(inside) / static_cast<double>(values.size());
    double score =
        5 * (share - 1) - (known ? 3.0 : 2.0) * decadesOutside(medianOf(values), low, high);
    if (known && share > 0.98) score += 1;
    const auto [least, most] = std::ranges::minmax_element(values);
    if (*least < 0) score -= 2;
    if (*most > 3.5 * std::max(*least, 1e-9)) score -= 1;
    if (*most == *least) score -= 2;
    return score;
}

double currentIsABatterys(const Probe& p, const BatteryHint& hint) {
    const double top = largest(p.current_A);
    if (top == 0) return -4;
    double score = 0;
    if (hint.rated_Ah > 0)
        score -= 2 * decadesOutside(top / hint.rated_Ah, 0.01, 25);
    else
        score -= 1.5 * decadesOutside(top, 0.01, 100) + 0.4 * decadesOutside(top, 0.05, 30);
    return score;
}

/// The charge that moves in one direction against what the battery holds.
double chargeFits(const Probe& p, const BatteryHint& hint) {
    double sum = 0;
    double least = 0;
    double most = 0;
    for (std::size_t k = 1; k < p.time_s.size(); ++k) {
        const double dt = p.time_s[k] - p.time_s[k - 1];
        const double i = 0.5 * (p.current_A[k] + p.current_A[k - 1]);
        if (!std::isfinite(dt) || !std::isfinite(i) || dt < 0) continue;
        sum += i * dt / 3600;
        least = std::min(least, sum);
        most = std::max(most, sum);
    }
    const double swing = most - least;
    if (swing == 0) return 0;
    if (!(hint.rated_Ah > 0))
        return -0.5 * decadesOutside(swing, 0.0005, 1e9) - decadesOutside(swing, 1e-9, 300);
    double score = -4 * decadesOutside(swing / hint.rated_Ah, 0.02, p.unsignedCurrent ? 3.5 : 1.9);
    // A good part of the way from bottom to top moves a good part of the capacity.
    double low = kNaN;
    double high = kNaN;
    for (const double v : p.voltage_V)
        if (std::isfinite(v)) {
            low = std::isnan(low) ? v : std::min(low, v);
            high = std::isnan(high) ? v : std::max(high, v);
        }
    if (hint.highest_V > hint.lowest_V) {
        const double part = std::min(1.0, (high - low) / (hint.highest_V - hint.lowest_V));
        if (part > 0.45) score -= 4 * decadesOutside(swing / hint.rated_Ah, 0.35 * part * part, 10);
        // Nor does most of the capacity move and leave the voltage where it was.
        if (swing > 0.5 * hint.rated_Ah && !p.voltage_V.empty())
            score -= 3 * decadesOutside(std::max(part, 1e-3), 0.06, 10);
    }
    return score;
}

/// Where the current jumps the voltage jumps with it, by an amount a battery's resistance allows.
double voltageAnswers(const Probe& p, const BatteryHint&) {
    const double top = largest(p.current_A);
    if (top == 0 || p.voltage_V.empty()) return 0;
    std::vector<double> answers;
    std::vector<double> usual;
    double digit = std::numeric_limits<double>::infinity();
    double together = 0;
    double jumped = 0;
    double moved = 0;
    std::vector<double> share;
    for (std::size_t k = 1; k < p.current_A.size(); ++k) {
        if (!p.follows[k]) continue;
        const double di = p.current_A[k] - p.current_A[k - 1];
        const double dv = p.voltage_V[k] - p.voltage_V[k - 1];
        if (!std::isfinite(di) || !std::isfinite(dv)) continue;
        if (std::abs(di) > 0.3 * top) {
            together += di * dv;
            jumped += di * di;
            moved += dv * dv;
            answers.push_back(std::abs(dv));
            share.push_back(std::abs(dv) / std::max(std::abs(p.voltage_V[k]), 1e-9));
        } else {
            usual.push_back(std::abs(dv));
        }
        if (dv != 0) digit = std::min(digit, std::abs(dv));
    }
    if (answers.empty()) return 0;
    // It goes down with every jump down and up with every jump up, or always the other way round.
    const double alike = answers.size() < 6 || !(moved > 0)
                             ? 0
                             : 2 * std::abs(together) / std::sqrt(moved * jumped) - 1;
    const double answer = medianOf(answers);
    const double calm = usual.empty() ? 0 : medianOf(usual);
    double score = 2.5 * alike;
    // One digit more or less is no answer; where it drifts as fast, nothing is said.
    if (answer > 3 * std::max(calm, digit)) score += 1.5;
    if (answer == 0)
        score -= 1.5;
    else if (answer < calm)
        score -= 1.5 * (1 - answer / calm);
    score -= 1.0 * decadesOutside(std::max(medianOf(share), 1e-6), 2e-4, 0.5);
    return score;
}

/// A cell's resistance times its capacity is some tenths of a volt-hour for all of them (0.02 to
/// 0.3; common practice, no source): the jump of the voltage at the current's, times the hours from
/// one end to the other, tells seconds from minutes when nothing else does.
double paceIsABatterys(const Probe& p, const BatteryHint&) {
    const double top = largest(p.current_A);
    if (top == 0 || p.voltage_V.empty()) return 0;
    std::vector<double> jumps;
    std::vector<double> calm;
    double hours = 0;
    double low = kNaN;
    double high = kNaN;
    std::vector<double> levels;
    for (std::size_t k = 1; k < p.current_A.size(); ++k) {
        const double di = p.current_A[k] - p.current_A[k - 1];
        const double dv = p.voltage_V[k] - p.voltage_V[k - 1];
        const double v = p.voltage_V[k];
        if (!std::isfinite(di) || !std::isfinite(dv) || !(v > 0)) continue;
        levels.push_back(v);
        low = std::isnan(low) ? v : std::min(low, v);
        high = std::isnan(high) ? v : std::max(high, v);
        if (p.follows[k] && std::abs(di) > 0.3 * top)
            jumps.push_back(std::abs(dv) / v / (std::abs(di) / top));
        else if (p.follows[k])
            calm.push_back(std::abs(dv) / v);
        const double dt = p.time_s[k] - p.time_s[k - 1];
        if (dt > 0) hours += std::abs(p.current_A[k]) / top * dt / 3600;
    }
    if (jumps.empty() || levels.empty()) return 0;
    const double swing = (high - low) / medianOf(levels);
    if (swing < 0.12) return 0;  // no end was seen
    constexpr double kCell_V = 3.3;
    const double jumped = medianOf(jumps);
    // A jump that is hardly more than the drift is no resistance that was seen.
    const double weight = !calm.empty() && jumped < 2 * medianOf(calm) ? 1.2 : 2;
    return -weight * decadesOutside(jumped * kCell_V * hours, 0.012, 0.9);
}

/// Factor between two columns that should be equal: +4 when it is one, less the further it is from
/// it.
double agreement(const std::vector<double>& ratios, double weight) {
    if (ratios.size() < 3) return 0;
    const double away = std::abs(std::log(medianOf(ratios)));
    return away < 0.03 ? weight : -std::min(1.5 * weight, weight * 0.25 + away * 0.6 * weight);
}

double powerIsVoltageTimesCurrent(const Probe& p, const BatteryHint&) {
    if (p.power_W.empty() || p.voltage_V.empty()) return 0;
    const double top = largest(p.current_A);
    std::vector<double> ratios;
    for (std::size_t k = 0; k < p.power_W.size(); ++k)
        if (std::abs(p.current_A[k]) > 0.1 * top && std::abs(p.voltage_V[k]) > 0 &&
            p.power_W[k] != 0 && std::isfinite(p.power_W[k]))
            ratios.push_back(std::abs(p.power_W[k] / (p.voltage_V[k] * p.current_A[k])));
    return agreement(ratios, 4);
}

double cellsMakeThePack(const Probe& p, const BatteryHint&) {
    if (p.cells_V.size() < 2 || p.voltage_V.empty()) return 0;
    std::vector<double> ratios;
    for (std::size_t k = 0; k < p.voltage_V.size(); ++k) {
        double sum = 0;
        for (const auto& cell : p.cells_V) sum += cell[k];
        if (std::isfinite(sum) && sum > 0 && p.voltage_V[k] > 0)
            ratios.push_back(p.voltage_V[k] / sum);
    }
    return agreement(ratios, 4);
}

/// The logger's own counter moves as the integral does. It may count both directions, or only one:
/// a factor between a half and two says nothing against it.
double counterFollows(const std::vector<double>& counter, const Probe& p, bool energy) {
    if (counter.empty()) return 0;
    std::vector<double> ratios;
    double moved = 0;
    double counted = 0;
    for (std::size_t k = 1; k < counter.size(); ++k) {
        if (!p.follows[k]) continue;
        const double dt = p.time_s[k] - p.time_s[k - 1];
        double i = 0.5 * std::abs(p.current_A[k] + p.current_A[k - 1]);
        if (energy) i *= p.voltage_V.empty() ? kNaN : 0.5 * (p.voltage_V[k] + p.voltage_V[k - 1]);
        const double step = std::abs(counter[k] - counter[k - 1]);
        if (!std::isfinite(step) || !std::isfinite(i) || !(dt > 0)) continue;
        moved += i * dt / 3600;
        counted += step;
    }
    if (!(moved > 0) || !(counted > 0)) return 0;
    const double away = std::abs(std::log10(counted / moved));
    return away < 0.02 ? 2.5 : away < 0.35 ? 0 : -std::min(4.0, 2 * away);
}

double chargeCounterFollows(const Probe& p, const BatteryHint&) {
    return counterFollows(p.counter_Ah, p, false);
}
double energyCounterFollows(const Probe& p, const BatteryHint&) {
    return counterFollows(p.counter_Wh, p, true);
}

/// Temperatures of a bench, that change slowly.
double temperatureIsABenchs(const Probe& p, const BatteryHint&) {
    std::vector<double> values;
    std::vector<double> steps;
    for (std::size_t k = 0; k < p.temperature_C.size(); ++k) {
        if (!std::isfinite(p.temperature_C[k])) continue;
        values.push_back(p.temperature_C[k]);
        if (k > 0 && std::isfinite(p.temperature_C[k - 1]) && p.follows[k])
            steps.push_back(std::abs(p.temperature_C[k] - p.temperature_C[k - 1]));
    }
    if (values.empty()) return 0;
    const double start = (values.front() - 21) / 11;
    double score = 0.5 - std::min(4.0, 0.5 * start * start);
    const auto [least, most] = std::ranges::minmax_element(values);
    if (*least < -45 || *most > 130) score -= 4;
    // Falling at once by many degrees is no temperature of anything heavy.
    if (!steps.empty() && *std::ranges::max_element(steps) > 25) score -= 1;
    return score;
}

}  // namespace

const std::vector<Judge>& judges() {
    static const std::vector<Judge> list = {
        {"time", timePasses},
        {"voltage", voltageIsABatterys},
        {"current", currentIsABatterys},
        {"charge", chargeFits},
        {"answer", voltageAnswers},
        {"pace", paceIsABatterys},
        {"power", powerIsVoltageTimesCurrent},
        {"cells", cellsMakeThePack},
        {"charge counter", chargeCounterFollows},
        {"energy counter", energyCounterFollows},
        {"temperature", temperatureIsABenchs},
    };
    return list;
}

double judged(const Hypothesis& h, const Probe& probe, const BatteryHint& hint) {
    double score = h.prior;
    for (const Judge& j : judges()) score += j.judge(probe, hint);
    return score;
}

}  // namespace nk
