#include "matching.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numeric>
#include <random>

#include "matching_search.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// What the pack holds when every module is drawn within its uncertainty (JCGM 101:2008).
void drawPack(const std::vector<MatchModule>& modules, Matching& m) {
    for (const MatchGroup& g : m.groups)
        for (const int k : g.modules)
            if (!(modules[static_cast<std::size_t>(k)].capacityUncertainty_Ah >= 0)) return;
    constexpr int kDraws = 4000;
    std::mt19937_64 draw(7);
    std::normal_distribution<double> normal;
    std::vector<double> packs;
    packs.reserve(kDraws);
    std::vector<double> widths;
    for (const MatchGroup& g : m.groups) {
        double squares = 0;
        for (const int k : g.modules)
            squares += std::pow(modules[static_cast<std::size_t>(k)].capacityUncertainty_Ah, 2);
        widths.push_back(std::sqrt(squares));
    }
    for (int n = 0; n < kDraws; ++n) {
        double least = 1e300;
        for (std::size_t k = 0; k < widths.size(); ++k)
            least = std::min(least, m.groups[k].capacity_Ah + widths[k] * normal(draw));
        packs.push_back(least);
    }
    std::ranges::sort(packs);
    const double mean = std::accumulate(packs.begin(), packs.end(), 0.0) / kDraws;
    double squares = 0;
    for (const double x : packs) squares += (x - mean) * (x - mean);
    m.uncertainty_Ah = std::sqrt(squares / (kDraws - 1));
    m.low_Ah = packs[static_cast<std::size_t>(0.025 * kDraws)];
    m.high_Ah = packs[static_cast<std::size_t>(0.975 * kDraws)];
}

}  // namespace

std::vector<ModuleClass> classify(const std::vector<MatchModule>& modules,
                                  const ClassLimits& limits, double mostSelfDischarge_percent) {
    const auto median = [&](double MatchModule::*figure) {
        std::vector<double> all;
        for (const MatchModule& m : modules)
            if (m.*figure > 0) all.push_back(m.*figure);
        if (all.empty()) return kNaN;
        const auto middle = all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2);
        std::ranges::nth_element(all, middle);
        return *middle;
    };
    const double capacity = median(&MatchModule::capacity_Ah);
    const double resistance = median(&MatchModule::resistance_ohm);
    std::vector<ModuleClass> out;
    for (const MatchModule& m : modules) {
        const double share = m.capacity_Ah / capacity;
        const double ohms = m.resistance_ohm > 0 ? m.resistance_ohm / resistance : 0;
        const bool leaks = m.selfDischarge_percent > mostSelfDischarge_percent;
        const bool a = share >= limits.a && ohms <= limits.mostResistance_a;
        const bool b = share >= limits.b && ohms <= limits.mostResistance_b;
        out.push_back(leaks ? ModuleClass::Reject
                      : a   ? ModuleClass::A
                      : b   ? ModuleClass::B
                            : ModuleClass::Reject);
    }
    return out;
}

double spreadBound(std::vector<double> c, int series, int parallel) {
    const auto s = static_cast<std::size_t>(std::max(1, series));
    const auto p = static_cast<std::size_t>(std::max(1, parallel));
    if (s < 2 || c.size() < s * p) return 0;
    std::ranges::sort(c, std::greater{});
    if (p == 1) {
        // S modules next to each other in the order of their capacities.
        double best = 1e300;
        for (std::size_t k = 0; k + s <= c.size(); ++k) best = std::min(best, c[k] - c[k + s - 1]);
        return best;
    }
    if (c.size() > s * p) return 0;  // what is left out is not known
    const double total = std::accumulate(c.begin(), c.end(), 0.0);
    const auto sum = [&](std::size_t from, std::size_t count) {
        return std::accumulate(c.begin() + static_cast<std::ptrdiff_t>(from),
                               c.begin() + static_cast<std::ptrdiff_t>(from + count), 0.0);
    };
    double bound = 0;
    // The group of the strongest holds at least it and the weakest; the others share the rest.
    const double strongest = c.front() + sum(c.size() - (p - 1), p - 1);
    bound = std::max(bound, strongest - (total - strongest) / static_cast<double>(s - 1));
    const double weakest = c.back() + sum(0, p - 1);
    bound = std::max(bound, (total - weakest) / static_cast<double>(s - 1) - weakest);
    // Capacities that are whole multiples of a step: sums are too, and cannot all be the mean.
    for (const double step : {1.0, 0.5, 0.1, 0.05, 0.01, 0.005, 0.001}) {
        const bool whole = std::ranges::all_of(
            c, [&](double x) { return std::abs(x / step - std::round(x / step)) < 1e-6; });
        if (!whole) continue;
        const double share = std::round(total / step) / static_cast<double>(s);
        if (std::abs(share - std::round(share)) > 1e-9) bound = std::max(bound, step);
        break;
    }
    return bound;
}

Matching measureMatching(const std::vector<MatchModule>& modules,
                         std::vector<std::vector<int>> groups) {
    Matching out;
    for (auto& g : groups) {
        MatchGroup group;
        std::ranges::sort(g);
        for (const int k : g) group.capacity_Ah += modules[static_cast<std::size_t>(k)].capacity_Ah;
        group.resistance_ohm = g.empty() ? kNaN : parallelResistance(modules, g);
        group.modules = std::move(g);
        out.groups.push_back(std::move(group));
    }
    if (out.groups.empty()) return out;
    const auto [low, high] = std::ranges::minmax(out.groups, {}, &MatchGroup::capacity_Ah);
    out.spread_Ah = high.capacity_Ah - low.capacity_Ah;
    out.pack_Ah = low.capacity_Ah;
    drawPack(modules, out);
    return out;
}

Expected<std::vector<int>> parseShape(const std::string& text) {
    const auto wrong = [&] {
        return fail(ErrorKind::InvalidArgument, phrase("This is no shape of a pack."), text,
                    phrase("the modules of each group, like 4 4 3: 1 to 1000 each."));
    };
    std::vector<int> out;
    for (std::size_t k = 0; k < text.size();) {
        if (text[k] == ' ' || text[k] == ',' || text[k] == ';' || text[k] == '\t') {
            ++k;
            continue;
        }
        int count = 0;
        const auto read = std::from_chars(text.data() + k, text.data() + text.size(), count);
        if (read.ec != std::errc() || count < 1 || count > 1000 || out.size() >= 1000)
            return wrong();
        out.push_back(count);
        k = static_cast<std::size_t>(read.ptr - text.data());
    }
    if (out.empty()) return wrong();
    return out;
}

std::string groupSizes(const std::vector<MatchGroup>& groups) {
    const auto size = [&](std::size_t k) { return std::to_string(groups[k].modules.size()); };
    if (groups.empty()) return "0";
    if (std::ranges::all_of(groups, [&](const MatchGroup& g) {
            return g.modules.size() == groups.front().modules.size();
        }))
        return size(0);
    std::string out = size(0);
    for (std::size_t k = 1; k < groups.size(); ++k)
        out = k + 1 < groups.size() ? out + ", " + size(k) : phrase("{} and {}", out, size(k));
    return out;
}

Expected<Matching> matchModules(const std::vector<MatchModule>& modules, const MatchWish& wish,
                                std::stop_token stop) {
    const std::vector<int> counts = wish.counts();
    if (counts.empty() || counts.size() > 1000 ||
        std::ranges::any_of(counts, [](int n) { return n < 1 || n > 1000; }))
        return fail(ErrorKind::InvalidArgument, phrase("This is no shape of a pack."),
                    phrase("series, parallel"), phrase("1 to 1000 groups of 1 to 1000 modules."));
    std::vector<int> usable;
    std::vector<int> apart;
    for (std::size_t k = 0; k < modules.size(); ++k) {
        const MatchModule& m = modules[k];
        if (!(m.capacity_Ah > 0) || !std::isfinite(m.capacity_Ah))
            return fail(ErrorKind::InvalidArgument, phrase("A module has no capacity: {}", m.name),
                        "", phrase("a number above 0."));
        const bool leaks = m.selfDischarge_percent > wish.mostSelfDischarge_percent;
        (leaks ? apart : usable).push_back(static_cast<int>(k));
    }
    const auto needed =
        static_cast<std::size_t>(std::accumulate(counts.begin(), counts.end(), 0LL));
    if (usable.size() < needed)
        return fail(ErrorKind::InvalidArgument,
                    apart.empty()
                        ? phrase("{} modules are needed and {} are there.", needed, usable.size())
                    : apart.size() == 1
                        ? phrase("{} modules are needed and {} are there; one is set apart because "
                                 "it loses its charge.",
                                 needed, usable.size())
                        : phrase("{} modules are needed and {} are there; {} are set apart because "
                                 "they lose their charge.",
                                 needed, usable.size(), apart.size()),
                    "", phrase("more modules, or fewer groups."));
    std::vector<double> capacities;
    capacities.reserve(usable.size());
    for (const int k : usable)
        capacities.push_back(modules[static_cast<std::size_t>(k)].capacity_Ah);
    MatchArrangement found = searchArrangement(modules, usable, wish, stop);
    if (stop.stop_requested()) return fail(ErrorKind::Cancelled, phrase("Cancelled."), "");
    Matching out = measureMatching(modules, std::move(found.groups));
    out.spares = std::move(found.spares);
    out.setApart = std::move(apart);
    out.proven = found.proven && wish.resistanceWeight <= 0;
    out.lowerBound_Ah = found.proven ? found.leastSpread_Ah
                        : std::ranges::all_of(counts, [&](int n) { return n == counts.front(); })
                            ? spreadBound(std::move(capacities), static_cast<int>(counts.size()),
                                          counts.front())
                            : 0;  // of unlike groups no bound is known
    out.lowerBound_Ah = std::min(out.lowerBound_Ah, out.spread_Ah);
    if (wish.shape.empty())
        std::ranges::stable_sort(out.groups, std::greater{}, &MatchGroup::capacity_Ah);
    return out;
}

}  // namespace nk
