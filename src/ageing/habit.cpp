#include "habit.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"
#include "rainflow.h"

namespace nk {

namespace {

constexpr double kWeek_min = 7 * 24 * 60;
constexpr double kYear_days = 365.25;

Expected<void> check(const Habit& h, const Chemistry& chemistry) {
    const auto range = [](const char* what, double x, double low, double high,
                          const char* unit) -> Expected<void> {
        if (x >= low && x <= high) return {};
        return fail(ErrorKind::InvalidArgument, phrase("{} is out of range: {:.4g}.", what, x), {},
                    phrase("{:.4g} to {:.4g} {}.", low, high, unit));
    };
    if (chemistry.nickel())
        return fail(ErrorKind::InvalidArgument,
                    phrase("The laws of habits are of lithium batteries; {} has no charge voltage "
                           "to choose.",
                           chemistry.name()));
    if (h.target_V > chemistry.set_V + 1e-9)
        return fail(
            ErrorKind::InvalidArgument,
            phrase("A target of {:.3f} V a cell is above the {:.2f} V of {}: that costs life fast "
                   "and is dangerous, so no target above it is accepted.",
                   h.target_V, chemistry.set_V, chemistry.name()),
            "target_V_per_cell", phrase("at most {:.2f} V a cell.", chemistry.set_V));
    if (h.target_V != 0)
        if (auto ok = range("target_V_per_cell", h.target_V, chemistry.dischargeFloor_V,
                            chemistry.set_V, "V");
            !ok)
            return ok;
    struct {
        const char* name;
        double value, low, high;
        const char* unit;
    } const figures[] = {{"uses_per_week", h.usesPerWeek, 0, 140, "a week"},
                         {"depth", h.depth, 0, 1, "of the full charge"},
                         {"discharge_c", h.discharge_C, 0.01, 30, "C"},
                         {"charge_c", h.charge_C, 0.01, 10, "C"},
                         {"parked_C", h.parked_C, -30, 70, "°C"},
                         {"use_C", h.use_C, -30, 70, "°C"},
                         {"charge_temperature_C", h.charging_C, -30, 70, "°C"},
                         {"full_charge_every_weeks", h.fullChargeEveryWeeks, 0, 104, "weeks"},
                         {"device_floor_V_per_cell", h.deviceFloor_V, 0,
                          h.target_V > 0 ? h.target_V : chemistry.set_V, "V"},
                         {"use_at", h.useAt_h, 0, 24, "h"}};
    for (const auto& f : figures)
        if (auto ok = range(f.name, f.value, f.low, f.high, f.unit); !ok) return ok;
    double days = 0;
    for (const HabitPause& p : h.pauses) {
        days += p.daysPerYear;
        if (auto ok = range("days_per_year", p.daysPerYear, 0, 365, "days"); !ok) return ok;
        if (auto ok = range("soc", p.soc, 0, 1, "of the full charge"); !ok) return ok;
        if (auto ok = range("temperature_C", p.temperature_C, -30, 70, "°C"); !ok) return ok;
    }
    return range("days_per_year", days, 0, 365, "days in all");
}

/// Begins of the uses in minutes from the start of the period, even over it, at the hour of use
/// where there is at most one a day.
std::vector<double> usesIn(const Habit& h, double period_min) {
    std::vector<double> out;
    const auto count = static_cast<int>(std::lround(h.usesPerWeek * period_min / kWeek_min));
    for (int k = 0; k < count; ++k) {
        const double even = period_min * k / count;
        const double at = h.usesPerWeek <= 7 ? std::floor(even / 1440) * 1440 + h.useAt_h * 60
                                             : even + h.useAt_h * 60;
        out.push_back(std::fmod(at, period_min));
    }
    std::ranges::sort(out);
    return out;
}

}  // namespace

Expected<HabitLoad> loadOf(const Habit& habit, const Chemistry& chemistry) {
    if (auto ok = check(habit, chemistry); !ok) return tl::unexpected<Error>(ok.error());
    // Weeks do not know of each other: a full charge every thirty is four weeks with one and
    // twenty-six without.
    constexpr double kShort = 4;
    if (habit.fullChargeEveryWeeks > 2 * kShort) {
        Habit with = habit;
        with.fullChargeEveryWeeks = kShort;
        Habit without = habit;
        without.fullChargeEveryWeeks = 0;
        auto a = loadOf(with, chemistry);
        auto b = loadOf(without, chemistry);
        if (!a) return a;
        if (!b) return b;
        const double share = kShort / std::round(habit.fullChargeEveryWeeks);
        HabitLoad out = *a;
        for (auto& m : out.minutes) m.weight *= share;
        for (auto m : b->minutes) {
            m.weight *= 1 - share;
            out.minutes.push_back(m);
        }
        for (auto& c : out.cycles) c.count *= share;
        for (auto c : b->cycles) {
            c.count *= 1 - share;
            out.cycles.push_back(c);
        }
        const auto mixed = [&](double x, double y) { return share * x + (1 - share) * y; };
        out.equivalentsPerWeek = mixed(a->equivalentsPerWeek, b->equivalentsPerWeek);
        out.usesPerWeek = mixed(a->usesPerWeek, b->usesPerWeek);
        out.hoursAbove4V1 = mixed(a->hoursAbove4V1, b->hoursAbove4V1);
        out.meanUse_V = mixed(a->meanUse_V, b->meanUse_V);
        out.week = b->week;
        return out;
    }
    const OpenCircuitCurve& ocv = chemistry.ocv;
    const double target_V = habit.target_V > 0 ? habit.target_V : chemistry.set_V;
    HabitLoad out;
    // Full is what the set voltage gives; the curve may end a little under or over it.
    const double full = chemistry.fullSoc;
    out.targetSoc = std::clamp(ocv.soc(target_V) / full, 0.0, 1.0);
    out.highestSoc = out.targetSoc;
    double paused = 0;
    for (const HabitPause& p : habit.pauses) paused += p.daysPerYear / kYear_days;
    const double active = std::max(0.0, 1 - paused);

    // The period: whole weeks that hold a whole number of uses, and one full charge.
    double weeks = 1;
    if (habit.usesPerWeek != std::floor(habit.usesPerWeek)) weeks = 4;
    if (habit.usesPerWeek > 0 && habit.usesPerWeek < 0.5) weeks = 52;
    const double every = std::round(habit.fullChargeEveryWeeks);
    if (every > 0) weeks = every * std::ceil(weeks / every);
    const double period = weeks * kWeek_min;
    const auto uses = usesIn(habit, period);
    out.usesPerWeek = static_cast<double>(uses.size()) / weeks * active;

    // The level minute by minute, twice round so that the start is what the end leaves.
    const auto minutes = static_cast<std::size_t>(period);
    std::vector<double> level(minutes);
    std::vector<HabitStretch::Doing> doing(minutes, HabitStretch::Doing::Parked);
    std::size_t shallow = 0;
    std::size_t unfinished = 0;
    double soc = out.targetSoc;
    const double useMinutes = 60 * habit.depth / habit.discharge_C;
    for (int round = 0; round < 2; ++round) {
        std::size_t next = 0;
        double left = 0;  // minutes of the use under way
        bool charging = false;
        double aim = out.targetSoc;
        double lastFull = -1e9;
        shallow = unfinished = 0;
        for (std::size_t m = 0; m < minutes; ++m) {
            const auto now = static_cast<double>(m);
            const bool begins = next < uses.size() && uses[next] <= now;
            if (begins) {
                if (soc < aim - 0.01) ++unfinished;
                left = useMinutes;
                charging = false;
                ++next;
            }
            if (left > 0) {
                // A minute of use, or what is left of one.
                const double part = std::min(1.0, left);
                const double taken = habit.discharge_C / 60 * part;
                if (soc - taken < 0 && soc > 0) ++shallow;
                soc = std::max(0.0, soc - taken);
                left -= 1;
                doing[m] = HabitStretch::Doing::Use;
                if (left <= 0) {
                    left = 0;
                    const bool wholly = every > 0 && now - lastFull >= every * kWeek_min - 1440;
                    aim = wholly ? 1.0 : out.targetSoc;
                    if (wholly) lastFull = now;
                    charging = habit.charge == ChargeWhen::AtOnce;
                }
                level[m] = soc;
                continue;
            }
            if (!charging && habit.charge == ChargeWhen::ReadyBy && !uses.empty() &&
                soc < aim - 1e-9) {
                const double ahead =
                    next < uses.size() ? uses[next] - now : uses.front() + period - now;
                charging = ahead <= (aim - soc) / habit.charge_C * 60 + 1;
            }
            if (charging) {
                soc = std::min(aim, soc + habit.charge_C / 60);
                if (soc >= aim - 1e-9) charging = false;
                doing[m] = HabitStretch::Doing::Charge;
            }
            level[m] = soc;
        }
    }
    if (every > 0 && !uses.empty()) out.highestSoc = 1;
    if (uses.empty()) std::ranges::fill(level, out.targetSoc);

    const auto warmth = [&](HabitStretch::Doing d) {
        return d == HabitStretch::Doing::Use      ? habit.use_C
               : d == HabitStretch::Doing::Charge ? habit.charging_C
                                                  : habit.parked_C;
    };
    double useVolts = 0;
    double useMinutesSeen = 0;
    double taken = 0;
    // Levels repeat: equal levels and doings are one entry with a weight.
    for (std::size_t m = 0; m < minutes; ++m) {
        const double t = warmth(doing[m]);
        if (!out.minutes.empty() && out.minutes.back().soc == level[m] &&
            out.minutes.back().temperature_C == t) {
            out.minutes.back().weight += active / weeks;
        } else {
            out.minutes.push_back({level[m], ocv.voltage_V(level[m] * full), t, active / weeks});
        }
        const double before = level[m == 0 ? minutes - 1 : m - 1];
        if (doing[m] == HabitStretch::Doing::Use) {
            useVolts += out.minutes.back().voltage_V;
            useMinutesSeen += 1;
        }
        taken += std::max(0.0, before - level[m]);
        if (m < static_cast<std::size_t>(kWeek_min)) {
            if (!out.week.empty() && out.week.back().doing == doing[m]) {
                out.week.back().minutes += 1;
                out.week.back().soc_end = level[m];
            } else {
                out.week.push_back({1, before, level[m], t, doing[m]});
            }
        }
    }
    for (const HabitPause& p : habit.pauses)
        out.minutes.push_back({p.soc, ocv.voltage_V(p.soc * full), p.temperature_C,
                               p.daysPerYear / kYear_days * kWeek_min});
    for (const auto& m : out.minutes)
        if (m.voltage_V > 4.1 + 1e-6) out.hoursAbove4V1 += m.weight / 60;
    out.equivalentsPerWeek = taken / weeks * active;
    out.meanUse_V = useMinutesSeen > 0 ? useVolts / useMinutesSeen : ocv.voltage_V(0.5);

    // Swings: begun at the highest level, so that all of a repeating history close.
    if (!uses.empty()) {
        const auto top = std::ranges::max_element(level);
        std::vector<double> turned(top, level.end());
        turned.insert(turned.end(), level.begin(), top + 1);
        double warm = 0;
        double busy = 0;
        for (std::size_t m = 0; m < minutes; ++m)
            if (doing[m] != HabitStretch::Doing::Parked) {
                warm += warmth(doing[m]);
                busy += 1;
            }
        for (const CountedCycle& c : rainflow(turned)) {
            if (!(c.range > 1e-6)) continue;
            out.cycles.push_back({c.range, c.mean, c.count / weeks * active, warm / busy});
        }
    }
    if (shallow > 0)
        out.caveats.push_back(phrase(
            "A use of {:.0f} % of the charge is more than this target leaves: it ends empty.",
            100 * habit.depth));
    if (unfinished > 0)
        out.caveats.push_back(phrase("Some charges are not done when the next use begins."));
    if (habit.charging_C < chemistry.chargeMin_C || habit.charging_C > chemistry.chargeMax_C)
        out.caveats.push_back(
            phrase("Charging at {:.0f} °C is outside {:.0f} to {:.0f} °C: it "
                   "damages the battery in a way that no law here counts.",
                   habit.charging_C, chemistry.chargeMin_C, chemistry.chargeMax_C));
    return out;
}

}  // namespace nk
