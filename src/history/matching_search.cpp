#include "matching_search.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>
#include <random>

namespace nk {

double parallelResistance(const std::vector<MatchModule>& modules, const std::vector<int>& group) {
    double siemens = 0;
    for (const int k : group) siemens += 1 / modules[static_cast<std::size_t>(k)].resistance_ohm;
    return siemens > 0 && std::isfinite(siemens) ? 1 / siemens : kNaN;
}

namespace {

/// Sums that differ by less than this share of their mean are equal in use.
constexpr double kEqual = 0.0005;
/// Of what the strongest modules would make, the least that a pack may hold.
constexpr double kLeastPack = 0.9;
/// As many arrangements are all looked at.
constexpr double kAll = 300'000;

/// An arrangement under way: groups and spares as lists of indices, sums kept beside.
struct Plan {
    std::vector<std::vector<int>> groups;
    std::vector<int> spares;
    std::vector<double> sums;
};

class Matcher {
  public:
    Matcher(const std::vector<MatchModule>& modules, std::vector<int> usable, const MatchWish& wish,
            std::stop_token stop)
        : modules_(modules),
          usable_(std::move(usable)),
          wish_(wish),
          counts_(wish.counts()),
          size_(static_cast<std::size_t>(std::accumulate(counts_.begin(), counts_.end(), 0))),
          even_(std::ranges::all_of(counts_, [&](int n) { return n == counts_.front(); })),
          stop_(std::move(stop)),
          until_(std::chrono::steady_clock::now() + wish.longest),
          draw_(wish.seed),
          resistances_(std::ranges::all_of(usable_, [&](int k) {
              return modules_[static_cast<std::size_t>(k)].resistance_ohm > 0;
          })) {
        std::ranges::stable_sort(usable_, std::greater{}, [&](int k) { return capacity(k); });
    }

    Plan run() {
        const std::size_t size = size_;
        const std::size_t over = usable_.size() - size;
        floor_Ah_ = kLeastPack * std::ranges::min(laid(strongest(size)).sums);
        if (countAll() <= kAll) {
            strict_ = true;
            all();
            proven = true;
            return std::move(*best_);
        }
        // Windows of the sorted modules: all the strongest first, then one outlier less at a time.
        const std::size_t step = std::max<std::size_t>(1, over / 12);
        for (std::size_t skip = 0; skip <= over; skip += step) {
            std::vector<int> chosen(usable_.begin() + static_cast<std::ptrdiff_t>(skip),
                                    usable_.begin() + static_cast<std::ptrdiff_t>(skip + size));
            Plan plan = laid(chosen);
            for (std::size_t k = 0; k < usable_.size(); ++k)
                if (k < skip || k >= skip + size) plan.spares.push_back(usable_[k]);
            improve(plan);
            take(plan);
            // Nothing that comes later holds more.
            if (best_ && equal(*best_) && skip == 0) break;
            if (late()) break;
        }
        // Shaken and improved again, until it is equal in use or time is up.
        while (!late() && !(equal(*best_) && wish_.resistanceWeight <= 0) && shakes_ < 400) {
            Plan plan = *best_;
            shake(plan);
            improve(plan);
            take(plan);
            ++shakes_;
        }
        breakTies(*best_);
        return std::move(*best_);
    }
    bool proven = false;
    double least_Ah = 1e300;  ///< smallest spread of all arrangements, where all were looked at

  private:
    std::vector<int> strongest(std::size_t count) const {
        return {usable_.begin(), usable_.begin() + static_cast<std::ptrdiff_t>(count)};
    }
    double capacity(int k) const { return modules_[static_cast<std::size_t>(k)].capacity_Ah; }
    bool late() const {
        return stop_.stop_requested() || std::chrono::steady_clock::now() > until_;
    }
    static double spread(const Plan& p) {
        const auto [low, high] = std::ranges::minmax(p.sums);
        return high - low;
    }
    static double mean(const Plan& p) {
        return std::accumulate(p.sums.begin(), p.sums.end(), 0.0) /
               static_cast<double>(p.sums.size());
    }
    static bool equal(const Plan& p) { return spread(p) <= kEqual * mean(p); }

    double resistanceSpread(const Plan& p) const {
        if (!resistances_) return 0;
        double low = 1e300;
        double high = 0;
        double sum = 0;
        for (const auto& g : p.groups) {
            const double r = parallelResistance(modules_, g);
            low = std::min(low, r);
            high = std::max(high, r);
            sum += r;
        }
        return (high - low) / sum * static_cast<double>(p.groups.size());
    }

    /// Whether `a` is the better arrangement.
    bool better(const Plan& a, const Plan& b) const {
        if (wish_.resistanceWeight > 0) {
            const double x = spread(a) / mean(a) + wish_.resistanceWeight * resistanceSpread(a);
            const double y = spread(b) / mean(b) + wish_.resistanceWeight * resistanceSpread(b);
            if (std::abs(x - y) > 1e-12) return x < y;
            return std::ranges::min(a.sums) > std::ranges::min(b.sums);
        }
        const double x = std::ranges::min(a.sums);
        const double y = std::ranges::min(b.sums);
        // Weak modules are no help for being equally weak.
        if ((x >= floor_Ah_) != (y >= floor_Ah_)) return x >= floor_Ah_;
        const double tiny = 1e-9 * mean(a);
        const bool alike = !strict_ && equal(a) && equal(b);
        if (!strict_ && equal(a) != equal(b)) return equal(a);
        if (!alike && std::abs(spread(a) - spread(b)) > tiny) return spread(a) < spread(b);
        if (alike && std::abs(x - y) > tiny) return x > y;
        const double ohms = resistanceSpread(a) - resistanceSpread(b);
        if (std::abs(ohms) > 1e-12) return ohms < 0;
        return x > y + tiny;
    }
    void take(const Plan& plan) {
        if (!best_ || better(plan, *best_)) best_ = plan;
    }

    /// The first arrangement of as many modules as the groups hold, strongest first.
    Plan laid(const std::vector<int>& sorted) const {
        return even_ ? differencing(sorted) : oneByOne(sorted);
    }

    /// Where groups hold unlike numbers: each module to the group that lacks most for every place
    /// that it has left.
    Plan oneByOne(const std::vector<int>& sorted) const {
        Plan out;
        out.groups.resize(counts_.size());
        out.sums.assign(counts_.size(), 0);
        double all = 0;
        for (const int k : sorted) all += capacity(k);
        const double wanted = all / static_cast<double>(counts_.size());
        for (const int k : sorted) {
            std::size_t best = counts_.size();
            double most = 0;
            for (std::size_t g = 0; g < counts_.size(); ++g) {
                const double left =
                    static_cast<double>(counts_[g]) - static_cast<double>(out.groups[g].size());
                if (left < 0.5) continue;
                const double lacks = (wanted - out.sums[g]) / left;
                if (best == counts_.size() || lacks > most) best = g, most = lacks;
            }
            out.groups[best].push_back(k);
            out.sums[best] += capacity(k);
        }
        return out;
    }

    /// Largest differencing in its balanced form (after Karmarkar and Karp 1982, from memory; with
    /// equal numbers a group as Michiels, Korst and Aarts 2003, from memory): slices of S modules,
    /// the two of the largest spread laid together the other way round.
    Plan differencing(const std::vector<int>& sorted) const {
        struct Part {
            std::vector<std::pair<double, std::vector<int>>> slots;  ///< sums, largest first
            double spread() const { return slots.front().first - slots.back().first; }
        };
        const std::size_t s = counts_.size();
        std::vector<Part> parts;
        for (std::size_t k = 0; k < sorted.size(); k += s) {
            Part part;
            for (std::size_t n = k; n < k + s; ++n)
                part.slots.emplace_back(capacity(sorted[n]), std::vector{sorted[n]});
            parts.push_back(std::move(part));
        }
        while (parts.size() > 1) {
            std::ranges::sort(parts, std::less{}, &Part::spread);
            Part a = std::move(parts.back());
            parts.pop_back();
            Part b = std::move(parts.back());
            parts.pop_back();
            for (std::size_t k = 0; k < s; ++k) {
                auto& into = a.slots[k];
                auto& from = b.slots[s - 1 - k];
                into.first += from.first;
                into.second.insert(into.second.end(), from.second.begin(), from.second.end());
            }
            std::ranges::sort(a.slots, std::greater{}, [](const auto& slot) { return slot.first; });
            parts.push_back(std::move(a));
        }
        Plan out;
        for (auto& [sum, modules] : parts.front().slots) {
            out.groups.push_back(std::move(modules));
            out.sums.push_back(sum);
        }
        return out;
    }

    /// The exchange between two groups (or a group and the spares) that brings the first nearest to
    /// `wanted` less; true when one helps.
    bool exchange(Plan& p, std::size_t from, std::size_t to, double wanted) {
        auto& a = p.groups[from];
        auto& b = p.groups[to];
        double best = std::abs(wanted);
        std::ptrdiff_t x = -1;
        std::ptrdiff_t y = -1;
        for (std::size_t i = 0; i < a.size(); ++i)
            for (std::size_t k = 0; k < b.size(); ++k) {
                const double left = std::abs(wanted - (capacity(a[i]) - capacity(b[k])));
                if (left < best - 1e-12)
                    best = left, x = static_cast<std::ptrdiff_t>(i),
                    y = static_cast<std::ptrdiff_t>(k);
            }
        if (x < 0) return false;
        const double moved =
            capacity(a[static_cast<std::size_t>(x)]) - capacity(b[static_cast<std::size_t>(y)]);
        std::swap(a[static_cast<std::size_t>(x)], b[static_cast<std::size_t>(y)]);
        p.sums[from] -= moved;
        p.sums[to] += moved;
        return true;
    }

    /// Two for two, where one for one does not help: pair sums sorted, two fingers.
    bool exchangePairs(Plan& p, std::size_t from, std::size_t to, double wanted) {
        auto& a = p.groups[from];
        auto& b = p.groups[to];
        if (std::min(a.size(), b.size()) < 2 || std::max(a.size(), b.size()) > 40) return false;
        struct Pair {
            double sum;
            int first, second;
        };
        const auto pairs = [&](const std::vector<int>& g) {
            std::vector<Pair> out;
            for (std::size_t i = 0; i < g.size(); ++i)
                for (std::size_t k = i + 1; k < g.size(); ++k)
                    out.push_back({capacity(g[i]) + capacity(g[k]), static_cast<int>(i),
                                   static_cast<int>(k)});
            std::ranges::sort(out, {}, &Pair::sum);
            return out;
        };
        const auto left = pairs(a);
        const auto right = pairs(b);
        double best = std::abs(wanted);
        const Pair* one = nullptr;
        const Pair* other = nullptr;
        std::size_t k = 0;
        for (const Pair& x : left) {
            while (k + 1 < right.size() && x.sum - right[k].sum > wanted) ++k;
            for (const std::size_t n : {k > 0 ? k - 1 : k, k}) {
                const double off = std::abs(wanted - (x.sum - right[n].sum));
                if (off < best - 1e-12) best = off, one = &x, other = &right[n];
            }
        }
        if (one == nullptr) return false;
        const double moved = one->sum - other->sum;
        std::swap(a[static_cast<std::size_t>(one->first)],
                  b[static_cast<std::size_t>(other->first)]);
        std::swap(a[static_cast<std::size_t>(one->second)],
                  b[static_cast<std::size_t>(other->second)]);
        p.sums[from] -= moved;
        p.sums[to] += moved;
        return true;
    }

    /// A spare in the place of a module, when that brings the group nearer to the mean of the
    /// others.
    bool exchangeSpare(Plan& p, std::size_t group) {
        if (p.spares.empty()) return false;
        const double others = (std::accumulate(p.sums.begin(), p.sums.end(), 0.0) - p.sums[group]) /
                              std::max<double>(1, static_cast<double>(p.sums.size()) - 1);
        const double before = spread(p);
        const double now = std::abs(p.sums[group] - others);
        double best = now;
        std::size_t x = 0;
        std::size_t y = 0;
        for (std::size_t i = 0; i < p.groups[group].size(); ++i)
            for (std::size_t k = 0; k < p.spares.size(); ++k) {
                const double off = std::abs(p.sums[group] - capacity(p.groups[group][i]) +
                                            capacity(p.spares[k]) - others);
                if (off < best - 1e-12) best = off, x = i, y = k;
            }
        if (best >= now) return false;
        const double was = p.sums[group];
        p.sums[group] += capacity(p.spares[y]) - capacity(p.groups[group][x]);
        if (spread(p) >= before - 1e-12) {
            p.sums[group] = was;
            return false;
        }
        std::swap(p.groups[group][x], p.spares[y]);
        return true;
    }

    /// Exchanges between the fullest and the emptiest, then between them and all others, until none
    /// helps.
    void improve(Plan& p) {
        const std::size_t s = p.groups.size();
        if (s < 2) return;
        for (int round = 0; round < 2000 && !late(); ++round) {
            if (equal(p) && wish_.resistanceWeight <= 0) break;
            const auto high =
                static_cast<std::size_t>(std::ranges::max_element(p.sums) - p.sums.begin());
            const auto low =
                static_cast<std::size_t>(std::ranges::min_element(p.sums) - p.sums.begin());
            const auto level = [&](std::size_t a, std::size_t b) {
                const double wanted = 0.5 * (p.sums[a] - p.sums[b]);
                return exchange(p, a, b, wanted) || exchangePairs(p, a, b, wanted);
            };
            if (level(high, low)) continue;
            bool helped = false;
            for (std::size_t k = 0; k < s && !helped; ++k)
                helped = (k != high && k != low) && (level(high, k) || level(k, low));
            if (helped) continue;
            if (exchangeSpare(p, high) || exchangeSpare(p, low)) continue;
            break;
        }
        if (wish_.resistanceWeight > 0) weigh(p);
    }

    /// With a weight on resistance: any exchange that makes the whole better.
    void weigh(Plan& p) {
        const std::size_t s = p.groups.size();
        bool helped = true;
        while (helped && !late()) {
            helped = false;
            for (std::size_t a = 0; a < s && !late(); ++a)
                for (std::size_t b = a + 1; b < s; ++b)
                    for (int& x : p.groups[a])
                        for (int& y : p.groups[b]) {
                            if (late()) return;
                            Plan other = p;
                            const double moved = capacity(x) - capacity(y);
                            const auto i = static_cast<std::size_t>(&x - p.groups[a].data());
                            const auto k = static_cast<std::size_t>(&y - p.groups[b].data());
                            std::swap(other.groups[a][i], other.groups[b][k]);
                            other.sums[a] -= moved;
                            other.sums[b] += moved;
                            if (better(other, p)) {
                                std::swap(x, y);
                                p.sums[a] -= moved;
                                p.sums[b] += moved;
                                helped = true;
                            }
                        }
        }
    }

    /// Of modules of like capacity the ones are exchanged whose resistances even the groups out.
    void breakTies(Plan& p) {
        if (!resistances_ || wish_.resistanceWeight > 0 || p.groups.size() < 2) return;
        const double before = std::ranges::min(p.sums);
        const double most = std::max(spread(p), equal(p) ? kEqual * mean(p) : 0.0);
        for (int round = 0; round < 500 && !late(); ++round) {
            std::vector<double> ohms;
            for (const auto& g : p.groups) ohms.push_back(parallelResistance(modules_, g));
            const auto high =
                static_cast<std::size_t>(std::ranges::max_element(ohms) - ohms.begin());
            const auto low =
                static_cast<std::size_t>(std::ranges::min_element(ohms) - ohms.begin());
            double best = resistanceSpread(p);
            std::optional<Plan> next;
            for (std::size_t i = 0; i < p.groups[high].size(); ++i)
                for (std::size_t k = 0; k < p.groups[low].size(); ++k) {
                    if (late()) return;
                    Plan other = p;
                    const double moved = capacity(p.groups[high][i]) - capacity(p.groups[low][k]);
                    std::swap(other.groups[high][i], other.groups[low][k]);
                    other.sums[high] -= moved;
                    other.sums[low] += moved;
                    if (spread(other) > most + 1e-12 ||
                        std::ranges::min(other.sums) < before - 1e-12)
                        continue;
                    const double r = resistanceSpread(other);
                    if (r < best - 1e-12) best = r, next = std::move(other);
                }
            if (!next) break;
            p = std::move(*next);
        }
    }

    void shake(Plan& p) {
        const std::size_t s = p.groups.size();
        const auto any = [&](std::size_t below) {
            return std::uniform_int_distribution<std::size_t>(0, below - 1)(draw_);
        };
        const std::size_t swaps = 2 + any(4);
        for (std::size_t n = 0; n < swaps; ++n) {
            const std::size_t a = any(s);
            std::size_t b = any(s);
            if (s > 1)
                while (b == a) b = any(s);
            int& x = p.groups[a][any(p.groups[a].size())];
            int& y = !p.spares.empty() && any(4) == 0 ? p.spares[any(p.spares.size())]
                                                      : p.groups[b][any(p.groups[b].size())];
            std::swap(x, y);
        }
        for (std::size_t k = 0; k < s; ++k) {
            p.sums[k] = 0;
            for (const int m : p.groups[k]) p.sums[k] += capacity(m);
        }
    }

    /// In how many ways the modules can be placed, groups without order.
    double countAll() const {
        const auto fact = [](double x) { return std::lgamma(x + 1); };
        const auto n = static_cast<double>(usable_.size());
        double ways = fact(n) - fact(n - static_cast<double>(size_));
        for (const int count : counts_) ways -= fact(count);
        // Groups of one size are alike.
        std::vector<int> sorted = counts_;
        std::ranges::sort(sorted);
        for (std::size_t k = 0; k < sorted.size();) {
            const auto end = std::ranges::upper_bound(sorted, sorted[k]) - sorted.begin();
            ways -= fact(static_cast<double>(end) - static_cast<double>(k));
            k = static_cast<std::size_t>(end);
        }
        return std::exp(ways);
    }

    /// Every arrangement once: the first free module opens the next group, or is a spare.
    void all() {
        Plan plan;
        plan.groups.resize(counts_.size());
        plan.sums.assign(counts_.size(), 0);
        place(plan, 0);
    }
    void place(Plan& plan, std::size_t k) {
        if (k == usable_.size()) {
            // As many are placed as are wanted: no group holds more and the spares no fewer.
            if (plan.spares.size() != usable_.size() - size_) return;
            least_Ah = std::min(least_Ah, spread(plan));
            take(plan);
            return;
        }
        const int m = usable_[k];
        for (std::size_t g = 0; g < plan.groups.size(); ++g) {
            if (plan.groups[g].size() == static_cast<std::size_t>(counts_[g])) continue;
            // Of empty groups of one size the first stands for all.
            bool stands = true;
            for (std::size_t other = 0; other < g && plan.groups[g].empty(); ++other)
                stands = stands && (counts_[other] != counts_[g] || !plan.groups[other].empty());
            if (!stands) continue;
            plan.groups[g].push_back(m);
            plan.sums[g] += capacity(m);
            place(plan, k + 1);
            plan.groups[g].pop_back();
            plan.sums[g] -= capacity(m);
        }
        if (plan.spares.size() < usable_.size() - size_) {
            plan.spares.push_back(m);
            place(plan, k + 1);
            plan.spares.pop_back();
        }
    }

    const std::vector<MatchModule>& modules_;
    std::vector<int> usable_;  ///< strongest first
    const MatchWish& wish_;
    std::vector<int> counts_;  ///< modules of each group
    std::size_t size_;         ///< of all of them
    bool even_;                ///< all groups hold the same number
    std::stop_token stop_;
    std::chrono::steady_clock::time_point until_;
    std::mt19937_64 draw_;
    bool resistances_;
    int shakes_ = 0;
    bool strict_ = false;  ///< the smallest spread, and not one that is equal in use
    double floor_Ah_ = 0;  ///< a pack that holds less is not wanted
    std::optional<Plan> best_;
};

}  // namespace

MatchArrangement searchArrangement(const std::vector<MatchModule>& modules, std::vector<int> usable,
                                   const MatchWish& wish, std::stop_token stop) {
    Matcher matcher(modules, std::move(usable), wish, std::move(stop));
    Plan plan = matcher.run();
    return {std::move(plan.groups), std::move(plan.spares), matcher.proven, matcher.least_Ah};
}

}  // namespace nk
