// A charge that ends just before it is used, in the hours in which somebody is there.
#include <algorithm>
#include <cmath>

#include "program.h"
#include "quantity/phrase.h"

namespace nk {

double Presence::length_s() const {
    return (to_min > from_min ? to_min - from_min : to_min + 1440 - from_min) * 60.0;
}

std::pair<double, double> Presence::windowAt(double at_s) const {
    if (always()) return {-1e18, 1e18};
    const double day = std::floor(at_s / 86400) * 86400;
    for (double d = day - 86400;; d += 86400) {
        const double from = d + from_min * 60.0;
        if (from + length_s() > at_s) return {from, from + length_s()};
    }
}

namespace {

/// Where a charge may lie: its hours, and how much of them there is before the time of use.
struct Room {
    double from_s = 0, to_s = 0;
    double length_s() const { return to_s - from_s; }
};

/// The hours between now and the time of use, the last first; a week of them at the most.
std::vector<Room> roomsBefore(const ReadyWish& wish) {
    std::vector<Room> out;
    auto window = wish.present.windowAt(wish.now_s);
    for (int k = 0; k < 8 && window.first < wish.ready_s; ++k) {
        out.push_back({std::max(wish.now_s, window.first), std::min(wish.ready_s, window.second)});
        if (wish.present.always()) break;
        window = wish.present.windowAt(window.second + 1);
    }
    std::ranges::reverse(out);
    return out;
}

PlannedStep chargeAt(const ChargePlan& plan, double start_s) {
    PlannedStep s;
    s.what = "charge";
    s.current_A = plan.effectiveCurrent_A;
    s.until = endsWords(plan);
    s.time_s = plan.time_s;
    s.start_s = start_s;
    s.end_s = start_s + plan.time_s[1];
    s.latest_s = start_s + plan.time_s[2];
    return s;
}

}  // namespace

Expected<Program> planReadyBy(const ReadyWish& wish) {
    if (!(wish.ready_s > wish.now_s))
        return fail(ErrorKind::InvalidArgument, phrase("That time has passed."), "--ready",
                    phrase("a moment to come."));
    ChargeWish usual = wish.charge;
    usual.overnight = false;
    const auto plan = planCharge(usual);
    if (!plan) return tl::unexpected<Error>(plan.error());
    Program out;
    out.name = "readyby";
    out.preflight = plan->preflight;
    out.preflightCurrent_A = plan->current_A;
    out.cautions = plan->cautions;
    out.temperatureEnd_C = plan->temperatureEnd_C;
    out.endsBy = plan->endsBy;
    out.left = "charged";
    const double latest = plan->time_s[2];
    const auto rooms = roomsBefore(wish);
    if (wish.present.assumed)
        out.reasons.push_back(
            phrase("Nobody said when somebody is there: 07:00 to 22:00 is taken."));
    for (const Room& room : rooms) {
        // In hand before the time of use; the end of the hours is a bound of its own.
        const double end = std::min(room.to_s, wish.ready_s - wish.marginShare * latest);
        if (end - room.from_s < latest - 1) continue;
        const PlannedStep s = chargeAt(*plan, end - latest);
        out.reasons.push_back(
            end < wish.ready_s - wish.marginShare * latest - 60
                ? phrase("Somebody is there until {:.1f} h before it is used: it is done by then, "
                         "at the latest.",
                         (wish.ready_s - room.to_s) / 3600)
                : phrase("It ends just before it is used: the least time at full."));
        out.steps.push_back(s);
        return out;
    }
    if (wish.charge.overnight && !rooms.empty()) {
        const auto gentle = planCharge(wish.charge);
        if (!gentle) return tl::unexpected<Error>(gentle.error());
        // Plugged in by a hand, as late as does.
        const double wanted = wish.ready_s - gentle->time_s[2];
        double start = -1;
        for (const Room& room : rooms)
            if (start < 0 && room.from_s <= wanted) start = std::min(wanted, room.to_s);
        if (start >= wish.now_s - 1) {
            PlannedStep s = chargeAt(*gentle, start);
            s.attended = false;
            out.overnight = true;
            out.preflight = gentle->preflight;
            out.preflightCurrent_A = gentle->current_A;
            out.cautions = gentle->cautions;
            out.cautions.insert(
                out.cautions.begin(),
                phrase("It runs while nobody is there, by your word, with a tenth of C at most: a "
                       "smoke alarm within earshot, nothing that burns beside it."));
            out.steps.push_back(s);
            return out;
        }
    }
    // No hours hold it whole: the longest ones, and how full it gets in them.
    const auto widest = std::ranges::max_element(rooms, {}, &Room::length_s);
    if (widest == rooms.end() || widest->length_s() < 600) {
        out.reasons.push_back(
            phrase("There are no hours for it before then in which somebody is "
                   "there. What would do: attended hours before the time of use, or "
                   "a charge the day before down to a kinder level."));
        out.left.clear();
        return out;
    }
    const double room = widest->length_s();
    const double level = levelAfter(usual, *plan, room);
    PlannedStep s = chargeAt(*plan, widest->from_s);
    s.end_s = s.latest_s = widest->to_s;
    s.time_s = {room, room, room};
    s.until = plan->fromSoc >= 0
                  ? phrase("about {:.0f} % by the clock", 100 * level)
                  : phrase("the clock says so; from empty that is about {:.0f} %", 100 * level);
    out.steps.push_back(s);
    out.left = "partly";
    out.reasons.push_back(
        phrase("The {:.0f} min until then do not hold the whole charge of up to {:.0f} "
               "min: it comes to about {:.0f} %.",
               room / 60, latest / 60, 100 * level));
    out.reasons.push_back(
        phrase("What would do: begin {:.0f} min earlier, or charge the day before to a "
               "lower level and top up.",
               std::max(1.0, (latest * (1 + wish.marginShare) - room) / 60)));
    return out;
}

}  // namespace nk
