#include "due.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "habit_file.h"
#include "kept_standing.h"
#include "quantity/iso_time.h"
#include "quantity/phrase.h"
#include "ready_rule.h"

namespace nk {

namespace {

constexpr double kDay_s = 86400;

/// "Plug in" of a weekly plan; ticked off it is that of the time of use after.
void addReady(const BatteryEntry& e, const std::string& kept, double ticked_s, double now_s,
              std::vector<DueTask>& out) {
    const auto rule = keptReadyIn(kept);
    if (!rule) return;
    const double offset = localOffset_s(now_s);
    double from = now_s + offset;
    if (std::isfinite(ticked_s) && now_s - ticked_s < 7 * kDay_s)
        if (const auto done = nextReady(*rule, ticked_s + offset); done && *done > from)
            from = *done;
    const auto at = nextReady(*rule, from);
    const auto program = planReadyWeek(e.battery, *rule, from);
    if (!at) return;
    DueTask task{e.id, e.battery.name, "ready_by", *at - offset, {}, {}};
    const auto clock = [](double local_s) { return isoTime(local_s).substr(11, 5); };
    if (!program) {
        task.text = program.error().what;
        task.reason = phrase("Ready by {} every week.", clock(*at));
        out.push_back(std::move(task));
        return;
    }
    for (const PlannedStep& s : program->steps)
        if (s.what == "charge" && std::isfinite(s.start_s)) {
            task.due_s = s.start_s - offset;
            task.text = phrase("Plug it in at {}, {:.2f} A: it is used from {}.", clock(s.start_s),
                               s.current_A, clock(*at));
            task.reason = phrase("A weekly plan; done about {}.", clock(s.end_s));
            out.push_back(std::move(task));
            return;
        }
}

/// When things were last done with a battery; NaN: never seen.
struct Last {
    double any_s = kNaN;   ///< anything: a log, a reading
    double use_s = kNaN;   ///< a log that moved charge
    double full_s = kNaN;  ///< a charge held where the balancer works, to its end
    double capacity_s = kNaN;
    std::map<std::string, double> done;
};

void later(double& into, double at_s) {
    if (std::isfinite(at_s) && !(into >= at_s)) into = at_s;
}

std::string daysAgo(double from_s, double now_s) {
    // Days of the calendar, as people count them.
    const double offset = localOffset_s(now_s);
    const double days = std::max(
        0.0, std::floor((now_s + offset) / kDay_s) - std::floor((from_s + offset) / kDay_s));
    return days < 1   ? phrase("less than a day ago")
           : days < 2 ? phrase("a day ago")
                      : phrase("{:.0f} days ago", days);
}

class List {
  public:
    List(double now_s, std::vector<DueTask>& out) : now_s_(now_s), out_(out) {}

    void add(const BatteryEntry& e, const Last& last, const char* task, double from_s, double days,
             const std::string& text, const std::string& since) {
        const auto done = last.done.find(task);
        double from = from_s;
        std::string reason = since;
        if (done != last.done.end() && !(from >= done->second)) {
            from = done->second;
            reason = phrase("Ticked off {}.", daysAgo(from, now_s_));
        }
        if (!std::isfinite(from)) return;
        out_.push_back({e.id, e.battery.name, task, from + days * kDay_s, text, reason});
    }

  private:
    double now_s_;
    std::vector<DueTask>& out_;
};

}  // namespace

Expected<std::vector<DueTask>> dueTasks(BenchBook& book, double now_s, const DueRules& rules) {
    const auto batteries = book.batteries();
    if (!batteries) return tl::unexpected<Error>(batteries.error());
    const auto lives = book.lives();
    if (!lives) return tl::unexpected<Error>(lives.error());
    const auto done = book.tasksDone();
    if (!done) return tl::unexpected<Error>(done.error());
    const auto standings = keptStandings(book);
    if (!standings) return tl::unexpected<Error>(standings.error());
    std::map<std::int64_t, Last> last;
    for (const auto& [id, s] : *standings) {
        Last& l = last[id];
        l.any_s = s.lastSeen_s;
        l.use_s = s.lastUse_s;
        l.capacity_s = s.lastTest_s;
        l.full_s = s.lastBalancing_s;
    }
    for (const TaskDone& t : *done) later(last[t.batteryId].done[t.task], t.at_s);
    std::vector<DueTask> out;
    List list(now_s, out);
    // Equal batteries take turns.
    std::map<std::tuple<std::string, int, int, double>, std::vector<const BatteryEntry*>> alike;
    for (const BatteryEntry& e : *batteries) {
        const auto life = lives->find(e.id);
        const bool part = life != lives->end() && life->second.partOf > 0;
        if (life != lives->end() && (life->second.retired() || !life->second.outOfUse.empty()))
            continue;
        const Last& l = last[e.id];
        if (const std::string kept = book.setting(readySetting(e.id)).value_or(std::string());
            !kept.empty()) {
            const auto ticked = l.done.find("ready_by");
            addReady(e, kept, ticked != l.done.end() ? ticked->second : kNaN, now_s, out);
        }
        if (!std::isfinite(l.any_s)) continue;
        // What a hazard on file took out of use is asked for nothing: the gate would refuse it.
        if (const auto s = standings->find(e.id); s != standings->end() && s->second.endsUse > 0)
            continue;
        const Chemistry* c = e.battery.chemistryData();
        const bool nickel = c != nullptr && c->nickel();
        // The habit it lives by says how often it meets its balancer.
        double balance_days = rules.balance_days;
        if (c != nullptr && !nickel && e.battery.series > 1) {
            const auto kept = habitsIn(book.setting(habitsSetting(e.id)).value_or(std::string()));
            if (!kept.empty() && kept.front().fullChargeEveryWeeks >= 1)
                balance_days = 7 * kept.front().fullChargeEveryWeeks;
        }
        if (c != nullptr && !nickel && e.battery.series > 1)
            list.add(e, l, "balance_charge", std::isfinite(l.full_s) ? l.full_s : l.any_s,
                     balance_days,
                     phrase("Charge it to the very end once and leave it there until the balancer "
                            "is done, then use it."),
                     std::isfinite(l.full_s)
                         ? phrase("The last charge that came into its balancer's range was {}.",
                                  daysAgo(l.full_s, now_s))
                         : phrase("No charge in the book came into its balancer's range."));
        if (nickel)
            list.add(e, l, "nickel_refresh", std::isfinite(l.capacity_s) ? l.capacity_s : l.any_s,
                     rules.nickelRefresh_days,
                     phrase("One whole discharge and charge, so that it does not get sleepy."),
                     std::isfinite(l.capacity_s)
                         ? phrase("The last whole discharge was {}.", daysAgo(l.capacity_s, now_s))
                         : phrase("No whole discharge is in the book."));
        list.add(e, l, "storage_check", l.any_s, rules.storageCheck_days,
                 phrase("Read its rested voltage and look at its skin."),
                 phrase("Last seen {}.", daysAgo(l.any_s, now_s)));
        if (std::isfinite(l.capacity_s))
            list.add(e, l, "retest", l.capacity_s, rules.retest_days,
                     phrase("Measure its capacity anew, from full, at the rate of last time."),
                     phrase("Its capacity was measured {}.", daysAgo(l.capacity_s, now_s)));
        if (!part && e.battery.rated_Ah > 0)
            alike[{e.battery.chemistry, e.battery.series, e.battery.parallel, e.battery.rated_Ah}]
                .push_back(&e);
    }
    for (const auto& [kind, group] : alike) {
        if (group.size() < 2) continue;
        const auto used = [&](const BatteryEntry* e) {
            const Last& l = last[e->id];
            double at = std::isfinite(l.use_s) ? l.use_s : l.any_s;
            const auto ticked = l.done.find("rotation");
            if (ticked != l.done.end()) later(at, ticked->second);
            return at;
        };
        const BatteryEntry* next = *std::ranges::min_element(group, {}, used);
        list.add(*next, last[next->id], "rotation", used(next), rules.rotation_days,
                 phrase("Take this one next: of {} equal ones it has lain unused longest.",
                        group.size()),
                 phrase("Last used {}.", daysAgo(used(next), now_s)));
    }
    std::ranges::stable_sort(out, {}, &DueTask::due_s);
    return out;
}

Expected<void> tickOff(BenchBook& book, const DueTask& task, double now_s) {
    const auto added = book.addTaskDone({0, task.batteryId, task.task, now_s});
    if (!added) return tl::unexpected<Error>(added.error());
    return {};
}

std::string dueLine(const std::vector<DueTask>& tasks, double now_s) {
    const auto count =
        std::ranges::count_if(tasks, [&](const auto& t) { return t.overdue(now_s); });
    if (count == 0) return {};
    const DueTask& first = tasks.front();
    return count == 1 ? phrase("Due today: {}. {}", first.battery, first.text)
                      : phrase("{} things are due; first {}: {}", count, first.battery, first.text);
}

}  // namespace nk
