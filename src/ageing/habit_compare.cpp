#include "habit_compare.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr double kWeeksPerYear = 365.25 / 7;

std::vector<School> schoolsOf(const HabitBattery& battery) {
    return battery.schools.empty() ? schoolsFor(*battery.chemistry) : battery.schools;
}

/// Whether a law has a term that the change touches.
bool speaksOf(School school, const std::string& change) {
    switch (school) {
        case School::Table:
            return change == "target";
        case School::Nmc:
        case School::Lmo:
            return change != "rate";
        case School::Lfp:
            return change == "depth" || change == "rate" || change == "cooler_use" ||
                   change == "fewer_uses";
    }
    return false;
}

}  // namespace

Expected<HabitAnswer> answerHabit(const Habit& habit, const HabitBattery& battery) {
    auto load = loadOf(habit, *battery.chemistry);
    if (!load) return tl::unexpected<Error>(load.error());
    HabitAnswer out;
    out.habit = habit;
    out.load = std::move(*load);
    out.caveats = out.load.caveats;
    const Chemistry& chemistry = *battery.chemistry;
    for (const School school : schoolsOf(battery)) {
        const SchoolLaw law(school, habit, out.load, chemistry, battery.baseCycles);
        SchoolAnswer a = law.answer();
        if (battery.ownScale != 1 && school != School::Table && std::isfinite(a.years)) {
            a.years = law.yearsTo(0.2, battery.ownScale);
            a.cycles = a.years * kWeeksPerYear * out.load.equivalentsPerWeek;
            a.caveats.push_back(phrase("Scaled to this battery's own fade: {:.2g} times the law's.",
                                       battery.ownScale));
        }
        out.schools.push_back(std::move(a));
    }
    // What the device leaves in it is no range.
    const double full = chemistry.fullSoc;
    const double kept =
        habit.deviceFloor_V > 0 ? std::min(0.95, chemistry.ocv.soc(habit.deviceFloor_V) / full) : 0;
    out.range = std::max(0.0, (out.load.targetSoc - kept) / (1 - kept));
    out.left = kept;
    double lowest = 1;
    double highest = 0;
    for (const auto& m : out.load.minutes) {
        lowest = std::min(lowest, m.soc);
        highest = std::max(highest, m.soc);
    }
    out.unused = out.load.cycles.empty() ? 1 : lowest + (1 - highest);
    // Energy until 80 %, by the default school, with the capacity that is left in each year.
    const SchoolAnswer& first = out.schools.front();
    if (battery.rated_Ah > 0 && std::isfinite(first.years) && out.load.equivalentsPerWeek > 0) {
        const SchoolLaw law(first.school, habit, out.load, chemistry, battery.baseCycles);
        constexpr int kParts = 200;
        double mean = 0;
        for (int k = 0; k < kParts; ++k)
            mean += (1 - law.loss(first.years * (k + 0.5) / kParts, battery.ownScale)) / kParts;
        out.lifetimeEnergy_Wh = first.years * kWeeksPerYear * out.load.equivalentsPerWeek * mean *
                                battery.rated_Ah * battery.series * out.load.meanUse_V;
    }
    // Cells drift apart until a charge reaches the balancer.
    const double target_V = habit.target_V > 0 ? habit.target_V : chemistry.set_V;
    if (battery.series > 1 && target_V < battery.chemistry->balancerFrom_V &&
        chemistry.set_V >= battery.chemistry->balancerFrom_V) {
        if (habit.fullChargeEveryWeeks > 0)
            out.driftLoss = battery.driftPerMonth * habit.fullChargeEveryWeeks / (365.25 / 84);
        else if (battery.driftPerMonth > 0)
            out.driftLoss = std::min(1.0, battery.driftPerMonth * 12);
        if (habit.fullChargeEveryWeeks <= 0)
            out.caveats.push_back(
                phrase("This pack is never charged into its balancer's range ({:.2f} V a cell and "
                       "up): its cells drift apart.",
                       battery.chemistry->balancerFrom_V));
    }
    return out;
}

std::vector<double> capacityOver(const Habit& habit, const HabitAnswer& answer,
                                 const HabitBattery& battery, School school, double years,
                                 int points) {
    const SchoolLaw law(school, habit, answer.load, *battery.chemistry, battery.baseCycles);
    std::vector<double> out;
    const double scale = school == School::Table ? 1 : battery.ownScale;
    for (int k = 0; k < points; ++k)
        out.push_back(1 - law.loss(years * k / std::max(1, points - 1), scale));
    return out;
}

std::vector<HabitChange> whatChangesMost(const HabitAnswer& answer, const HabitBattery& battery) {
    const Habit& h = answer.habit;
    const Chemistry& chemistry = *battery.chemistry;
    const double target = h.target_V > 0 ? h.target_V : chemistry.set_V;
    std::vector<HabitChange> tried;
    const auto add = [&](const char* id, std::string words, auto edit) {
        HabitChange c;
        c.id = id;
        c.words = std::move(words);
        c.habit = h;
        edit(c.habit);
        tried.push_back(std::move(c));
    };
    if (target - 0.1 > chemistry.nominal_V)
        add("target", phrase("{:.2f} V a cell instead of {:.2f} V", target - 0.1, target),
            [&](Habit& x) { x.target_V = target - 0.1; });
    if (target < chemistry.set_V - 0.005)
        add("target", phrase("{:.2f} V a cell instead of {:.2f} V", chemistry.set_V, target),
            [&](Habit& x) { x.target_V = chemistry.set_V; });
    if (h.charge == ChargeWhen::AtOnce && h.usesPerWeek > 0)
        add("ready_by", phrase("charging just before use instead of at once"),
            [](Habit& x) { x.charge = ChargeWhen::ReadyBy; });
    if (h.parked_C > 12)
        add("parked",
            phrase("parked at {:.0f} °C instead of {:.0f} °C", h.parked_C - 8, h.parked_C),
            [&](Habit& x) { x.parked_C -= 8; });
    if (h.parked_C <= 30)
        add("parked",
            phrase("parked at {:.0f} °C instead of {:.0f} °C", h.parked_C + 10, h.parked_C),
            [&](Habit& x) { x.parked_C += 10; });
    if (h.depth > 0.2 && h.usesPerWeek > 0 && h.usesPerWeek <= 70)
        add("depth", phrase("charging after half the use, twice as often"), [](Habit& x) {
            x.depth /= 2;
            x.usesPerWeek *= 2;
        });
    if (h.usesPerWeek > 0 && h.use_C > 25)
        add("cooler_use", phrase("used at {:.0f} °C instead of {:.0f} °C", h.use_C - 8, h.use_C),
            [](Habit& x) { x.use_C -= 8; });
    double paused = 0;
    bool fullPause = false;
    for (const HabitPause& p : h.pauses) {
        paused += p.daysPerYear;
        fullPause = fullPause || p.soc > 0.6;
    }
    if (fullPause)
        add("pause", phrase("long pauses at half charge"), [](Habit& x) {
            for (HabitPause& p : x.pauses) p.soc = std::min(p.soc, 0.5);
        });
    if (paused < 351)
        add("week_full", phrase("two weeks a year at full before a trip"), [&](Habit& x) {
            x.pauses.push_back({14, 1, x.parked_C});
        });
    if (battery.series > 1 && target < battery.chemistry->balancerFrom_V &&
        h.fullChargeEveryWeeks <= 0 && h.usesPerWeek > 0)
        add("full_charge", phrase("a full charge every four weeks for the balancer"),
            [](Habit& x) { x.fullChargeEveryWeeks = 4; });
    if (h.discharge_C > 1)
        add("rate", phrase("drawn at {:.2g}C instead of {:.2g}C", h.discharge_C / 2, h.discharge_C),
            [](Habit& x) { x.discharge_C /= 2; });

    std::vector<HabitChange> out;
    for (HabitChange& c : tried) {
        const auto changed = answerHabit(c.habit, battery);
        if (!changed) continue;
        double low = std::numeric_limits<double>::infinity();
        double high = -low;
        for (std::size_t k = 0; k < answer.schools.size(); ++k) {
            const SchoolAnswer& before = answer.schools[k];
            const SchoolAnswer& after = changed->schools[k];
            if (!speaksOf(before.school, c.id) || !std::isfinite(before.years) ||
                !std::isfinite(after.years)) {
                c.silent.push_back(toString(before.school));
                continue;
            }
            const auto take = [&](double won) {
                low = std::min(low, won);
                high = std::max(high, won);
            };
            take(after.years - before.years);
            if (before.school == School::Table) {
                take(after.yearsLow - before.yearsLow);
                take(after.yearsHigh - before.yearsHigh);
            }
        }
        if (!std::isfinite(low)) continue;
        c.low = low;
        c.high = high;
        c.range = changed->range - answer.range;
        out.push_back(std::move(c));
    }
    std::ranges::stable_sort(out, std::greater<>(),
                             [](const HabitChange& c) { return std::abs(c.low + c.high); });
    return out;
}

std::string plainAnswer(const HabitChange& c) {
    const auto figure = [](double years) {
        const double x = std::abs(years);
        return x > 30 ? phrase("over 30") : x >= 9.95 ? phrase("{:.0f}", x) : phrase("{:.1f}", x);
    };
    const bool same = figure(c.low) == figure(c.high);
    std::string out;
    const double largest = std::max(std::abs(c.low), std::abs(c.high));
    if (largest < 0.05)
        out = phrase("{}: next to nothing", c.words);
    else if (c.low >= 0 && same)
        out = phrase("{}: about {} more years", c.words, figure(c.high));
    else if (c.high <= 0 && same)
        out = phrase("{}: about {} years less", c.words, figure(c.low));
    else if (c.low >= 0)
        out = phrase("{}: about {} to {} more years", c.words, figure(c.low), figure(c.high));
    else if (c.high <= 0)
        out = phrase("{}: about {} to {} years less", c.words, figure(c.high), figure(c.low));
    else
        out = phrase("{}: the schools disagree, from {} years less to {} more", c.words,
                     figure(c.low), figure(c.high));
    if (c.range < -0.005)
        out += phrase(", {:.0f} % less range per charge", -100 * c.range);
    else if (c.range > 0.005)
        out += phrase(", {:.0f} % more range per charge", 100 * c.range);
    return out + ".";
}

}  // namespace nk
