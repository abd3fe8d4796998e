#include "habit_json.h"

#include <fmt/format.h>

#include <cmath>

#include "json_writer.h"

namespace nk {

namespace {

void texts(JsonWriter& out, const std::vector<std::string>& all) {
    out.beginList();
    for (const std::string& t : all) out.text(t);
    out.endList();
}

}  // namespace

std::string habitJson(const std::vector<HabitAnswer>& answers,
                      const std::vector<HabitChange>& changes, const HabitBattery& battery,
                      double years) {
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/habit/1");
    out.key("chemistry").text(battery.chemistry->id);
    out.key("default_school")
        .text(toString(answers.empty() || answers.front().schools.empty()
                           ? School::Table
                           : answers.front().schools.front().school));
    out.key("why").text(whySchool(*battery.chemistry));
    out.key("habits").beginList();
    for (const HabitAnswer& a : answers) {
        out.beginObject();
        out.key("name").text(a.habit.name);
        out.key("schools").beginList();
        for (const SchoolAnswer& s : a.schools) {
            const SchoolLaw law(s.school, a.habit, a.load, *battery.chemistry, battery.baseCycles);
            out.beginObject();
            out.key("school").text(toString(s.school));
            out.key("years_to_80").number(s.years);
            out.key("years_to_80_low").number(s.yearsLow);
            out.key("years_to_80_high").number(s.yearsHigh);
            out.key("cycles_to_80").number(s.cycles);
            out.key("calendar_share").number(s.calendarShare);
            out.key("capacity_after_years").number(1 - law.loss(years));
            out.key("resistance_growth_at_80").number(s.resistanceGrowth);
            out.key("extrapolated").boolean(s.extrapolated);
            out.key("caveats");
            texts(out, s.caveats);
            out.endObject();
        }
        out.endList();
        out.key("range_percent").number(100 * a.range);
        out.key("unused_percent").number(100 * a.unused);
        out.key("drift_loss_percent").number(100 * a.driftLoss);
        out.key("lifetime_energy_Wh").number(a.lifetimeEnergy_Wh);
        out.key("equivalent_full_cycles_per_week").number(a.load.equivalentsPerWeek);
        out.key("hours_above_4V1_per_week").number(a.load.hoursAbove4V1);
        out.key("caveats");
        texts(out, a.caveats);
        out.endObject();
    }
    out.endList();
    out.key("years").number(years);
    out.key("ranking").beginList();
    for (const HabitChange& c : changes) {
        out.beginObject();
        out.key("change").text(c.words);
        out.key("id").text(c.id);
        out.key("years_gained").beginList();
        out.number(c.low);
        out.number(c.high);
        out.endList();
        out.key("range_change_percent").number(100 * c.range);
        out.key("sentence").text(plainAnswer(c));
        out.key("schools_without_a_term");
        texts(out, c.silent);
        out.endObject();
    }
    out.endList();
    out.endObject();
    return out.done();
}

std::string habitText(const std::vector<HabitAnswer>& answers,
                      const std::vector<HabitChange>& changes, const HabitBattery& battery) {
    std::string out;
    for (const HabitAnswer& a : answers) {
        out += (a.habit.name.empty() ? fmt::format("A habit without a name") : a.habit.name) + "\n";
        for (const SchoolAnswer& s : a.schools) {
            out +=
                std::isfinite(s.years)
                    ? fmt::format("  {:<6} {:.1f} years to 80 %, {:.0f} equivalent full cycles{}\n",
                                  toString(s.school), s.years, s.cycles,
                                  s.extrapolated ? " (extrapolated)" : std::string())
                    : fmt::format("  {:<6} cannot say\n", toString(s.school));
            for (const std::string& c : s.caveats) out += "         " + c + "\n";
        }
        out += fmt::format(
            "  {:.0f} % of the full range per charge, {:.1f} h a week above 4.10 V a cell\n",
            100 * a.range, a.load.hoursAbove4V1);
        for (const std::string& c : a.caveats) out += "  " + c + "\n";
    }
    if (!changes.empty()) out += fmt::format("What changes most\n");
    for (const HabitChange& c : changes) out += "  " + plainAnswer(c) + "\n";
    out += fmt::format(
        "Default school: {} {}\n",
        toString(answers.empty() ? School::Table : answers.front().schools.front().school),
        whySchool(*battery.chemistry));
    return out;
}

}  // namespace nk
