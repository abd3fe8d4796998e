#include "queue.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <random>
#include <set>

#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr double kNever = std::numeric_limits<double>::infinity();
/// A step of three months is none; ampere-hours and amperes beyond this are a slip of the pen.
constexpr double kLongestStep_s = 90 * 86400.0, kMostFigure = 1e6;
constexpr double kLastMoment_s = 253'402'300'800;  // the year 10000

struct Channel {
    std::size_t charger = 0;
    int number = 1;
};

/// What does not change while plans are tried.
struct Bench {
    const QueueWish& wish;
    std::vector<Channel> channels;
    /// Seconds and currents by module and charger: [module][charger].
    std::vector<std::vector<double>> charge_s, discharge_s, charge_A, discharge_A;
    /// The same with a tenth of C, for what runs while nobody is there.
    std::vector<std::vector<double>> gentle_s, gentle_A;
    std::vector<bool> isCharge;  ///< of the steps of a chain, without rests
    double rest_s = 0;
    /// By module and link; null where nobody put it anywhere.
    std::vector<std::vector<const QueuePin*>> pins;
    std::vector<std::size_t> begun;  ///< links of each module that are done or running
    std::vector<bool> retired;
    double now_s = 0;
    std::vector<std::string> cautions;  ///< of modules, each a sentence with its name
};

/// The first moment from `t` on at which a step of `length` may begin. A hand needs somebody there;
/// a charge somebody all the while (`watched`).
double feasible(const Bench& b, double t, double length, bool watched, bool hand) {
    const Presence& p = b.wish.present;
    if (p.always()) return t;
    if (!watched && !hand) return t;
    auto window = p.windowAt(t);
    for (int k = 0; k < 3; ++k) {
        const double begin = std::max(t, window.first);
        if (!watched || begin + length <= window.second + 1e-6) return begin;
        window = p.windowAt(window.second + 1);
    }
    return kNever;
}

QueuePlan tryPlan(const Bench& b, const std::vector<double>& priority) {
    const std::size_t n = b.wish.modules.size();
    const std::size_t links = b.isCharge.size();
    std::vector<std::size_t> next(n, 0);
    std::vector<double> ready(n, b.now_s), free(b.channels.size(), b.now_s);
    std::vector<int> clipped(n, -1);                // channel a module is on
    std::vector<int> holds(b.channels.size(), -1);  // module a channel holds
    std::vector<double> left(n, 0);                 // work to come, by the fastest charger
    std::vector<std::vector<double>> tail(n, std::vector<double>(links + 1, 0));
    for (std::size_t m = 0; m < n; ++m)
        for (std::size_t k = links; k-- > 0;) {
            const auto& all = b.isCharge[k] ? b.charge_s[m] : b.discharge_s[m];
            tail[m][k] =
                tail[m][k + 1] + *std::ranges::min_element(all) + (k + 1 < links ? b.rest_s : 0);
        }
    QueuePlan out;
    out.start_s = b.wish.start_s;
    out.finish_s = b.now_s;
    std::vector<double> hands;
    std::size_t todo = 0;
    for (const QueueDone& d : b.wish.done) {
        const std::size_t m = d.module;
        const auto at = std::ranges::find_if(b.channels, [&](const Channel& c) {
            return static_cast<int>(c.charger) == d.charger && c.number == d.channel;
        });
        QueueStep s;
        s.module = m;
        s.charger = d.charger;
        s.channel = d.channel;
        s.link = next[m];
        s.what = b.isCharge[s.link] ? "charge" : "discharge";
        s.start_s = d.start_s;
        s.end_s = d.end_s;
        s.current_A = (b.isCharge[s.link] ? b.charge_A
                                          : b.discharge_A)[m][static_cast<std::size_t>(d.charger)];
        s.done = d.real;
        out.steps.push_back(s);
        out.finish_s = std::max(out.finish_s, d.end_s);
        const auto c = static_cast<std::size_t>(at - b.channels.begin());
        free[c] = std::max(free[c], d.end_s);
        ready[m] = std::max(ready[m], d.end_s + b.rest_s);
        if (clipped[m] >= 0) holds[static_cast<std::size_t>(clipped[m])] = -1;
        if (holds[c] >= 0) clipped[static_cast<std::size_t>(holds[c])] = -1;
        clipped[m] = static_cast<int>(c);
        holds[c] = static_cast<int>(m);
        ++next[m];
    }
    for (std::size_t m = 0; m < n; ++m) {
        if (b.retired[m]) next[m] = links;
        todo += links - next[m];
    }
    // What is pinned keeps its place on its channel: others go before it or behind.
    const auto around = [&](std::size_t m, std::size_t c, double start, double length) {
        for (int again = 0; again < 4; ++again) {
            bool moved = false;
            for (const QueuePin& p : b.wish.pins) {
                if (p.module == m || p.link < next[p.module] || b.retired[p.module]) continue;
                if (static_cast<int>(b.channels[c].charger) != p.charger ||
                    b.channels[c].number != p.channel)
                    continue;
                const double own =
                    (b.isCharge[p.link] ? b.charge_s
                                        : b.discharge_s)[p.module][b.channels[c].charger];
                if (start + length > p.start_s + 1 && start < p.start_s + own - 1) {
                    start = p.start_s + own;
                    moved = true;
                }
            }
            if (!moved) break;
        }
        return start;
    };
    while (todo > 0) {
        double bestStart = kNever;
        double bestEnd = kNever;
        double bestTail = -1;
        std::size_t bestModule = 0;
        std::size_t bestChannel = 0;
        bool bestGentle = false;
        for (std::size_t m = 0; m < n; ++m) {
            const std::size_t k = next[m];
            if (k == links) continue;
            const bool charge = b.isCharge[k];
            const double weight = tail[m][k] * priority[m];
            for (std::size_t c = 0; c < b.channels.size(); ++c) {
                const std::size_t on = b.channels[c].charger;
                double length = (charge ? b.charge_s : b.discharge_s)[m][on];
                if (!(length < kNever)) continue;
                const QueuePin* pin = b.pins[m][k];
                if (pin != nullptr && (static_cast<int>(b.channels[c].charger) != pin->charger ||
                                       b.channels[c].number != pin->channel))
                    continue;
                const bool hand = clipped[m] != static_cast<int>(c);
                double from = std::max(ready[m], free[c]);
                if (pin != nullptr) from = std::max(from, pin->start_s);
                const auto placed = [&](double takes_s, bool watched) {
                    double at = feasible(b, from, takes_s, watched, hand);
                    if (pin == nullptr && !b.wish.pins.empty())
                        at = feasible(b, around(m, c, at, takes_s), takes_s, watched, hand);
                    return at;
                };
                double start = placed(length, charge);
                bool gentle = false;
                if (charge && b.wish.unattendedCharging && !b.wish.present.always() &&
                    b.gentle_s[m][on] < kNever) {
                    // By the permission, with a tenth of C, where that is done sooner.
                    const double slow = b.gentle_s[m][on];
                    const double at = placed(slow, false);
                    if (at + slow < start + length - 1) {
                        start = at;
                        length = slow;
                        gentle = true;
                    }
                }
                const double end = start + length;
                // Earliest start; of those the longest chain; of its channels where it is done
                // first, and where it is clipped in already.
                const double slack = 1;
                bool better = false;
                if (start < bestStart - slack)
                    better = true;
                else if (start < bestStart + slack) {
                    if (m == bestModule && bestTail >= 0)
                        better = end < bestEnd - slack || (end < bestEnd + slack && !hand);
                    else
                        better = weight > bestTail;
                }
                if (!better) continue;
                bestStart = start;
                bestEnd = end;
                bestTail = weight;
                bestModule = m;
                bestChannel = c;
                bestGentle = gentle;
            }
        }
        if (!(bestStart < kNever)) {
            out.finish_s = kNever;
            return out;
        }
        const std::size_t m = bestModule;
        const std::size_t c = bestChannel;
        const std::size_t k = next[m];
        QueueStep s;
        s.module = m;
        s.link = k;
        s.charger = static_cast<int>(b.channels[c].charger);
        s.channel = b.channels[c].number;
        s.what = b.isCharge[k] ? "charge" : "discharge";
        s.start_s = bestStart;
        s.end_s = bestEnd;
        s.current_A = (bestGentle      ? b.gentle_A
                       : b.isCharge[k] ? b.charge_A
                                       : b.discharge_A)[m][b.channels[c].charger];
        const auto window = b.wish.present.windowAt(bestStart);
        s.attended = bestStart >= window.first && bestEnd <= window.second + 1e-6;
        if (clipped[m] != static_cast<int>(c)) {
            hands.push_back(bestStart);
            if (clipped[m] >= 0) holds[static_cast<std::size_t>(clipped[m])] = -1;
            if (holds[c] >= 0) clipped[static_cast<std::size_t>(holds[c])] = -1;
            clipped[m] = static_cast<int>(c);
            holds[c] = static_cast<int>(m);
        }
        out.steps.push_back(s);
        free[c] = bestEnd;
        ready[m] = bestEnd + b.rest_s;
        out.finish_s = std::max(out.finish_s, bestEnd);
        ++next[m];
        --todo;
    }
    std::ranges::sort(hands);
    double last = -kNever;
    for (const double h : hands)
        if (h > last + 300) {
            ++out.visits;
            last = h;
        }
    return out;
}

/// Rests between the steps of each module, on the channel where nobody else took it meanwhile.
void addRests(const Bench& b, QueuePlan& plan) {
    std::vector<QueueStep> rests;
    std::map<std::size_t, const QueueStep*> before;
    std::ranges::sort(plan.steps, {}, &QueueStep::start_s);
    for (const QueueStep& s : plan.steps) {
        if (const auto it = before.find(s.module); it != before.end()) {
            QueueStep r;
            r.module = s.module;
            r.what = "rest";
            r.link = it->second->link;
            r.start_s = it->second->end_s;
            r.end_s = s.start_s;
            r.attended = b.wish.present.always();
            bool stays = it->second->charger == s.charger && it->second->channel == s.channel;
            for (const QueueStep& o : plan.steps)
                stays = stays && !(o.charger == s.charger && o.channel == s.channel &&
                                   o.module != s.module && o.start_s >= r.start_s - 1e-6 &&
                                   o.start_s < r.end_s);
            if (stays) {
                r.charger = s.charger;
                r.channel = s.channel;
            }
            if (r.end_s > r.start_s + 1e-6) rests.push_back(r);
        }
        before[s.module] = &s;
    }
    plan.steps.insert(plan.steps.end(), rests.begin(), rests.end());
    std::ranges::stable_sort(plan.steps, {}, &QueueStep::start_s);
}

/// What has been done, put somewhere or retired. Errors: none of these modules, chains or channels.
Expected<void> takeState(Bench& b) {
    const QueueWish& w = b.wish;
    const std::size_t links = b.isCharge.size();
    b.now_s = std::max(w.start_s, w.now_s);
    b.pins.assign(w.modules.size(), std::vector<const QueuePin*>(links, nullptr));
    b.begun.assign(w.modules.size(), 0);
    b.retired.assign(w.modules.size(), false);
    const auto there = [&](std::size_t module, int charger, int channel) {
        return module < w.modules.size() && std::ranges::any_of(b.channels, [&](const Channel& c) {
                   return static_cast<int>(c.charger) == charger && c.number == channel;
               });
    };
    const auto moment = [](double at_s) { return std::abs(at_s) <= kLastMoment_s; };
    if (!moment(b.now_s))
        return fail(ErrorKind::InvalidArgument, phrase("The queue begins at no moment."), {},
                    phrase("a day of the calendar."));
    for (const QueueDone& d : w.done)
        if (!there(d.module, d.charger, d.channel) || !moment(d.start_s) || !moment(d.end_s) ||
            !(d.end_s >= d.start_s) || ++b.begun[d.module] > links)
            return fail(ErrorKind::InvalidArgument,
                        phrase("A step that was done does not fit this bench."), {},
                        phrase("the modules, chargers and cycles of the queue."));
    for (const QueuePin& p : w.pins) {
        if (!there(p.module, p.charger, p.channel) || p.link >= links || !moment(p.start_s))
            return fail(ErrorKind::InvalidArgument,
                        phrase("A step that was moved does not fit this bench."), {},
                        phrase("the modules, chargers and cycles of the queue."));
        if (p.link >= b.begun[p.module]) b.pins[p.module][p.link] = &p;
    }
    for (const std::size_t m : w.retired)
        if (m < w.modules.size()) b.retired[m] = true;
    return {};
}

/// Times and currents of one module on every charger. Errors: what the gate refuses, a module that
/// no charger can take, a charge that is longer than the attended hours.
Expected<void> takeModule(Bench& b, const QueueModule& m) {
    const QueueWish& w = b.wish;
    const auto named = [&](Error e) {
        e.what = m.name + ": " + e.what;
        return tl::unexpected<Error>(std::move(e));
    };
    const auto may = [](double figure) { return figure >= 0 && figure <= kMostFigure; };
    if (!(m.rated_Ah > 0) || m.series < 1 || !may(m.rated_Ah) || !may(m.capacity_Ah) ||
        !may(m.charge_A) || !may(m.discharge_A))
        return fail(ErrorKind::InvalidArgument, phrase("The figures of {} cannot be.", m.name), {},
                    phrase("series from 1, capacities and currents above 0."));
    // What is wrong with the module itself, whatever the charger.
    const ChargeWish own = m.charge();
    const auto limits = askGate(own.state(), [&] {
        ActWish act = own.act(Act::Cycle);
        act.discharge_A = m.discharge_A;
        act.floor_V = m.floor_V < 0 || std::isnan(m.floor_V) ? 1e-3 : m.floor_V;
        return act;
    }());
    if (!limits) return named(limits.error());
    for (const std::string& words : limits->cautions) b.cautions.push_back(m.name + ": " + words);
    std::vector<double> cs, ds, ca, da, gs, ga;
    Error why;
    bool any = false;
    for (const ChargerCard& charger : w.chargers) {
        double amps = 0;
        const auto step = [&](bool charge, bool gentle, std::vector<double>& times,
                              std::vector<double>& currents) {
            const auto s = queueStep_s(m, charger, charge, gentle, amps);
            if (!s && !gentle) why = s.error();
            times.push_back(s && *s <= kLongestStep_s ? *s : kNever);
            currents.push_back(amps);
        };
        step(true, false, cs, ca);
        step(false, false, ds, da);
        if (w.unattendedCharging)
            step(true, true, gs, ga);
        else
            gs.push_back(kNever), ga.push_back(0);
        any = any || (cs.back() < kNever && ds.back() < kNever);
    }
    const double charge_s = *std::ranges::min_element(cs);
    if (!any && !(charge_s < kNever && *std::ranges::min_element(ds) < kNever)) {
        why.what = phrase(
            "No charger can take {}. {}", m.name,
            why.what.empty() ? phrase("The current that it would get is too small.") : why.what);
        if (why.accepted.empty())
            why.accepted =
                phrase("currents with which a step takes {:.0f} h at most.", kLongestStep_s / 3600);
        return tl::unexpected<Error>(std::move(why));
    }
    const double length = w.present.length_s();
    if (!w.present.always() && !w.unattendedCharging && charge_s > length + 1e-6)
        return refusal(
            Act::Cycle, "attended",
            phrase("The charge of {} takes up to {:.1f} h; somebody is there {:.1f} h in a row.",
                   m.name, charge_s / 3600, length / 3600),
            phrase("longer hours, a larger current, {:.1f} of the charge by a timer, or "
                   "--unattended in so many words.",
                   std::floor(10 * length / charge_s) / 10));
    b.charge_s.push_back(cs);
    b.discharge_s.push_back(ds);
    b.charge_A.push_back(ca);
    b.discharge_A.push_back(da);
    b.gentle_s.push_back(gs);
    b.gentle_A.push_back(ga);
    return {};
}

Expected<Bench> makeBench(const QueueWish& w) {
    if (w.modules.empty())
        return fail(ErrorKind::InvalidArgument, phrase("There is no module to plan."));
    if (w.chargers.empty()) return fail(ErrorKind::InvalidArgument, phrase("There is no charger."));
    if (w.cycles < 1 || w.cycles > 50)
        return fail(ErrorKind::InvalidArgument, phrase("{} cycles are not planned.", w.cycles), {},
                    phrase("1 to 50."));
    if (!(w.rest_min >= 0) || w.rest_min > 1440)
        return fail(ErrorKind::InvalidArgument,
                    phrase("A rest of {:.0f} min is not planned.", w.rest_min), {},
                    phrase("0 to 1440 min."));
    Bench b{w, {}, {}, {}, {}, {}, {}, {}, {}, 60 * w.rest_min, {}, {}, {}, 0, {}};
    for (std::size_t c = 0; c < w.chargers.size(); ++c)
        for (int k = 1; k <= std::min(64, w.chargers[c].channels); ++k)
            b.channels.push_back({c, k});
    for (int k = 0; k < w.cycles; ++k)
        for (const bool charge : {!w.dischargeFirst, w.dischargeFirst})
            b.isCharge.push_back(charge);
    if (const auto ok = takeState(b); !ok) return tl::unexpected<Error>(ok.error());
    for (const QueueModule& m : w.modules)
        if (auto ok = takeModule(b, m); !ok) return tl::unexpected<Error>(ok.error());
    return b;
}

}  // namespace

ChargeWish QueueModule::charge() const {
    ChargeWish w;
    w.battery.name = name;
    w.battery.chemistry = chemistry;
    w.battery.series = series;
    w.battery.rated_Ah = rated_Ah;
    w.capacity_Ah = capacity_Ah;
    w.current_A = charge_A;
    w.rested_V = rested_V;
    w.ambient_C = ambient_C;
    w.skin = skin;
    w.hazards = hazards;
    return w;
}

Expected<double> queueStep_s(const QueueModule& m, const ChargerCard& charger, bool charge,
                             bool overnight, double& current_A) {
    current_A = 0;
    ChargeWish w = m.charge();
    w.charger = charger;
    w.overnight = overnight;
    if (charge) {
        // Planned at full length, whatever its volts say of the level.
        w.fromSoc = 0;
        const auto plan = planCharge(w);
        if (!plan) return tl::unexpected<Error>(plan.error());
        if (plan->triage.word == Triage::Word::Gently)
            return refusal(Act::Cycle, "over_drained", plan->triage.words.front(),
                           phrase("its gentle start alone first, then the queue."));
        current_A = plan->effectiveCurrent_A;
        return plan->time_s[2];
    }
    ActWish act = w.act(Act::Discharge);
    act.charge_A = 0;
    act.discharge_A = m.discharge_A;
    act.floor_V = m.floor_V;
    const auto limits = askGate(w.state(), act);
    if (!limits) return tl::unexpected<Error>(limits.error());
    const Chemistry& c = *w.battery.chemistryData();
    if (auto ok = charger.canDo(c, m.series); !ok)
        return refusal(Act::Cycle, "charger", ok.error().what, ok.error().accepted);
    current_A = charger.effectiveDischarge_A(limits->discharge_A, c, m.series);
    if (!(current_A > 0))
        return refusal(Act::Cycle, "charger", phrase("{} cannot discharge it.", charger.name),
                       phrase("a charger that discharges."));
    return w.reference_Ah() / current_A * 3600;
}

double queueLowerBound_h(const QueueWish& wish) {
    const auto bench = makeBench(wish);
    if (!bench) return std::numeric_limits<double>::quiet_NaN();
    double bound = 0;
    // Modules that share the same chargers, and all of them together.
    std::map<std::set<std::size_t>, double> work;
    std::set<std::size_t> everywhere;
    double everything = 0;
    for (std::size_t m = 0; m < wish.modules.size(); ++m) {
        double own = 0;
        const std::size_t begun = bench->begun[m];
        if (bench->retired[m] || begun == bench->isCharge.size()) continue;
        for (std::size_t k = begun; k < bench->isCharge.size(); ++k)
            own += *std::ranges::min_element(bench->isCharge[k] ? bench->charge_s[m]
                                                                : bench->discharge_s[m]);
        bound = std::max(
            bound, own + bench->rest_s * static_cast<double>(bench->isCharge.size() - begun - 1));
        std::set<std::size_t> may;
        for (std::size_t c = 0; c < wish.chargers.size(); ++c)
            if (bench->charge_s[m][c] < kNever || bench->discharge_s[m][c] < kNever) may.insert(c);
        work[may] += own;
        everywhere.insert(may.begin(), may.end());
        everything += own;
    }
    const auto channels = [&](const std::set<std::size_t>& of) {
        double count = 0;
        for (const std::size_t c : of) count += wish.chargers[c].channels;
        return count;
    };
    for (const auto& [may, own] : work) {
        double inside = 0;
        for (const auto& [other, more] : work)
            if (std::ranges::includes(may, other)) inside += more;
        bound = std::max(bound, inside / channels(may));
    }
    if (!everywhere.empty()) bound = std::max(bound, everything / channels(everywhere));
    return (bound + bench->now_s - wish.start_s) / 3600;
}

Expected<QueuePlan> planQueue(const QueueWish& wish) {
    const auto bench = makeBench(wish);
    if (!bench) return tl::unexpected<Error>(bench.error());
    const auto until =
        std::chrono::steady_clock::now() + std::chrono::duration<double>(wish.seconds);
    std::vector<double> priority(wish.modules.size(), 1.0);
    QueuePlan best = tryPlan(*bench, priority);
    if (!(best.finish_s < kNever))
        return fail(
            ErrorKind::InvalidArgument,
            wish.pins.empty()
                ? phrase("No hour suits some step: the attended hours are too short.")
                : phrase("Where a step was put no hour suits it, or it cannot be done there."),
            {}, phrase("longer attended hours, or --unattended in so many words."));
    const double bound = queueLowerBound_h(wish);
    std::mt19937 random(wish.seed);
    std::uniform_real_distribution<double> even;
    // Small benches are tried often and wildly.
    const std::size_t size =
        bench->isCharge.size() * wish.modules.size() * wish.modules.size() * bench->channels.size();
    const int tries = static_cast<int>(
        std::clamp<std::size_t>(20'000'000 / std::max<std::size_t>(size, 1), 20, 3000));
    const auto better = [](const QueuePlan& a, const QueuePlan& b) {
        if (std::abs(a.finish_s - b.finish_s) > 60) return a.finish_s < b.finish_s;
        return a.visits < b.visits;
    };
    // A fixed number of tries, as long as the time allows: the same answer on every machine that is
    // quick enough.
    for (int k = 0; k < tries && best.makespan_h() > 1.001 * bound; ++k) {
        if (std::chrono::steady_clock::now() > until) break;
        const double reach = k % 3 == 0 ? 0.15 : k % 3 == 1 ? 0.5 : 0.95;
        for (double& p : priority) p = 1 + reach * (2 * even(random) - 1);
        const QueuePlan tried = tryPlan(*bench, priority);
        if (better(tried, best)) best = tried;
    }
    best.lowerBound_h = bound;
    addRests(*bench, best);
    best.notes.push_back(
        phrase("Charges are planned to their latest end, discharges as capacity over current: a "
               "step that ends at another moment is planned from there."));
    if (wish.present.assumed)
        best.notes.push_back(
            phrase("Nobody said when somebody is there: 07:00 to 22:00 is taken."));
    best.notes.insert(best.notes.end(), bench->cautions.begin(), bench->cautions.end());
    for (const QueueStep& s : best.steps)
        if (s.what == "charge" && !s.attended) {
            best.notes.push_back(
                phrase("Some charges run while nobody is there, as was allowed, with a tenth of C "
                       "at most: a smoke alarm within earshot, nothing that burns beside it."));
            break;
        }
    return best;
}

}  // namespace nk
