#include "queue_bench.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <random>
#include <set>

#include "quantity/phrase.h"

namespace nk {

namespace {

/// The first moment from `t` on at which a step of `length` may begin. A hand needs somebody there;
/// a charge somebody all the while (`watched`).
double feasible(const QueueBench& b, double t, double length, bool watched, bool hand) {
    const Presence& p = b.wish.present;
    if (p.always()) return t;
    if (!watched && !hand) return t;
    auto window = p.windowAt(t);
    for (int k = 0; k < 3; ++k) {
        const double begin = std::max(t, window.first);
        if (!watched || begin + length <= window.second + 1e-6) return begin;
        window = p.windowAt(window.second + 1);
    }
    return kQueueNever;
}

QueuePlan tryPlan(const QueueBench& b, const std::vector<double>& priority) {
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
        const auto at = std::ranges::find_if(b.channels, [&](const QueueChannel& c) {
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
        double bestStart = kQueueNever;
        double bestEnd = kQueueNever;
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
                if (!(length < kQueueNever)) continue;
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
                    b.gentle_s[m][on] < kQueueNever) {
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
        if (!(bestStart < kQueueNever)) {
            out.finish_s = kQueueNever;
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
    double last = -kQueueNever;
    for (const double h : hands)
        if (h > last + 300) {
            ++out.visits;
            last = h;
        }
    return out;
}

/// Rests between the steps of each module, on the channel where nobody else took it meanwhile.
void addRests(const QueueBench& b, QueuePlan& plan) {
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

}  // namespace

double queueLowerBound_h(const QueueWish& wish) {
    const auto bench = makeQueueBench(wish);
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
            if (bench->charge_s[m][c] < kQueueNever || bench->discharge_s[m][c] < kQueueNever)
                may.insert(c);
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
    const auto bench = makeQueueBench(wish);
    if (!bench) return tl::unexpected<Error>(bench.error());
    const auto until =
        std::chrono::steady_clock::now() + std::chrono::duration<double>(wish.seconds);
    std::vector<double> priority(wish.modules.size(), 1.0);
    QueuePlan best = tryPlan(*bench, priority);
    if (!(best.finish_s < kQueueNever))
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
