#include "kept_queue.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "plan_files.h"
#include "quantity/json_whole.h"

namespace nk {

namespace {
using Json = nlohmann::json;
}

std::string keptQueueText(const QueueWish& w) {
    Json modules = Json::array();
    for (const QueueModule& m : w.modules)
        modules.push_back({{"name", m.name},
                           {"chemistry", m.chemistry},
                           {"series", m.series},
                           {"rated_Ah", m.rated_Ah},
                           {"capacity_Ah", m.capacity_Ah},
                           {"charge_A", m.charge_A},
                           {"discharge_A", m.discharge_A},
                           {"floor_V", m.floor_V}});
    Json done = Json::array();
    for (const QueueDone& d : w.done)
        done.push_back({d.module, d.charger, d.channel, d.start_s, d.end_s, d.real});
    Json pins = Json::array();
    for (const QueuePin& p : w.pins)
        pins.push_back({p.module, p.link, p.charger, p.channel, p.start_s});
    return Json{{"schema", "narrow-knee/queue-kept/1"},
                {"modules", modules},
                {"chargers", Json::parse(writeChargers(w.chargers))},
                {"cycles", w.cycles},
                {"discharge_first", w.dischargeFirst},
                {"rest_min", w.rest_min},
                {"present_min", {w.present.from_min, w.present.to_min}},
                {"start_s", w.start_s},
                {"unattended_charging", w.unattendedCharging},
                {"done", done},
                {"pins", pins},
                {"retired", w.retired}}
        .dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::optional<QueueWish> keptQueueIn(const std::string& text) {
    const Json j = Json::parse(text, nullptr, false);
    if (!j.is_object() || j.value("schema", Json()) != "narrow-knee/queue-kept/1")
        return std::nullopt;
    try {
        QueueWish w;
        for (const Json& m : j.at("modules"))
            w.modules.push_back({m.at("name").get<std::string>(),
                                 m.at("chemistry").get<std::string>(), wholeOf<int>(m.at("series")),
                                 m.at("rated_Ah").get<double>(), m.at("capacity_Ah").get<double>(),
                                 m.at("charge_A").get<double>(), m.at("discharge_A").get<double>(),
                                 m.at("floor_V").get<double>()});
        const auto chargers = readChargers(j.at("chargers").dump(), "queue");
        if (!chargers) return std::nullopt;
        w.chargers = *chargers;
        w.cycles = wholeOf<int>(j.at("cycles"));
        w.dischargeFirst = j.at("discharge_first").get<bool>();
        w.rest_min = j.at("rest_min").get<double>();
        w.present.from_min = wholeOf<int>(j.at("present_min").at(0));
        w.present.to_min = wholeOf<int>(j.at("present_min").at(1));
        w.start_s = j.at("start_s").get<double>();
        w.unattendedCharging = j.at("unattended_charging").get<bool>();
        for (const Json& d : j.at("done"))
            w.done.push_back({wholeOf<std::size_t>(d.at(0)), wholeOf<int>(d.at(1)),
                              wholeOf<int>(d.at(2)), d.at(3).get<double>(), d.at(4).get<double>(),
                              d.at(5).get<bool>()});
        for (const Json& p : j.at("pins"))
            w.pins.push_back({wholeOf<std::size_t>(p.at(0)), wholeOf<std::size_t>(p.at(1)),
                              wholeOf<int>(p.at(2)), wholeOf<int>(p.at(3)), p.at(4).get<double>()});
        for (const Json& k : j.at("retired")) w.retired.push_back(wholeOf<std::size_t>(k));
        if (w.modules.empty() || !std::isfinite(w.start_s) || w.present.from_min < 0 ||
            w.present.from_min > 1440 || w.present.to_min < 0 || w.present.to_min > 1440)
            return std::nullopt;
        return w;
    } catch (const Json::exception&) {
        return std::nullopt;
    }
}

QueueNow queueNow(const QueuePlan& plan, double now_s) {
    QueueNow out;
    for (std::size_t k = 0; k < plan.steps.size(); ++k) {
        const QueueStep& s = plan.steps[k];
        if (s.what == "rest") continue;
        if (s.start_s <= now_s && now_s < s.end_s) out.running.push_back(k);
        if (s.start_s > now_s && (!out.next || s.start_s < plan.steps[*out.next].start_s))
            out.next = k;
    }
    return out;
}

void stepEnded(QueueWish& wish, const QueuePlan& plan, std::size_t step, double end_s) {
    if (step >= plan.steps.size() || plan.steps[step].what == "rest") return;
    const QueueStep ended = plan.steps[step];
    wish.done.clear();
    // What was to follow on its channel or with its module cannot have begun, nor what follows
    // that.
    std::vector<const QueueStep*> waiting;
    for (std::size_t k = 0; k < plan.steps.size(); ++k) {
        const QueueStep& s = plan.steps[k];
        if (s.what == "rest") continue;
        const auto behind = [&](const QueueStep* w) {
            return s.module == w->module || (s.charger == w->charger && s.channel == w->channel);
        };
        const bool late = ended.end_s < end_s && k != step && s.start_s >= ended.start_s &&
                          behind(&plan.steps[step]);
        if (k != step && !s.done &&
            (s.start_s > end_s || late || std::ranges::any_of(waiting, behind))) {
            waiting.push_back(&s);
            continue;
        }
        // An earlier end of one that is said to have ended pulls no other with it.
        wish.done.push_back({s.module, s.charger, s.channel, std::min(s.start_s, end_s),
                             k == step ? end_s : s.end_s, k == step || s.done});
    }
    std::ranges::stable_sort(wish.done, {}, &QueueDone::start_s);
    std::erase_if(wish.pins, [&](const QueuePin& p) {
        return p.module == ended.module && p.link <= ended.link;
    });
    wish.now_s = std::max(wish.now_s, end_s);
}

int takeLogs(QueueWish& wish, const QueuePlan& plan, const std::vector<BatteryEntry>& batteries,
             const std::vector<RecordingEntry>& recordings, double utcOffset_s) {
    int marked = 0;
    QueuePlan now = plan;
    for (const RecordingEntry& r : recordings) {
        if (!(r.summary.moved_Ah > 0)) continue;
        const auto battery = std::ranges::find(batteries, r.batteryId, &BatteryEntry::id);
        if (battery == batteries.end()) continue;
        const double from = r.at_s() + utcOffset_s;
        const double to = from + r.duration_s;
        if (to <= wish.start_s) continue;
        for (std::size_t k = 0; k < now.steps.size(); ++k) {
            const QueueStep& s = now.steps[k];
            if (s.what == "rest" || s.done || wish.modules[s.module].name != battery->battery.name)
                continue;
            // The first step of it that is still open; its log began about then, or covers it.
            if (from > s.end_s || to < s.start_s || std::abs(from - s.start_s) > 6 * 3600) break;
            stepEnded(wish, now, k, to);
            now.steps[k].done = true;
            now.steps[k].end_s = to;
            ++marked;
            break;
        }
    }
    return marked;
}

}  // namespace nk
