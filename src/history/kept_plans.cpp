#include "kept_plans.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

using Json = nlohmann::json;
constexpr std::size_t kMostKept = 50;
constexpr double kDay_s = 86400;

std::string settingOf(std::int64_t battery) {
    return "bench_cards:" + std::to_string(battery);
}

/// The constant current and what holds the voltage after it.
struct LoggedCharge {
    const Step* current = nullptr;
    const Step* taper = nullptr;
    double began_s() const { return first().start_s; }
    const Step& first() const { return current != nullptr ? *current : *taper; }
    const Step& last() const { return taper != nullptr ? *taper : *current; }
    double charge_Ah() const {
        return (current != nullptr ? current->sum.charge_Ah : 0) +
               (taper != nullptr ? taper->sum.charge_Ah : 0);
    }
    double time_s() const { return last().end_s - first().start_s; }
};

std::optional<LoggedCharge> chargeIn(const Steps& steps) {
    std::optional<LoggedCharge> best;
    const auto& list = steps.list;
    for (std::size_t k = 0; k < list.size(); ++k) {
        LoggedCharge one;
        if (list[k].kind == StepKind::CcCharge) {
            one.current = &list[k];
            if (k + 1 < list.size() && list[k + 1].kind == StepKind::CvCharge)
                one.taper = &list[k + 1];
        } else if (list[k].kind == StepKind::CvCharge &&
                   (k == 0 || list[k - 1].kind != StepKind::CcCharge)) {
            one.taper = &list[k];
        } else {
            continue;
        }
        if (!best || one.charge_Ah() > best->charge_Ah()) best = one;
    }
    return best;
}

Json number(double x) {
    return std::isfinite(x) ? Json(x) : Json(nullptr);
}
double numberIn(const Json& j, const char* name, double fallback = kNaN) {
    const auto it = j.find(name);
    return it != j.end() && it->is_number() ? it->get<double>() : fallback;
}
std::vector<std::string> textsIn(const Json& j, const char* name) {
    std::vector<std::string> out;
    const auto it = j.find(name);
    if (it == j.end() || !it->is_array()) return out;
    for (const Json& t : *it)
        if (t.is_string()) out.push_back(t.get<std::string>());
    return out;
}

}  // namespace

KeptPlan keptPlan(const ChargePlan& plan, double rated_Ah, const std::string& charger,
                  double at_s) {
    KeptPlan out;
    out.at_s = at_s;
    out.chemistry = plan.chemistry;
    out.charger = charger;
    out.cells = plan.cells;
    out.rated_Ah = rated_Ah;
    out.current_A = plan.effectiveCurrent_A;
    out.setPerCell_V = plan.setPerCell_V;
    out.cutoff_A = plan.cutoff_A;
    out.time_s = plan.time_s;
    out.beyondUsual = plan.beyondUsual;
    return out;
}

std::string keptPlansText(const std::vector<KeptPlan>& plans) {
    Json all = Json::array();
    for (const KeptPlan& p : plans)
        all.push_back({{"at_s", p.at_s},
                       {"chemistry", p.chemistry},
                       {"charger", p.charger},
                       {"cells", p.cells},
                       {"rated_Ah", number(p.rated_Ah)},
                       {"current_A", number(p.current_A)},
                       {"set_V_per_cell", number(p.setPerCell_V)},
                       {"cutoff_A", number(p.cutoff_A)},
                       {"time_s", p.time_s},
                       {"expected_Ah", number(p.expected_Ah)},
                       {"expected_uncertainty_Ah", number(p.expectedUncertainty_Ah)},
                       {"beyond_usual", p.beyondUsual},
                       {"ticked", p.ticked},
                       {"open", p.open}});
    return Json{{"schema", "narrow-knee/bench-cards/1"}, {"cards", all}}.dump(
        -1, ' ', false, Json::error_handler_t::replace);
}

std::vector<KeptPlan> keptPlansIn(const std::string& text) {
    std::vector<KeptPlan> out;
    const Json j = Json::parse(text, nullptr, false);
    if (!j.is_object() || j.value("schema", Json()) != "narrow-knee/bench-cards/1") return out;
    const auto cards = j.find("cards");
    if (cards == j.end() || !cards->is_array()) return out;
    for (const Json& c : *cards) {
        if (!c.is_object()) continue;
        KeptPlan p;
        p.at_s = numberIn(c, "at_s");
        p.current_A = numberIn(c, "current_A");
        p.cells = static_cast<int>(std::clamp(numberIn(c, "cells", 1), 1.0, 400.0));
        p.rated_Ah = numberIn(c, "rated_Ah", 0);
        p.setPerCell_V = numberIn(c, "set_V_per_cell");
        p.cutoff_A = numberIn(c, "cutoff_A");
        p.expected_Ah = numberIn(c, "expected_Ah");
        p.expectedUncertainty_Ah = numberIn(c, "expected_uncertainty_Ah");
        const auto word = [&](const char* name) {
            const auto it = c.find(name);
            return it != c.end() && it->is_string() ? it->get<std::string>() : std::string();
        };
        p.chemistry = word("chemistry");
        p.charger = word("charger");
        const auto marked = c.find("beyond_usual");
        p.beyondUsual = marked != c.end() && marked->is_boolean() && marked->get<bool>();
        const auto time = c.find("time_s");
        if (time != c.end() && time->is_array() && time->size() == 3)
            for (std::size_t k = 0; k < 3; ++k)
                p.time_s[k] = (*time)[k].is_number() ? (*time)[k].get<double>() : kNaN;
        p.ticked = textsIn(c, "ticked");
        p.open = textsIn(c, "open");
        if (std::isfinite(p.at_s) && p.current_A > 0) out.push_back(std::move(p));
    }
    return out;
}

std::vector<KeptPlan> plansOf(BenchBook& book, std::int64_t batteryId) {
    return keptPlansIn(book.setting(settingOf(batteryId)).value_or(std::string()));
}

Expected<void> addPlan(BenchBook& book, std::int64_t batteryId, const KeptPlan& plan) {
    auto all = plansOf(book, batteryId);
    all.push_back(plan);
    if (all.size() > kMostKept)
        all.erase(all.begin(), all.end() - static_cast<std::ptrdiff_t>(kMostKept));
    return book.setSetting(settingOf(batteryId), keptPlansText(all));
}

int planBefore(const std::vector<KeptPlan>& plans, const OpenedRecording& opened) {
    const auto charge = chargeIn(opened.analysis.steps);
    const double at = opened.entry.at_s();
    if (!charge || !std::isfinite(at)) return -1;
    const double began = at + charge->began_s() - opened.recording->time_s().front();
    int best = -1;
    for (std::size_t k = 0; k < plans.size(); ++k)
        if (plans[k].at_s <= began && began - plans[k].at_s < kDay_s &&
            (best < 0 || plans[k].at_s >= plans[static_cast<std::size_t>(best)].at_s))
            best = static_cast<int>(k);
    return best;
}

std::vector<AgainstLog> againstLog(const KeptPlan& plan, const OpenedRecording& opened) {
    std::vector<AgainstLog> out;
    const auto charge = chargeIn(opened.analysis.steps);
    if (!charge) return out;
    const double cells = opened.analysis.battery.cells();
    if (charge->current != nullptr) {
        const Step& s = *charge->current;
        const double hours = (s.end_s - s.start_s) / 3600;
        const double amps = hours > 0 ? s.sum.charge_Ah / hours : kNaN;
        AgainstLog a{"current", shortValue(plan.current_A, "A"), shortValue(amps, "A"), {}, true};
        const double off = amps / plan.current_A - 1;
        a.met = std::abs(off) < 0.05;
        if (!a.met)
            a.words = off < 0 ? phrase(
                                    "It flowed {:.0f} % less: a limit of the charger, or another "
                                    "setting.",
                                    -100 * off)
                              : phrase("It flowed {:.0f} % more than was set.", 100 * off);
        out.push_back(std::move(a));
    }
    if (std::isfinite(plan.setPerCell_V)) {
        const double volts = charge->last().endVoltage_V / cells;
        AgainstLog a{"set_voltage",
                     phrase("{:.2f} V a cell", plan.setPerCell_V),
                     phrase("{:.3f} V a cell", volts),
                     {},
                     true};
        const double off = volts - plan.setPerCell_V;
        a.met = std::abs(off) < 0.015;
        if (!a.met)
            a.words = off > 0 ? phrase("{:.0f} mV a cell above what was set.", 1000 * off)
                              : phrase(
                                    "{:.0f} mV a cell under what was set: stopped before, or a "
                                    "meter that is off.",
                                    -1000 * off);
        out.push_back(std::move(a));
    }
    if (std::isfinite(plan.cutoff_A) && charge->taper != nullptr) {
        const double amps = std::abs(charge->taper->endCurrent_A);
        AgainstLog a{"cut_off", shortValue(plan.cutoff_A, "A"), shortValue(amps, "A"), {}, true};
        const double ratio = amps / plan.cutoff_A;
        a.met = ratio < 1.3 && ratio > 0.6;
        if (!a.met)
            a.words = ratio > 1
                          ? phrase("It ended at {:.1f} times the cut-off: sooner than set.", ratio)
                          : phrase("It went on below the cut-off.");
        out.push_back(std::move(a));
    }
    const double took = charge->time_s();
    AgainstLog time{
        "time",
        durationText(plan.time_s[0], plan.time_s[2]) + " … " + durationText(plan.time_s[2]),
        durationText(took),
        {},
        took > 0.98 * plan.time_s[0] && took < 1.02 * plan.time_s[2]};
    if (!time.met)
        time.words = took < plan.time_s[0]
                         ? phrase("Quicker than planned: fuller at the start, or less capacity.")
                         : phrase("Slower than planned: less current, or more capacity.");
    out.push_back(std::move(time));
    if (std::isfinite(plan.expected_Ah)) {
        const double got = charge->charge_Ah();
        AgainstLog a{"charge",
                     phrase("{} ± {}", shortValue(plan.expected_Ah, "Ah"),
                            shortValue(2 * plan.expectedUncertainty_Ah, "Ah")),
                     shortValue(got, "Ah"),
                     {},
                     std::abs(got - plan.expected_Ah) <
                         2 * plan.expectedUncertainty_Ah + 0.01 * plan.expected_Ah};
        if (!a.met) a.words = phrase("Not what its own model said.");
        out.push_back(std::move(a));
    }
    return out;
}

}  // namespace nk
