#include "plan_json.h"

#include <fmt/format.h>
#include <libical/ical.h>

#include <cmath>
#include <ctime>
#include <memory>

#include "json_writer.h"
#include "quantity/format.h"
#include "quantity/harmless.h"
#include "quantity/iso_time.h"

namespace nk {

namespace {

void texts(JsonWriter& out, const char* name, const std::vector<std::string>& all) {
    out.key(name).beginList();
    for (const std::string& t : all) out.text(t);
    out.endList();
}

void range(JsonWriter& out, const TimeRange& t) {
    out.key("time_s").beginList();
    for (const double x : t) out.number(x);
    out.endList();
}

void textOrNull(JsonWriter& out, const std::string& t) {
    if (t.empty())
        out.null();
    else
        out.text(t);
}

std::string lines(const char* title, const std::vector<std::string>& all) {
    if (all.empty()) return {};
    std::string out = std::string(title) + "\n";
    for (const std::string& t : all) out += "  " + t + "\n";
    return out;
}

std::string minutes(const TimeRange& t) {
    if (t[2] - t[0] < 60) return durationText(t[1]);
    return durationText(t[1], t[2]) + " (" + durationText(t[0], t[2]) + " to " +
           durationText(t[2]) + ")";
}

}  // namespace

std::string localTime(double at_s) {
    return isoTime(std::round(at_s / 60) * 60).substr(0, 16);
}

std::string refusalJson(const Error& e) {
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/refusal/1");
    out.key("act");
    textOrNull(out, e.act);
    out.key("because").text(e.where.empty() ? e.what : e.where + ": " + e.what);
    out.key("rule").text(e.rule.empty() ? "figures" : e.rule);
    out.key("source");
    textOrNull(out, e.source);
    out.key("instead");
    textOrNull(out, e.accepted);
    out.endObject();
    return out.done();
}

namespace {

/// What every plan says of its list to tick and of its ends.
void endsAndList(JsonWriter& out, double preflight_A, double temperature_C,
                 const std::vector<std::string>& endsBy, const std::string& left) {
    out.key("preflight_current_A").number(preflight_A);
    out.key("temperature_cutoff_C").number(temperature_C);
    texts(out, "ends_by", endsBy);
    out.key("left");
    textOrNull(out, left);
}

}  // namespace

std::string chargePlanJson(const ChargePlan& p, const std::string& timeFrom) {
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/plan/1");
    out.key("plan").text("charge");
    out.key("settings").beginObject();
    out.key("chemistry").text(p.chemistry);
    out.key("cells").whole(p.cells);
    out.key("current_A").number(p.current_A);
    out.key("effective_current_A").number(p.effectiveCurrent_A);
    out.key("set_V").number(p.set_V);
    out.key("set_V_per_cell").number(p.setPerCell_V);
    out.key("cutoff_A").number(p.cutoff_A);
    out.key("peak_drop_mV_per_cell").number(p.peakDrop_mV);
    out.key("timer_min").number(p.timer_min);
    out.key("capacity_limit_mAh").number(p.capacityLimit_mAh);
    out.key("rise_C_per_min").number(p.rise_Cmin);
    out.key("supply_W").number(p.supply_W);
    out.endObject();
    out.key("limited_by");
    textOrNull(out, p.limitedBy);
    out.key("beyond_usual").boolean(p.beyondUsual);
    out.key("triage");
    textOrNull(out, toString(p.triage.word));
    out.key("fills").number(p.fills);
    endsAndList(out, p.current_A, p.temperatureEnd_C, p.endsBy,
                p.triage.word == Triage::Word::Gently ? std::string() : "charged");
    out.key("from_soc").number(p.fromSoc >= 0 ? p.fromSoc : kNaN);
    range(out, p.time_s);
    out.key("time_from").text(timeFrom.empty() ? "usual" : timeFrom);
    out.key("knee_s").number(p.knee_s);
    out.key("reasons").beginObject();
    for (const auto& [name, words] : p.reasons) out.key(name.c_str()).text(words);
    out.endObject();
    texts(out, "preflight", p.preflight);
    texts(out, "cautions", p.cautions);
    out.endObject();
    return out.done();
}

std::string chargerTasksJson(const std::vector<ChargerTask>& tasks) {
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/charger-task/1");
    out.key("chargers").beginList();
    for (const ChargerTask& t : tasks) {
        out.beginObject();
        out.key("charger").text(t.charger);
        out.key("can").boolean(t.can());
        out.key("hours").number(t.hours);
        out.key("charge_A").number(t.can() ? t.charge_A : std::nan(""));
        out.key("discharge_A").number(t.discharge_A > 0 ? t.discharge_A : std::nan(""));
        out.key("decides");
        textOrNull(out, t.decides);
        out.key("text");
        textOrNull(out, t.words);
        out.endObject();
    }
    out.endList();
    out.endObject();
    return out.done();
}

std::string chargerTasksText(const std::vector<ChargerTask>& tasks) {
    std::string out;
    for (const ChargerTask& t : tasks)
        out += t.can() ? fmt::format("{:<28}{:>8}  {}\n", t.charger, durationText(3600 * t.hours),
                                     t.words)
                       : fmt::format("{:<28}{:>8}  {}\n", t.charger, "cannot", t.words);
    return out;
}

std::string chargePlanText(const ChargePlan& p, const std::vector<std::string>& how) {
    std::string out;
    const auto row = [&](const char* name, const std::string& value, const char* reason) {
        const auto it = p.reasons.find(reason);
        out +=
            fmt::format("{:<16}{:<13} {}\n", name, value, it == p.reasons.end() ? "" : it->second);
    };
    row("chemistry", p.chemistry, "chemistry");
    row("cells", fmt::format("{}", p.cells), "cells");
    row("current", fmt::format("{:.3g} A", p.current_A), "current_A");
    if (std::abs(p.effectiveCurrent_A - p.current_A) > 1e-9)
        row("really flows", fmt::format("{:.3g} A", p.effectiveCurrent_A), "effective_current_A");
    if (std::isfinite(p.set_V)) row("set voltage", fmt::format("{:.2f} V", p.set_V), "set_V");
    if (std::isfinite(p.cutoff_A)) row("cut-off", fmt::format("{:.3g} A", p.cutoff_A), "cutoff_A");
    if (std::isfinite(p.peakDrop_mV))
        row("peak", fmt::format("{:.0f} mV a cell", p.peakDrop_mV), "peak_drop_mV_per_cell");
    row("temperature", fmt::format("{:.0f} °C", p.temperatureEnd_C), "temperature_cutoff_C");
    if (std::isfinite(p.rise_Cmin))
        row("warming", fmt::format("{:.0f} °C/min", p.rise_Cmin), "rise_C_per_min");
    row("timer", fmt::format("{:.0f} min", p.timer_min), "timer_min");
    row("capacity limit", fmt::format("{:.0f} mAh", p.capacityLimit_mAh), "capacity_limit_mAh");
    row("takes", minutes(p.time_s), "time_s");
    for (const std::string& words : how) out += fmt::format("{:<29} {}\n", "", words);
    row("supply", fmt::format("{:.3g} W", p.supply_W), "supply_W");
    if (std::isfinite(p.fills)) row("fills", fmt::format("{:.1f}", p.fills), "fills");
    if (p.reasons.contains("life")) row("life", "", "life");
    out += lines("Before the start", p.preflight);
    out += lines("Cautions", p.cautions);
    return out;
}

std::string programJson(const Program& p) {
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/plan/1");
    out.key("plan").text(p.name);
    out.key("steps").beginList();
    double start = kNaN;
    double end = kNaN;
    for (const PlannedStep& s : p.steps) {
        out.beginObject();
        out.key("do").text(s.what);
        out.key("current_A").number(s.current_A);
        out.key("until").text(s.until);
        range(out, s.time_s);
        out.key("attended").boolean(s.attended);
        out.key("why");
        textOrNull(out, s.why);
        if (std::isfinite(s.start_s)) {
            out.key("start").text(localTime(s.start_s));
            out.key("end").text(localTime(s.end_s));
            if (std::isfinite(s.latest_s)) out.key("latest_end").text(localTime(s.latest_s));
            if (!std::isfinite(start)) start = s.start_s;
            end = s.end_s;
        }
        out.endObject();
    }
    out.endList();
    if (std::isfinite(start)) {
        out.key("start").text(localTime(start));
        out.key("end").text(localTime(end));
    }
    range(out, p.time_s());
    endsAndList(out, p.preflightCurrent_A, p.temperatureEnd_C, p.endsBy, p.left);
    out.key("overnight").boolean(p.overnight);
    texts(out, "reasons", p.reasons);
    texts(out, "stop_rules", p.stopRules);
    texts(out, "preflight", p.preflight);
    texts(out, "cautions", p.cautions);
    out.endObject();
    return out.done();
}

std::string programText(const Program& p) {
    std::string out;
    for (const PlannedStep& s : p.steps) {
        std::string amps =
            std::isfinite(s.current_A) ? fmt::format("{:.3g} A", s.current_A) : std::string();
        out += fmt::format("{:<10}{:<9}until {}; {}\n", s.what, amps, s.until, minutes(s.time_s));
        if (std::isfinite(s.start_s))
            out += fmt::format("          {} to {}, at the latest {}\n", localTime(s.start_s),
                               localTime(s.end_s),
                               localTime(std::isfinite(s.latest_s) ? s.latest_s : s.end_s));
    }
    out += lines("Why", p.reasons) + lines("Stop", p.stopRules) +
           lines("Before the start", p.preflight) + lines("Cautions", p.cautions);
    return out;
}

std::string joinJson(const JoinAnswer& a) {
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/join/1");
    out.key("allowed").boolean(a.allowed);
    out.key("common_V").number(a.common_V);
    out.key("currents").beginList();
    for (const JoinCurrent& i : a.currents) {
        out.beginObject();
        out.key("pack").text(i.pack);
        out.key("first_A").number(i.first_A);
        out.key("first_A_range").beginList();
        out.number(i.firstLow_A);
        out.number(i.firstHigh_A);
        out.endList();
        out.key("c_rate").number(i.c_rate);
        out.key("after_60s_A").number(i.after60_A);
        out.key("share").number(i.share);
        out.endObject();
    }
    out.endList();
    out.key("charge_moved_Ah").number(a.chargeMoved_Ah);
    out.key("settle_s").number(a.settle_s);
    out.key("greatest_gap_V").number(a.greatestGap_V);
    out.key("charge_together_A").number(a.together_A);
    out.key("rule");
    textOrNull(out, a.rule);
    out.key("instead");
    textOrNull(out, a.instead);
    texts(out, "reasons", a.reasons);
    texts(out, "order", a.order);
    texts(out, "cautions", a.cautions);
    out.endObject();
    return out.done();
}

std::string joinText(const JoinAnswer& a) {
    std::string out =
        a.allowed ? "They may be joined.\n" : "They must not be joined as they are.\n";
    for (const std::string& r : a.reasons) out += "  " + r + "\n";
    for (const JoinCurrent& i : a.currents)
        out += fmt::format(
            "  {:<14}{:+.2f} A at first ({:+.2f} with long leads to {:+.2f}), {:+.2f} A after "
            "a minute\n",
            i.pack, i.first_A, i.firstLow_A, i.firstHigh_A, i.after60_A);
    if (!a.allowed && !a.instead.empty()) out += "Instead: " + a.instead + "\n";
    if (std::isfinite(a.common_V))
        out += a.allowed ? fmt::format("They meet at {:.2f} V; {:.3f} Ah move.\n", a.common_V,
                                       a.chargeMoved_Ah)
                         : std::string();
    out += lines("Cautions", a.cautions);
    return out;
}

std::string queueJson(const QueuePlan& p, const QueueWish& wish) {
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/queue/1");
    out.key("start").text(localTime(p.start_s));
    out.key("finish").text(localTime(p.finish_s));
    out.key("lower_bound_h").number(p.lowerBound_h);
    out.key("makespan_h").number(p.makespan_h());
    out.key("visits").whole(p.visits);
    out.key("steps").beginList();
    for (const QueueStep& s : p.steps) {
        out.beginObject();
        out.key("module").text(wish.modules[s.module].name);
        out.key("charger");
        textOrNull(out, s.charger < 0 ? std::string()
                                      : wish.chargers[static_cast<std::size_t>(s.charger)].name);
        out.key("channel");
        if (s.charger < 0)
            out.null();
        else
            out.whole(s.channel);
        out.key("do").text(s.what);
        out.key("current_A").number(s.current_A);
        out.key("start").text(localTime(s.start_s));
        out.key("end").text(localTime(s.end_s));
        out.key("attended").boolean(s.attended);
        out.endObject();
    }
    out.endList();
    texts(out, "notes", p.notes);
    out.endObject();
    return out.done();
}

std::string queueText(const QueuePlan& p, const QueueWish& wish) {
    std::string out = fmt::format("Done {} after {:.1f} h (at the least {:.1f} h), {} visits.\n",
                                  localTime(p.finish_s), p.makespan_h(), p.lowerBound_h, p.visits);
    for (const QueueStep& s : p.steps) {
        if (s.what == "rest") continue;
        out += fmt::format("{}  {} into {}, channel {}: {} until {}\n", localTime(s.start_s),
                           wish.modules[s.module].name,
                           wish.chargers[static_cast<std::size_t>(s.charger)].name, s.channel,
                           s.what, localTime(s.end_s));
    }
    for (const std::string& n : p.notes) out += n + "\n";
    return out;
}

namespace {

using Calendar = std::unique_ptr<icalcomponent, void (*)(icalcomponent*)>;

Calendar newCalendar() {
    Calendar calendar(icalcomponent_new(ICAL_VCALENDAR_COMPONENT), icalcomponent_free);
    icalcomponent_add_property(calendar.get(), icalproperty_new_version("2.0"));
    icalcomponent_add_property(calendar.get(),
                               icalproperty_new_prodid("-//Narrow Knee//queue//EN"));
    return calendar;
}

/// Times are floating: without a zone, so that 18:40 is 18:40 wherever it is read.
icalcomponent* newEvent(const std::string& id, const std::string& title, double from_s, double to_s,
                        double stamp_s) {
    const auto floating = [](double at_s) {
        icaltimetype t = icaltime_from_timet_with_zone(
            static_cast<std::time_t>(std::round(at_s / 60) * 60), 0, nullptr);
        t.zone = nullptr;
        return t;
    };
    icalcomponent* event = icalcomponent_new(ICAL_VEVENT_COMPONENT);
    icalcomponent_add_property(event, icalproperty_new_uid(id.c_str()));
    icalcomponent_add_property(
        event, icalproperty_new_dtstamp(icaltime_from_timet_with_zone(
                   static_cast<std::time_t>(stamp_s), 0, icaltimezone_get_utc_timezone())));
    icalcomponent_add_property(event, icalproperty_new_dtstart(floating(from_s)));
    icalcomponent_add_property(event, icalproperty_new_dtend(floating(to_s)));
    icalcomponent_add_property(event, icalproperty_new_summary(harmless(title).c_str()));
    return event;
}

std::string textOf(const Calendar& calendar) {
    char* const text = icalcomponent_as_ical_string_r(calendar.get());
    std::string out(text == nullptr ? "" : text);
    icalmemory_free_buffer(text);
    return out;
}

}  // namespace

std::string queueCalendar(const QueuePlan& p, const QueueWish& wish, double stamp_s) {
    const Calendar calendar = newCalendar();
    int number = 0;
    for (const QueueStep& s : p.steps) {
        if (s.what == "rest") continue;
        icalcomponent_add_component(
            calendar.get(),
            newEvent(
                fmt::format("queue-{}-{}@narrow-knee", localTime(p.start_s), ++number),
                fmt::format("{}: {} in {}, channel {}", wish.modules[s.module].name, s.what,
                            wish.chargers[static_cast<std::size_t>(s.charger)].name, s.channel),
                s.start_s, s.end_s, stamp_s));
    }
    return textOf(calendar);
}

std::string programCalendar(const Program& p, const std::array<bool, 7>& days,
                            const std::string& battery, double stamp_s) {
    const Calendar calendar = newCalendar();
    int number = 0;
    for (const PlannedStep& s : p.steps) {
        if (!std::isfinite(s.start_s) || !std::isfinite(s.end_s)) continue;
        icalcomponent* event =
            newEvent(fmt::format("ready-{}-{}@narrow-knee", localTime(s.start_s), ++number),
                     fmt::format("{}: {}, {:.2f} A", battery, s.what, s.current_A), s.start_s,
                     s.end_s, stamp_s);
        std::string rule;
        // A charge that begins on the day before its use repeats on that day.
        const double use_s = p.steps.back().end_s;
        const auto back =
            static_cast<int>(std::floor(use_s / 86400) - std::floor(s.start_s / 86400));
        constexpr const char* kNames[] = {"MO", "TU", "WE", "TH", "FR", "SA", "SU"};
        for (int d = 0; d < 7; ++d)
            if (days[static_cast<std::size_t>(d)])
                rule += (rule.empty() ? "" : ",") + std::string(kNames[((d - back) % 7 + 7) % 7]);
        if (!rule.empty())
            icalcomponent_add_property(event, icalproperty_new_rrule(icalrecurrencetype_from_string(
                                                  ("FREQ=WEEKLY;BYDAY=" + rule).c_str())));
        icalcomponent_add_component(calendar.get(), event);
    }
    return textOf(calendar);
}

}  // namespace nk
