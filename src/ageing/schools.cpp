#include "schools.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr double kKelvin = 273.15;
constexpr double kWeeksPerYear = 365.25 / 7;
constexpr double kNmcCell_Ah = 2.05;
constexpr double kLfpCell_Ah = 2.2;
constexpr double kForever = std::numeric_limits<double>::infinity();
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

/// Shares of a loss that is a·w^p + b·w^q of w weeks: the w where it reaches `wanted`.
template <class F>
double weeksTo(double wanted, const F& loss) {
    double high = 1;
    while (loss(high) < wanted) {
        high *= 2;
        if (high > 1e9) return kForever;
    }
    double low = 0;
    for (int k = 0; k < 80; ++k) {
        const double middle = 0.5 * (low + high);
        (loss(middle) < wanted ? low : high) = middle;
    }
    return high;
}

}  // namespace

std::string toString(School school) {
    switch (school) {
        case School::Table:
            return "table";
        case School::Nmc:
            return "nmc";
        case School::Lmo:
            return "lmo";
        case School::Lfp:
            return "lfp";
    }
    return {};
}

std::optional<School> schoolOf(const std::string& id) {
    for (const School s : {School::Table, School::Nmc, School::Lmo, School::Lfp})
        if (toString(s) == id) return s;
    return std::nullopt;
}

double nmcCalendarRate(double voltage_V, double temperature_K) {
    return std::max(0.0, 7.543 * voltage_V - 23.75) * 1e6 * std::exp(-6976 / temperature_K);
}

double nmcCycleRate(double meanVoltage_V, double depth) {
    const double v = meanVoltage_V - 3.667;
    return 7.348e-3 * v * v + 7.600e-4 + 4.081e-3 * depth;
}

double nmcCalendarResistance(double voltage_V, double temperature_K) {
    return std::max(0.0, 5.270 * voltage_V - 16.32) * 1e5 * std::exp(-5986 / temperature_K);
}

double nmcCycleResistance(double meanVoltage_V, double depth) {
    const double v = meanVoltage_V - 3.725;
    return std::max(0.0, 2.153e-4 * v * v - 1.521e-5 + 2.798e-4 * depth);
}

double lmoCalendarStress(double seconds, double soc, double temperature_K) {
    const double level = std::exp(1.04 * (soc - 0.5));
    const double warm = std::exp(6.93e-2 * (temperature_K - 298.15) * 298.15 / temperature_K);
    return 4.14e-10 * seconds * level * warm;
}

double lmoCycleStress(double depth, double soc, double temperature_K) {
    if (!(depth > 0)) return 0;
    const double swing = 1 / (1.40e5 * std::pow(std::min(depth, 1.0), -0.501) - 1.23e5);
    const double level = std::exp(1.04 * (soc - 0.5));
    const double warm = std::exp(6.93e-2 * (temperature_K - 298.15) * 298.15 / temperature_K);
    return swing * level * warm;
}

double lmoLoss(double stress) {
    constexpr double kAlpha = 5.75e-2;
    return 1 - kAlpha * std::exp(-121 * stress) - (1 - kAlpha) * std::exp(-stress);
}

double lfpRate(double c_rate, double temperature_K) {
    constexpr double kC[] = {0.5, 2, 6, 10};
    constexpr double kB[] = {31630, 21681, 12934, 15512};
    const double c = std::clamp(c_rate, kC[0], kC[3]);
    double b = kB[3];
    for (int k = 0; k < 3; ++k)
        if (c >= kC[k] && c <= kC[k + 1]) {
            const double part = (c - kC[k]) / (kC[k + 1] - kC[k]);
            b = std::exp((1 - part) * std::log(kB[k]) + part * std::log(kB[k + 1]));
            break;
        }
    return 0.01 * b * std::exp((-31700 + 370.3 * c) / (8.314 * temperature_K));
}

SchoolLaw::SchoolLaw(School school, const Habit& habit, const HabitLoad& load,
                     const Chemistry& chemistry, double baseCycles)
    : school_(school), equivalents_(load.equivalentsPerWeek) {
    const double full = chemistry.fullSoc;
    const auto volts = [&](double soc) { return chemistry.ocv.voltage_V(soc * full); };
    switch (school) {
        case School::Table: {
            const double target = habit.target_V > 0 ? habit.target_V : chemistry.set_V;
            const double steps = (chemistry.set_V - target) / 0.1;
            tableCycles_ = baseCycles * std::pow(2.0, steps);
            tableLow_ = baseCycles * std::pow(1.5, steps);
            tableHigh_ = baseCycles * std::pow(2.5, steps);
            if (steps > 3) {
                extrapolated_ = true;
                caveats_.push_back(
                    phrase("The table is used down to 0.3 V under the set voltage."));
            }
            if (chemistry.flat) {
                extrapolated_ = true;
                caveats_.push_back(phrase(
                    "The table comes from layered oxides; on a flat curve volts say little."));
            }
            if (!(equivalents_ > 0)) {
                silent_ = true;
                caveats_.push_back(
                    phrase("The table counts cycles alone: it has no term for time."));
            }
            break;
        }
        case School::Nmc: {
            double coldest = 1e9;
            for (const auto& m : load.minutes) {
                const double kelvin = m.temperature_C + kKelvin;
                // Damage adds up as loss^(4/3) per day, and as loss² per Ah.
                calendar_ +=
                    std::pow(nmcCalendarRate(m.voltage_V, kelvin), 4.0 / 3) * m.weight / 1440;
                calendarR_ +=
                    std::pow(nmcCalendarResistance(m.voltage_V, kelvin), 4.0 / 3) * m.weight / 1440;
                if (m.weight > 0) coldest = std::min(coldest, m.temperature_C);
            }
            for (const HabitCycle& c : load.cycles) {
                const double low = volts(c.meanSoc - 0.5 * c.depth);
                const double mean =
                    (low + 4 * volts(c.meanSoc) + volts(c.meanSoc + 0.5 * c.depth)) / 6;
                const double moved = c.count * 2 * c.depth * kNmcCell_Ah;
                const double rate = nmcCycleRate(mean, c.depth);
                cycling_ += rate * rate * moved;
                cyclingR_ += nmcCycleResistance(mean, c.depth) * moved;
            }
            if (coldest < 35) {
                extrapolated_ = true;
                caveats_.push_back(phrase(
                    "The law was fitted on cells kept at 35 to 50 °C; this habit is cooler."));
            }
            if (chemistry.ageingLaw != "nmc") {
                extrapolated_ = true;
                caveats_.push_back(
                    phrase("The law is of an NMC cell, this battery is {}.", chemistry.name()));
            }
            if (!(calendar_ > 0) && !(cycling_ > 0)) {
                silent_ = true;
                caveats_.push_back(
                    phrase("Under 3.15 V a cell the law of time turns negative: it cannot say."));
            }
            break;
        }
        case School::Lmo: {
            double coldest = 1e9;
            double warmest = -1e9;
            for (const auto& m : load.minutes) {
                calendar_ += lmoCalendarStress(60 * m.weight, m.soc, m.temperature_C + kKelvin);
                if (m.weight > 0) {
                    coldest = std::min(coldest, m.temperature_C);
                    warmest = std::max(warmest, m.temperature_C);
                }
            }
            for (const HabitCycle& c : load.cycles)
                cycling_ += c.count * lmoCycleStress(c.depth, c.meanSoc, c.temperature_C + kKelvin);
            if (coldest < 15 || warmest > 55) {
                extrapolated_ = true;
                caveats_.push_back(phrase("The law's warmth factor is meant for 15 to 55 °C."));
            }
            if (chemistry.ageingLaw != "lmo") {
                extrapolated_ = true;
                caveats_.push_back(
                    phrase("The law is of an LMO cell, this battery is {}.", chemistry.name()));
            }
            break;
        }
        case School::Lfp: {
            for (const HabitCycle& c : load.cycles) {
                const double rate = lfpRate(habit.discharge_C, c.temperature_C + kKelvin);
                cycling_ += std::pow(rate, 1 / 0.55) * c.count * c.depth * kLfpCell_Ah;
            }
            caveats_.push_back(
                phrase("The law has no term for voltage or time: it cannot rank charge voltages or "
                       "storage."));
            if (habit.discharge_C < 0.5 || habit.discharge_C > 10) {
                extrapolated_ = true;
                caveats_.push_back(phrase("The law was fitted from C/2 to 10C."));
            }
            if (habit.use_C < 0 || habit.use_C > 60) {
                extrapolated_ = true;
                caveats_.push_back(phrase("The law was fitted from 0 to 60 °C."));
            }
            if (chemistry.ageingLaw != "lfp") {
                extrapolated_ = true;
                caveats_.push_back(
                    phrase("The law is of an LFP cell, this battery is {}.", chemistry.name()));
            }
            silent_ = !(cycling_ > 0);
            break;
        }
    }
}

double SchoolLaw::calendarLoss(double years) const {
    const double weeks = years * kWeeksPerYear;
    switch (school_) {
        case School::Nmc:
            return std::min(1.0, std::pow(calendar_ * weeks, 0.75));
        case School::Lmo: {
            const double sum = calendar_ + cycling_;
            return sum > 0 ? loss(years) * calendar_ / sum : 0;
        }
        default:
            return 0;
    }
}

double SchoolLaw::loss(double years, double scale) const {
    if (silent_) return kNone;
    const double weeks = years * kWeeksPerYear;
    double out = 0;
    switch (school_) {
        case School::Table:
            out = 0.2 * equivalents_ * weeks / tableCycles_;
            break;
        case School::Nmc:
            out = std::pow(calendar_ * weeks, 0.75) + std::sqrt(cycling_ * weeks);
            break;
        case School::Lmo:
            out = lmoLoss((calendar_ + cycling_) * weeks);
            break;
        case School::Lfp:
            out = std::pow(cycling_ * weeks, 0.55);
            break;
    }
    return std::min(1.0, scale * out);
}

double SchoolLaw::resistanceGrowth(double years) const {
    if (school_ != School::Nmc) return kNone;
    const double weeks = years * kWeeksPerYear;
    return std::pow(calendarR_ * weeks, 0.75) + cyclingR_ * weeks;
}

double SchoolLaw::yearsTo(double wanted, double scale) const {
    if (silent_) return kNone;
    return weeksTo(wanted, [&](double weeks) { return loss(weeks / kWeeksPerYear, scale); }) /
           kWeeksPerYear;
}

SchoolAnswer SchoolLaw::answer() const {
    SchoolAnswer out;
    out.school = school_;
    out.caveats = caveats_;
    out.extrapolated = extrapolated_;
    if (school_ == School::Table) {
        out.cycles = tableCycles_;
        if (silent_) return out;
        const double perYear = equivalents_ * kWeeksPerYear;
        out.years = tableCycles_ / perYear;
        out.yearsLow = tableLow_ / perYear;
        out.yearsHigh = tableHigh_ / perYear;
        return out;
    }
    if (silent_) return out;
    out.years = yearsTo(0.2);
    if (!std::isfinite(out.years)) {
        out.years = kNone;
        out.caveats.push_back(phrase("The law never reaches 80 % on this habit."));
        return out;
    }
    if (equivalents_ > 0) out.cycles = out.years * kWeeksPerYear * equivalents_;
    const double whole = loss(out.years);
    out.calendarShare = school_ == School::Lfp ? 0 : calendarLoss(out.years) / whole;
    out.resistanceGrowth = resistanceGrowth(out.years);
    return out;
}

std::vector<School> schoolsFor(const Chemistry& chemistry) {
    if (chemistry.ageingLaw == "nmc") return {School::Nmc, School::Table};
    if (chemistry.ageingLaw == "lmo") return {School::Lmo, School::Table};
    if (chemistry.ageingLaw == "lfp") return {School::Lfp, School::Table};
    return {School::Table};
}

std::string whySchool(const Chemistry& chemistry) {
    if (chemistry.ageingLaw == "nmc")
        return phrase("The NMC law counts voltage, warmth, time and use of this kind of cell.");
    if (chemistry.ageingLaw == "lmo")
        return phrase(
            "The LMO law counts charge level, warmth, time and depth of this kind of "
            "cell.");
    if (chemistry.ageingLaw == "lfp")
        return phrase(
            "The LFP law counts use, rate and warmth of this kind of cell; it knows "
            "neither voltage nor time.");
    return phrase(
        "No published law here is of this kind of cell; the table of practice is what is "
        "left.");
}

}  // namespace nk
