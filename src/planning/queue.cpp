#include "queue.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <random>
#include <set>

#include "chemistry/charge_rates.h"
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
    std::vector<bool> isCharge;  ///< of the steps of a chain, without rests
    double rest_s = 0;
    /// By module and link; null where nobody put it anywhere.
    std::vector<std::vector<const QueuePin*>> pins;
    std::vector<std::size_t> begun;  ///< links of each module that are done or running
    std::vector<bool> retired;
    double now_s = 0;
    std::vector<std::string> beyondUsual;  ///< a sentence a module that is charged so
};

/// The first moment from `t` on at which a step of `length` may begin. A hand needs somebody there;
/// a charge somebody all the while.
double feasible(const Bench& b, double t, double length, bool charge, bool hand) {
    const Presence& p = b.wish.present;
    if (p.always()) return t;
    const bool watched = charge && !b.wish.unattendedCharging;
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
        for (std::size_t m = 0; m < n; ++m) {
            const std::size_t k = next[m];
            if (k == links) continue;
            const bool charge = b.isCharge[k];
            const double weight = tail[m][k] * priority[m];
            for (std::size_t c = 0; c < b.channels.size(); ++c) {
                const double length =
                    (charge ? b.charge_s : b.discharge_s)[m][b.channels[c].charger];
                if (!(length < kNever)) continue;
                const QueuePin* pin = b.pins[m][k];
                if (pin != nullptr && (static_cast<int>(b.channels[c].charger) != pin->charger ||
                                       b.channels[c].number != pin->channel))
                    continue;
                const bool hand = clipped[m] != static_cast<int>(c);
                double from = std::max(ready[m], free[c]);
                if (pin != nullptr) from = std::max(from, pin->start_s);
                double start = feasible(b, from, length, charge, hand);
                if (pin == nullptr && !b.wish.pins.empty())
                    start = feasible(b, around(m, c, start, length), length, charge, hand);
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
        s.current_A = (b.isCharge[k] ? b.charge_A : b.discharge_A)[m][b.channels[c].charger];
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

/// A charge current in a table is asked for as in a plan of its own: up to the usual figure, up to
/// 1C marked; what needs the explicit step is planned there and not here.
Expected<void> chargesSafely(const QueueModule& m, const Chemistry& c,
                             std::vector<std::string>& beyondUsual) {
    const double rate = m.charge_A / m.rated_Ah;
    const RateIs is = rateIs(rate, c.chargeC);
    if (is == RateIs::Usual) return {};
    if (is != RateIs::Marked)
        return fail(ErrorKind::InvalidArgument,
                    phrase("{}: {:.3g}C is beyond the usual {:.2g}C of {}.", m.name, rate,
                           c.chargeC, c.name()),
                    {}, phrase("at most {:.2g}C in a queue.", std::max(kTypedRate_C, c.chargeC)));
    beyondUsual.push_back(phrase(
        "{} is charged beyond the usual {:.2g}C: only where the maker's data sheet allows it.",
        m.name, c.chargeC));
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
    Bench b{w, {}, {}, {}, {}, {}, {}, 60 * w.rest_min, {}, {}, {}, 0, {}};
    for (std::size_t c = 0; c < w.chargers.size(); ++c)
        for (int k = 1; k <= std::min(64, w.chargers[c].channels); ++k)
            b.channels.push_back({c, k});
    for (int k = 0; k < w.cycles; ++k)
        for (const bool charge : {!w.dischargeFirst, w.dischargeFirst})
            b.isCharge.push_back(charge);
    if (const auto ok = takeState(b); !ok) return tl::unexpected<Error>(ok.error());
    const auto window = w.present.windowAt(w.start_s);
    const double length = window.second - window.first;
    for (const QueueModule& m : w.modules) {
        const auto chemistry = findChemistry(m.chemistry);
        if (!chemistry) return tl::unexpected<Error>(chemistry.error());
        const auto may = [](double figure) { return figure >= 0 && figure <= kMostFigure; };
        if (!(m.rated_Ah > 0) || m.series < 1 || !may(m.rated_Ah) || !may(m.capacity_Ah) ||
            !may(m.charge_A) || !may(m.discharge_A))
            return fail(ErrorKind::InvalidArgument, phrase("The figures of {} cannot be.", m.name),
                        {}, phrase("series from 1, capacities and currents above 0."));
        if (const auto safe = chargesSafely(m, **chemistry, b.beyondUsual); !safe)
            return tl::unexpected<Error>(safe.error());
        std::vector<double> cs, ds, ca, da;
        Error why;
        bool any = false;
        for (const ChargerCard& charger : w.chargers) {
            double amps = 0;
            cs.push_back(queueStep_s(m, charger, true, amps));
            ca.push_back(amps);
            ds.push_back(queueStep_s(m, charger, false, amps));
            da.push_back(amps);
            if (cs.back() < kNever && ds.back() < kNever)
                any = true;
            else if (const auto can = charger.canDo(**chemistry, m.series); !can)
                why = can.error();
        }
        for (auto* times : {&cs, &ds})
            for (double& time : *times)
                if (time > kLongestStep_s) time = kNever;
        const bool charges = *std::ranges::min_element(cs) < kNever;
        const bool discharges = *std::ranges::min_element(ds) < kNever;
        if (!any && !(charges && discharges))
            return fail(
                ErrorKind::InvalidArgument,
                phrase("No charger can take {}. {}", m.name,
                       why.what.empty() ? phrase("The current that it would get is too small.")
                                        : why.what),
                {}, why.accepted);
        if (!w.present.always() && !w.unattendedCharging &&
            *std::ranges::min_element(cs) > length + 1e-6)
            return fail(
                ErrorKind::InvalidArgument,
                phrase("The charge of {} takes {:.1f} h; somebody is there {:.1f} h in a row.",
                       m.name, *std::ranges::min_element(cs) / 3600, length / 3600),
                {},
                phrase("longer hours, a larger current, or --allow-unattended-charging in "
                       "so many words."));
        b.charge_s.push_back(cs);
        b.discharge_s.push_back(ds);
        b.charge_A.push_back(ca);
        b.discharge_A.push_back(da);
    }
    return b;
}

}  // namespace

double queueStep_s(const QueueModule& m, const ChargerCard& charger, bool charge,
                   double& current_A) {
    current_A = 0;
    const auto chemistry = findChemistry(m.chemistry);
    if (!chemistry || !charger.canDo(**chemistry, m.series)) return kNever;
    const double capacity = m.capacity_Ah > 0 ? m.capacity_Ah : m.rated_Ah;
    if (charge) {
        const double usual = std::min(0.5, (*chemistry)->chargeC) * m.rated_Ah;
        current_A =
            charger.effectiveCharge_A(m.charge_A > 0 ? m.charge_A : usual, **chemistry, m.series);
        return current_A > 0 ? capacity / current_A * 3600 : kNever;
    }
    current_A = charger.effectiveDischarge_A(m.discharge_A > 0 ? m.discharge_A : 0.2 * m.rated_Ah,
                                             **chemistry, m.series);
    return current_A > 0 ? capacity / current_A * 3600 : kNever;
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
            {}, phrase("longer attended hours, or --allow-unattended-charging in so many words."));
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
        phrase("Times are capacity over current; a real charge takes up to a tenth "
               "longer (nickel warms, lithium has its tail): plan anew from then."));
    best.notes.insert(best.notes.end(), bench->beyondUsual.begin(), bench->beyondUsual.end());
    for (const QueueStep& s : best.steps)
        if (s.what == "charge" && !s.attended) {
            best.notes.push_back(
                phrase("Some charges run while nobody is there, as was allowed: a "
                       "smoke alarm within earshot, nothing that burns beside it."));
            break;
        }
    return best;
}

}  // namespace nk
