#include "standing_json.h"

#include <fmt/format.h>

#include <cmath>

#include "book/condition_fields.h"
#include "json_writer.h"
#include "quantity/format.h"
#include "quantity/iso_time.h"
#include "quantity/phrase.h"
#include "words.h"

namespace nk {

namespace {

std::string dayOf(double at_s) {
    return std::isfinite(at_s) ? isoTime(at_s).substr(0, 10) : std::string();
}

void textOrNull(JsonWriter& out, const char* key, const std::string& text) {
    out.key(key);
    if (text.empty())
        out.null();
    else
        out.text(text);
}

void writeConditions(JsonWriter& out, const ReadingConditions& c) {
    out.key("conditions").beginObject();
    for (const auto& [key, value] : kConditions) out.key(key).number(c.*value);
    out.key("began_full");
    if (c.beganFull)
        out.boolean(*c.beganFull);
    else
        out.null();
    out.endObject();
}

void writeFigure(JsonWriter& out, const char* key, const std::optional<StandingFigure>& f) {
    out.key(key);
    if (!f) {
        out.null();
        return;
    }
    out.beginObject();
    out.key("value").number(f->value);
    out.key("unit").text(f->unit);
    out.key("interval_95").interval(f->low, f->high);
    textOrNull(out, "at", dayOf(f->at_s));
    writeConditions(out, f->conditions);
    if (f->school.empty()) {
        out.key("floor_V_per_cell").number(f->floor_V_per_cell);
        out.key("carried").boolean(f->carried);
        out.key("trend").boolean(f->trend);
        out.key("more_left_Ah").number(f->more_Ah);
    } else {
        out.key("school").text(f->school);
    }
    out.key("recording");
    if (f->recording > 0)
        out.whole(f->recording);
    else
        out.null();
    out.endObject();
}

void limit(JsonWriter& out, const Chemistry& c, const char* key, double value, double ofMaker) {
    if (!std::isfinite(value)) return;
    const auto source = c.sourceOf.find(key);
    out.key(key).beginObject();
    out.key("value").number(value);
    textOrNull(out, "source",
               std::isfinite(ofMaker)       ? phrase("the maker's figure on its card")
               : source != c.sourceOf.end() ? source->second
                                            : std::string());
    out.endObject();
}

}  // namespace

std::string standingJson(const Standing& s, const StandingExtras& more) {
    const Battery& b = s.battery.battery;
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/standing/1");
    out.key("battery").beginObject();
    out.key("id").whole(s.battery.id);
    out.key("name").text(b.name);
    textOrNull(out, "chemistry", b.chemistry);
    out.key("series");
    if (b.series > 0)
        out.whole(b.series);
    else
        out.null();
    out.key("parallel").whole(b.parallel);
    out.key("rated_Ah").number(b.rated_Ah > 0 ? b.rated_Ah : kNaN);
    out.endObject();
    writeFigure(out, "capacity", s.capacity);
    writeFigure(out, "resistance", s.resistance);
    out.key("label").beginObject();
    out.key("rated_Ah").number(b.rated_Ah > 0 ? b.rated_Ah : kNaN);
    out.key("claim_testable").boolean(s.claimTestable);
    out.key("share").number(s.shareOfLabel());
    out.endObject();
    textOrNull(out, "verdict", more.verdict);
    out.key("fade");
    if (s.fade) {
        out.beginObject();
        out.key("per_year_percent").number(s.fade->percent);
        out.key("interval_95").interval(s.fade->low, s.fade->high);
        out.endObject();
    } else {
        out.null();
    }
    out.key("hazards").beginList();
    for (const HazardOnFile& h : s.hazards) {
        out.beginObject();
        out.key("code").text(h.code);
        textOrNull(out, "at", h.day);
        out.key("recording").whole(h.recording);
        out.key("cause").text(h.cause);
        out.key("seen").boolean(h.seen);
        out.endObject();
    }
    out.endList();
    textOrNull(out, "last_balancing_charge", dayOf(s.lastBalancing_s));
    textOrNull(out, "last_full", dayOf(s.lastFull_s));
    textOrNull(out, "last_test", dayOf(s.lastTest_s));
    textOrNull(out, "last_use", dayOf(s.lastUse_s));
    textOrNull(out, "first_day", dayOf(s.firstDay_s));
    out.key("days_unknown").beginList();
    for (const std::int64_t id : s.daysUnknown) out.whole(id);
    out.endList();
    out.key("unseen_load");
    if (s.unseen) {
        const UnseenLoad& u = *s.unseen;
        out.beginObject();
        out.key("recording").whole(u.recording);
        out.key("step").whole(u.step);
        out.key("seen_Ah").number(u.seen_Ah);
        out.key("before_Ah").number(u.before_Ah);
        out.key("missing_Ah").number(u.missing_Ah);
        out.key("ohm").number(u.ohm);
        out.key("current_A").interval(u.low_A, u.high_A);
        out.key("because").text(u.because);
        out.endObject();
    } else {
        out.null();
    }
    out.key("charge_time");
    if (more.charge) {
        const ChargePlan& p = more.charge->plan;
        out.beginObject();
        out.key("minutes").beginList();
        for (const double t : p.time_s) out.number(t / 60);
        out.endList();
        out.key("from").text(more.charge->from);
        out.key("current_A").number(p.effectiveCurrent_A);
        out.key("timer_min").number(p.timer_min);
        out.key("how").texts(more.charge->how);
        out.endObject();
    } else {
        out.null();
    }
    textOrNull(out, "charge_refused", more.charge ? std::string() : more.noCharge);
    out.key("own_model");
    if (more.model) {
        out.beginObject();
        out.key("capacity_Ah").number(more.model->capacity_Ah);
        out.key("left_out_rms_mV_per_cell").number(1000 * more.model->leftOutRms_V);
        out.key("earned_its_use").boolean(hasEarnedItsUse(*more.model));
        out.endObject();
    } else {
        out.null();
    }
    out.key("limits").beginObject();
    if (const Chemistry* c = b.chemistryData(); c != nullptr) {
        const MakerLimits& maker = b.limits();
        limit(out, *c, "set_V", c->set_V, maker.set_V);
        limit(out, *c, "fault_V", c->fault_V, kNaN);
        limit(out, *c, "discharge_floor_V", c->dischargeFloor_V, maker.dischargeFloor_V);
        limit(out, *c, "balancer_from_V", c->balancerFrom_V, maker.balancerFrom_V);
        limit(out, *c, "charge_rate_C", c->chargeC, maker.chargeC);
        limit(out, *c, "charge_min_C", c->chargeMin_C, maker.chargeMin_C);
        limit(out, *c, "charge_max_C", c->chargeMax_C, maker.chargeMax_C);
    }
    out.endObject();
    out.endObject();
    return out.done();
}

std::string standingText(const Standing& s, const StandingExtras& more) {
    const Battery& b = s.battery.battery;
    std::string out = b.name + "\n" + batteryWords(b) + "\n";
    for (const HazardOnFile& h : s.hazards)
        out += fmt::format("HAZARD  {}{}\n", h.text, h.day.empty() ? "" : " (" + h.day + ")");
    const auto row = [&](const char* name, const std::string& words) {
        if (!words.empty()) out += fmt::format("{:<18}{}\n", name, words);
    };
    if (s.capacity) {
        const StandingFigure& c = *s.capacity;
        std::string words =
            valueText(c.value, (c.high - c.low) / 4, "Ah").joined() + ", " + dayOf(c.at_s);
        if (std::isfinite(s.shareOfLabel()))
            words += phrase(", {:.0f} % of the label", 100 * s.shareOfLabel());
        if (std::isfinite(c.conditions.cRate)) words += phrase(", {:.2g}C", c.conditions.cRate);
        if (std::isfinite(c.floor_V_per_cell))
            words += phrase(" to {:.2f} V a cell", c.floor_V_per_cell);
        if (std::isfinite(c.conditions.temperature_C))
            words += phrase(", {:.0f} °C on average", c.conditions.temperature_C);
        if (c.more_Ah > 0.01 * c.value)
            words += phrase("; at most {} were left", shortValue(c.more_Ah, "Ah"));
        if (c.carried) words += phrase(", carried to this floor");
        row("capacity", words);
    } else {
        row("capacity", phrase("not measured"));
    }
    if (s.resistance)
        row("resistance",
            valueText(s.resistance->value, (s.resistance->high - s.resistance->low) / 4, "ohm")
                    .joined() +
                ", " + dayOf(s.resistance->at_s) + ", " + s.resistance->school);
    if (s.fade)
        row("fade", phrase("{:.1f} % of the label a year ({:.1f} to {:.1f} %)", s.fade->percent,
                           s.fade->low, s.fade->high));
    row("verdict", more.verdict);
    if (more.charge) {
        const TimeRange& t = more.charge->plan.time_s;
        row("charge", phrase("{} ({} to {}) with {:.3g} A, from empty", durationText(t[1], t[2]),
                             durationText(t[0], t[2]), durationText(t[2]),
                             more.charge->plan.effectiveCurrent_A));
    } else {
        row("charge", more.noCharge);
    }
    row("balancing charge", dayOf(s.lastBalancing_s));
    row("last full", dayOf(s.lastFull_s));
    if (s.unseen) row("unseen load", s.unseen->because);
    if (!s.daysUnknown.empty())
        row("no day", phrase("{} logs stand apart: of which day they are nobody has said",
                             s.daysUnknown.size()));
    return out;
}

}  // namespace nk
