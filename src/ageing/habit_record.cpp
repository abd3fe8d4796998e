#include "habit_record.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
/// Longer silences inside a log are no time in a band.
constexpr double kLongestStep_s = 3600;

std::size_t band(double x, double from, double width, std::size_t count) {
    const double k = std::floor((x - from) / width);
    return static_cast<std::size_t>(std::clamp(k, 0.0, static_cast<double>(count - 1)));
}

}  // namespace

HabitRecorder::HabitRecorder(const Chemistry& chemistry, double high_V) : chemistry_(chemistry) {
    record_.high_V = high_V;
    record_.volts_from = std::round(10 * (chemistry.set_V - 1.1)) / 10;
    if (!std::isfinite(record_.volts_from)) record_.volts_from = 0.8;
    if (chemistry.ageingLaw != "nmc" && chemistry.ageingLaw != "lmo")
        record_.calendarDamage = record_.calendarOfVoltage = record_.calendarOfWarmth = kNone;
}

void HabitRecorder::add(const RecordedUse& log) {
    const std::size_t n = log.time_s.size();
    if (n < 2) return;
    const bool warm = log.temperature_C.size() == n;
    record_.warmthKnown = record_.warmthKnown || warm;
    if (std::isfinite(lastEnd_s_) && log.begins_s - lastEnd_s_ > 86400) {
        const double days = (log.begins_s - lastEnd_s_) / 86400;
        record_.gaps.push_back({lastEnd_s_, days, lastLevel_});
        record_.unknownDays += days;
        if (lastLevel_ > 0.9) record_.leftFull_days += days;
    }
    double level = log.startSoc;
    double fastLimit_A = record_.fast_C * log.rated_Ah;
    double moved_Ah = 0;
    bool under = false;
    bool charging = false;
    const double half = chemistry_.ocv.empty() ? kNone : chemistry_.ocv.voltage_V(0.5);
    if (std::isfinite(level)) levels_.push_back(level);
    std::size_t sinceKept = 0;
    for (std::size_t k = 1; k < n; ++k) {
        const double dt = log.time_s[k] - log.time_s[k - 1];
        if (!(dt > 0) || dt > kLongestStep_s) continue;
        const double hours = dt / 3600;
        const double volts = 0.5 * (log.voltage_V[k] + log.voltage_V[k - 1]) / log.cells;
        const double amps = 0.5 * (log.current_A[k] + log.current_A[k - 1]);
        if (!std::isfinite(volts) || !std::isfinite(amps)) continue;
        record_.logged_h += hours;
        record_.volts_h[band(volts, record_.volts_from, 0.1, record_.volts_h.size())] += hours;
        if (volts > record_.high_V) record_.high_h += hours;
        double celsius = kNone;
        if (warm && std::isfinite(log.temperature_C[k])) {
            celsius = log.temperature_C[k];
            record_.warmth_h[band(celsius, -10, 5, record_.warmth_h.size())] += hours;
            if (celsius > record_.warm_C) record_.hot_h += hours;
        }
        const double charge = amps * hours;
        moved_Ah += std::abs(charge);
        if (charge > 0) {
            record_.charged_Ah += charge;
            if (log.rated_Ah > 0 && amps > fastLimit_A) record_.fast_Ah += charge;
        }
        const bool now = log.rated_Ah > 0 ? amps > 0.02 * log.rated_Ah : amps > 0.01;
        if (now && !charging && std::isfinite(celsius) && celsius < chemistry_.chargeMin_C)
            ++record_.coldCharges;
        charging = now;
        // Under the floor by more than a reading's noise, and back over it before it counts again.
        if (!under && volts < chemistry_.dischargeFloor_V - 0.05) {
            under = true;
            ++record_.deepDischarges;
        } else if (volts > chemistry_.dischargeFloor_V + 0.1) {
            under = false;
        }
        if (std::isfinite(level) && log.rated_Ah > 0) {
            level = std::clamp(level + charge / log.rated_Ah, 0.0, 1.05);
            record_.level_h[band(level, 0, 0.1, record_.level_h.size())] += hours;
            // Reversals are what counts: a point in a few is enough of a slow curve.
            if (++sinceKept >= 10 || k + 1 == n) {
                levels_.push_back(level);
                sinceKept = 0;
            }
        }
        if (std::isfinite(record_.calendarDamage) && std::isfinite(half)) {
            const double kelvin = 273.15 + (std::isfinite(celsius) ? celsius : 20);
            const auto damage = [&](double v, double t) {
                return chemistry_.ageingLaw == "nmc"
                           ? std::pow(nmcCalendarRate(v, t), 4.0 / 3) * hours / 24
                           : lmoCalendarStress(dt, chemistry_.ocv.soc(v), t);
            };
            const double whole = damage(volts, kelvin);
            const double atHalf = damage(half, kelvin);
            const double cool = damage(half, 293.15);
            record_.calendarDamage += whole;
            record_.calendarOfVoltage += std::max(0.0, whole - atHalf);
            record_.calendarOfWarmth += std::max(0.0, atHalf - cool);
        }
    }
    if (log.rated_Ah > 0) record_.equivalentFullCycles += moved_Ah / (2 * log.rated_Ah);
    lastEnd_s_ = log.begins_s + log.time_s[n - 1] - log.time_s[0];
    lastLevel_ = level;
}

HabitRecord HabitRecorder::done() {
    record_.swings = rainflow(levels_);
    std::erase_if(record_.swings, [](const CountedCycle& c) { return c.range < 0.01; });
    return record_;
}

std::vector<std::string> whatCostMost(const HabitRecord& r, const Chemistry& chemistry) {
    std::vector<std::pair<double, std::string>> found;
    const double hours = std::max(r.logged_h, 1e-9);
    if (r.deepDischarges > 0)
        found.emplace_back(3.0 + r.deepDischarges,
                           r.deepDischarges == 1
                               ? phrase("Once it was drawn under its floor of {:.2f} V a cell.",
                                        chemistry.dischargeFloor_V)
                               : phrase("{} times it was drawn under its floor of {:.2f} V a cell.",
                                        r.deepDischarges, chemistry.dischargeFloor_V));
    if (r.coldCharges > 0)
        found.emplace_back(5.0 + r.coldCharges,
                           r.coldCharges == 1
                               ? phrase("Once it was charged under {:.0f} °C: that plates lithium "
                                        "for good.",
                                        chemistry.chargeMin_C)
                               : phrase("{} times it was charged under {:.0f} °C: that plates "
                                        "lithium for good.",
                                        r.coldCharges, chemistry.chargeMin_C));
    if (r.hot_h > 0.05)
        found.emplace_back(2.0 + 10 * r.hot_h / hours,
                           phrase("It spent {:.1f} hours above {:.0f} °C.", r.hot_h, r.warm_C));
    if (!chemistry.nickel() && r.high_h > 0.05) {
        std::string words = phrase("It spent {:.1f} of {:.0f} logged hours above {:.2f} V a cell",
                                   r.high_h, r.logged_h, r.high_V);
        if (r.calendarDamage > 0)
            words += phrase("; high voltage made {:.0f} % of what time took from it in them",
                            100 * r.calendarOfVoltage / r.calendarDamage);
        found.emplace_back(1.0 + r.high_h / hours, words + ".");
    }
    if (r.calendarDamage > 0 && r.calendarOfWarmth > 0.05 * r.calendarDamage)
        found.emplace_back(
            1.0 + r.calendarOfWarmth / r.calendarDamage,
            phrase("Warmth over 20 °C made {:.0f} % of what time took from it in the "
                   "logged hours.",
                   100 * r.calendarOfWarmth / r.calendarDamage));
    if (r.leftFull_days >= 7)
        found.emplace_back(1.5 + r.leftFull_days / 100,
                           phrase("{:.0f} days between logs began full; if it stayed so, that is "
                                  "what costs most on a shelf.",
                                  r.leftFull_days));
    if (r.charged_Ah > 0 && r.fast_Ah > 0.2 * r.charged_Ah)
        found.emplace_back(1.0 + r.fast_Ah / r.charged_Ah,
                           phrase("{:.0f} % of its charge went in at over {:.1f}C.",
                                  100 * r.fast_Ah / r.charged_Ah, r.fast_C));
    double deep = 0;
    double all = 0;
    for (const CountedCycle& c : r.swings) {
        all += c.count * c.range;
        if (c.range > 0.8) deep += c.count * c.range;
    }
    if (deep > 0.5 * all)
        found.emplace_back(0.8, phrase("{:.0f} % of its use were swings of over four fifths of the "
                                       "charge.",
                                       100 * deep / all));
    std::ranges::stable_sort(found, std::greater<>(), &std::pair<double, std::string>::first);
    std::vector<std::string> out;
    for (auto& [weight, words] : found)
        if (out.size() < 5) out.push_back(std::move(words));
    return out;
}

std::string whatIsNotKnown(const HabitRecord& r, BetweenLogs said) {
    if (r.unknownDays < 1) return {};
    switch (said) {
        case BetweenLogs::NotKnown:
            return phrase(
                "What happened on {:.0f} days between the logs is not known. Say it, if "
                "you know it.",
                r.unknownDays);
        case BetweenLogs::StoredHalf:
            return phrase("On {:.0f} days between the logs it lay half full, as you say.",
                          r.unknownDays);
        case BetweenLogs::LeftFull:
            return phrase("On {:.0f} days between the logs it lay full, as you say.",
                          r.unknownDays);
        case BetweenLogs::UsedDaily:
            return phrase(
                "On {:.0f} days between the logs it was used daily, as you say; those "
                "cycles are in no figure here.",
                r.unknownDays);
    }
    return {};
}

}  // namespace nk
