#include "identify.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "chemistry.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// Labels are rounded to a tenth of a volt, or copied from one that is.
constexpr double kRounding_V = 0.06;
/// One figure in so many is simply wrong.
constexpr double kSlip = 1e-3;

/// How well a printed figure fits n cells of the kind; 1: to the rounding.
double fitOf(double value, int n, const std::vector<double>& usual) {
    double best = kSlip;
    for (std::size_t k = 0; k < usual.size(); ++k) {
        const double wanted = n * usual[k];
        const double off = std::abs(value - wanted);
        const double near = 0.25 * std::exp(-0.5 * std::pow(off / (0.012 * wanted), 2));
        const double fit = off <= kRounding_V ? 1 : near;
        constexpr double kWeight[] = {1.0, 0.6, 0.3};
        best = std::max(best, kWeight[std::min<std::size_t>(k, 2)] * fit);
    }
    return best;
}

double usualSeries(int n) {
    static const std::map<int, double> known = {
        {1, 1},    {2, 1},    {3, 1},    {4, 1},    {5, 0.5},  {6, 1},    {7, 0.8},  {8, 0.8},
        {10, 0.9}, {12, 0.8}, {13, 0.8}, {14, 0.8}, {15, 0.5}, {16, 0.9}, {20, 0.8}, {24, 0.6}};
    const auto found = known.find(n);
    return found != known.end() ? found->second : 0.25 / (1 + n / 50.0);
}

std::string volts(double v) {
    return fmt::format("{:.4g} V", v);
}

/// The figures that candidates are judged by.
struct Evidence {
    std::optional<double> nominal_V, max_V, min_V, cells;
    double nominalTrust = 1;  ///< under 1: only implied by energy over capacity
    LabelWords words;
};

double fit(const Evidence& e, const Chemistry& kind, int n) {
    double score = kind.printed.share * usualSeries(n);
    if (e.nominal_V) {
        const double f = fitOf(*e.nominal_V, n, kind.printed.nominal_V);
        score *= e.nominalTrust < 1 ? std::max(kSlip, std::min(f, 0.25)) : f;
    }
    if (e.max_V) score *= fitOf(*e.max_V, n, kind.printed.full_V);
    if (e.min_V) {
        const double low = n * kind.printed.emptyLow_V - kRounding_V;
        const double high = n * kind.printed.emptyHigh_V + kRounding_V;
        const double off = *e.min_V < low ? low - *e.min_V : *e.min_V > high ? *e.min_V - high : 0;
        score *= std::max(kSlip, std::exp(-0.5 * std::pow(off / (0.03 * high), 2)));
    }
    if (e.cells) {
        const auto count = static_cast<long long>(std::llround(*e.cells));
        score *= count == n ? 1 : count % n == 0 ? 0.1 : kSlip;
    }
    if (!e.words.chemistries.empty() &&
        std::ranges::find(e.words.chemistries, kind.id) == e.words.chemistries.end())
        score *= 0.02;
    if (e.words.series > 0 && e.words.series != n) score *= kSlip;
    return score;
}

std::vector<std::string> reasonsFor(const Evidence& e, const Chemistry& kind, int n) {
    std::vector<std::string> out;
    const auto per = [&](const char* words, double value) {
        if (n == 1)
            out.push_back(phrase("One cell of {}.", volts(value)));
        else
            out.push_back(phrase(words, volts(value), n, value / n));
    };
    if (e.nominal_V && fitOf(*e.nominal_V, n, kind.printed.nominal_V) > 0.01)
        per(e.nominalTrust < 1 ? "Energy over capacity is {}: {} cells of {:.3g} V."
                               : "Nominal {} is {} cells of {:.3g} V.",
            *e.nominal_V);
    if (e.max_V && fitOf(*e.max_V, n, kind.printed.full_V) > 0.01)
        per("Full at {} is {} cells of {:.3g} V.", *e.max_V);
    if (e.min_V && *e.min_V >= n * kind.printed.emptyLow_V - kRounding_V &&
        *e.min_V <= n * kind.printed.emptyHigh_V + kRounding_V)
        per("Empty at {} is {} cells of {:.3g} V.", *e.min_V);
    if (e.cells && static_cast<int>(std::lround(*e.cells)) == n)
        out.push_back(n == 1 ? phrase("It has one cell.") : phrase("It has {} cells.", n));
    if (!e.words.chemistries.empty() &&
        std::ranges::find(e.words.chemistries, kind.id) != e.words.chemistries.end())
        out.push_back(phrase("The label's words allow it."));
    return out;
}

std::vector<BatteryCandidate> rank(const Evidence& e) {
    std::vector<BatteryCandidate> out;
    double sum = 0;
    for (const Chemistry& kind : chemistries())
        for (int n = 1; n <= kMostSeries; ++n) {
            const double score = fit(e, kind, n);
            sum += score;
            BatteryCandidate c{kind.id, n, 0, score, {}};
            if (e.words.parallel > 0) c.parallel = e.words.parallel;
            const auto count = e.cells ? static_cast<int>(std::lround(*e.cells)) : 0;
            if (count > 0 && count % n == 0) c.parallel = count / n;
            out.push_back(std::move(c));
        }
    std::ranges::stable_sort(out, std::greater(), &BatteryCandidate::share);
    std::vector<BatteryCandidate> kept;
    constexpr double kLeast = 0.005;
    for (BatteryCandidate& c : out) {
        c.share /= sum;
        if (c.share < kLeast) break;
        c.reasons = reasonsFor(e, **findChemistry(c.chemistry), c.series);
        kept.push_back(std::move(c));
    }
    return kept;
}

/// A factor by which a figure is often wrong, and how that comes.
struct Slip {
    double factor;
    const char* words;
};

/// The first slip of `usual` that brings value·factor within a twentieth of `wanted`.
const Slip* slipOf(double value, double wanted, std::span<const Slip> usual) {
    for (const Slip& s : usual)
        if (std::abs(value * s.factor / wanted - 1) < 0.05) return &s;
    return nullptr;
}

class Contradictions {
  public:
    Contradictions(const LabelFacts& f, const LabelWords& words, std::vector<int> series)
        : f_(f), words_(words), series_(std::move(series)) {}

    std::vector<LabelContradiction> find() {
        energy();
        fullAndNominal();
        emptyAndNominal();
        capacityAlone();
        said();
        return std::move(out_);
    }

  private:
    void add(std::vector<std::string> fields, std::string text) {
        out_.push_back({std::move(fields), std::move(text)});
    }

    /// Nominal volts times capacity against the energy.
    void energy() {
        if (!f_.nominal_V || !f_.capacity_Ah || !f_.energy_Wh) return;
        const double made = *f_.nominal_V * *f_.capacity_Ah;
        // A "12 V" battery of 12.8 V is no contradiction.
        if (std::abs(made / *f_.energy_Wh - 1) <= 0.08) return;
        const std::string clash =
            phrase("{} times {:.4g} Ah is {:.4g} Wh, and not {:.4g} Wh. ", volts(*f_.nominal_V),
                   *f_.capacity_Ah, made, *f_.energy_Wh);
        static constexpr std::array capacity = {
            Slip{1e-3, "milliampere-hours printed or typed as Ah"},
            Slip{0.1, "a decimal place in the Ah"}, Slip{10, "a decimal place in the Ah"}};
        static constexpr std::array energy = {Slip{1e-3, "milliwatt-hours printed or typed as Wh"},
                                              Slip{1e3, "kilowatt-hours printed or typed as Wh"},
                                              Slip{0.1, "a decimal place in the Wh"},
                                              Slip{10, "a decimal place in the Wh"}};
        // A capacity that no cell has decides before a decimal place does.
        const double wantedAh = *f_.energy_Wh / *f_.nominal_V;
        const double wantedWh = made;
        if (const Slip* s = slipOf(*f_.capacity_Ah, wantedAh, std::span(capacity).first(1))) {
            add({"ah", "wh"}, clash + phrase("Likelier the slip: {}.", phrase(s->words)));
            return;
        }
        for (const int n : series_) {
            if (n < 2) continue;
            if (std::abs(*f_.energy_Wh * n / made - 1) < 0.05) {
                add({"wh", "nominal"},
                    clash + phrase("Likelier the slip: the Wh of one of {} cells.", n));
                return;
            }
            if (std::abs(*f_.energy_Wh / (made * n) - 1) < 0.05) {
                add({"nominal", "wh"},
                    clash + phrase("Likelier the slip: the volts of one of {} cells.", n));
                return;
            }
        }
        const Slip* s = slipOf(*f_.energy_Wh, wantedWh, energy);
        if (s == nullptr) s = slipOf(*f_.capacity_Ah, wantedAh, capacity);
        if (s != nullptr) {
            add({"ah", "wh"}, clash + phrase("Likelier the slip: {}.", phrase(s->words)));
            return;
        }
        add({"wh", "ah"}, clash + phrase("Likelier the slip: watts printed or typed as Wh."));
    }

    void fullAndNominal() {
        if (!f_.nominal_V || !f_.max_V) return;
        const double ratio = *f_.max_V / *f_.nominal_V;
        if (ratio > 1.04 && ratio < 1.32) return;
        std::string text = phrase("Full at {} does not go with nominal {}. ", volts(*f_.max_V),
                                  volts(*f_.nominal_V));
        for (const double factor : {10.0, 0.1})
            if (ratio * factor > 1.08 && ratio * factor < 1.25) {
                add({"nominal", "max"}, text + phrase("Likelier the slip: a decimal place."));
                return;
            }
        for (const int n : series_)
            for (const bool ofMax : {true, false}) {
                const double mended = ofMax ? ratio * n : ratio / n;
                if (n > 1 && mended > 1.08 && mended < 1.25) {
                    add({"nominal", "max"},
                        text + (ofMax ? phrase("Likelier the slip: the full voltage is that of one "
                                               "cell.")
                                      : phrase("Likelier the slip: the nominal voltage is that of "
                                               "one cell.")));
                    return;
                }
            }
        add({"nominal", "max"},
            text + (ratio <= 1.04 && ratio > 0.9 ? phrase("A battery that is full stands above its "
                                                          "nominal voltage; perhaps they were "
                                                          "exchanged.")
                                                 : phrase("One of them is wrong.")));
    }

    void emptyAndNominal() {
        if (!f_.nominal_V || !f_.min_V) return;
        const double ratio = *f_.min_V / *f_.nominal_V;
        if (ratio > 0.55 && ratio < 0.97) return;
        std::string text = phrase("Empty at {} does not go with nominal {}. ", volts(*f_.min_V),
                                  volts(*f_.nominal_V));
        for (const int n : series_)
            if (n > 1 && ratio * n > 0.62 && ratio * n < 0.95) {
                add({"nominal", "min"},
                    text + phrase("Likelier the slip: the empty voltage is that of one cell."));
                return;
            }
        add({"nominal", "min"}, text + phrase("One of them is wrong."));
    }

    /// A capacity that no battery of this size has, without an energy to compare.
    void capacityAlone() {
        if (!f_.capacity_Ah || f_.energy_Wh || *f_.capacity_Ah < 600) return;
        if (*f_.capacity_Ah / 1000 > 60) return;
        add({"ah", f_.nominal_V ? "nominal" : "words"},
            phrase("{:.5g} Ah is hardly possible; {:.4g} mAh is usual. Likelier the slip: "
                   "milliampere-hours printed or typed as Ah.",
                   *f_.capacity_Ah, *f_.capacity_Ah));
    }

    /// What the label's text says against the figures.
    void said() {
        const LabelFacts& w = words_.figures;
        const auto against = [&](const char* field, const std::optional<double>& given,
                                 const std::optional<double>& said, const char* unit) {
            if (!given || !said || std::abs(*given / *said - 1) < 0.03) return;
            add({field, "words"},
                phrase("The text says {:.5g} {}, the figure is {:.5g} {}. Likelier "
                       "the slip: the figure that was typed.",
                       *said, unit, *given, unit));
        };
        against("nominal", f_.nominal_V, w.nominal_V, "V");
        against("max", f_.max_V, w.max_V, "V");
        against("ah", f_.capacity_Ah, w.capacity_Ah, "Ah");
        against("wh", f_.energy_Wh, w.energy_Wh, "Wh");
    }

    const LabelFacts& f_;
    const LabelWords& words_;
    std::vector<int> series_;  ///< counts that are likely, likeliest first
    std::vector<LabelContradiction> out_;
};

/// Nominal and full volts, or words and full volts, that no kind has together.
void againstEachOther(const LabelFacts& f, const LabelWords& words, Identification& out) {
    if (!f.max_V) return;
    const auto near = [](double value, double wanted) {
        return std::abs(value - wanted) <= std::max(kRounding_V, 0.012 * wanted);
    };
    const auto fits = [&](const std::optional<double>& printed, const std::vector<double>& usual,
                          int n) {
        return !printed ||
               std::ranges::any_of(usual, [&](double v) { return near(*printed, n * v); });
    };
    const auto told = [&](const std::optional<double>& printed, bool full) {
        std::string list;
        for (const Chemistry& kind : chemistries())
            for (int n = 1; n <= 60; ++n) {
                const auto& usual = full ? kind.printed.full_V : kind.printed.nominal_V;
                if (!near(*printed, n * usual.front()) || usualSeries(n) < 0.5) continue;
                const std::string one = phrase("{} × {:.3g} V ({})", n, usual.front(), kind.name());
                if (std::ranges::count(list, '(') < 3) list += (list.empty() ? "" : ", ") + one;
            }
        return list.empty() ? volts(*printed) : list;
    };
    bool together = false;
    bool named = words.chemistries.empty() || words.series == 0;
    for (const Chemistry& kind : chemistries())
        for (int n = 1; n <= kMostSeries; ++n) {
            const bool both = fits(f.nominal_V, kind.printed.nominal_V, n) &&
                              fits(f.max_V, kind.printed.full_V, n);
            together = together || both;
            const bool ofWords =
                std::ranges::find(words.chemistries, kind.id) != words.chemistries.end() &&
                words.series == n;
            named = named || (ofWords && fits(f.max_V, kind.printed.full_V, n));
        }
    const std::vector<std::string> both = {"nominal", "max"};
    const bool said = std::ranges::find(out.contradictions, both, &LabelContradiction::fields) !=
                      out.contradictions.end();
    if (f.nominal_V && !together && !said)
        out.contradictions.push_back(
            {{"nominal", "max"},
             phrase(
                 "Nominal {} and full at {} go with no one kind: {} against {}. Ask before a set "
                 "voltage is chosen.",
                 volts(*f.nominal_V), volts(*f.max_V), told(f.nominal_V, false),
                 told(f.max_V, true))});
    if (!named) {
        const Chemistry& c = **findChemistry(words.chemistries.front());
        const double full = words.series * (std::isfinite(c.set_V) ? c.set_V : 1.45);
        out.contradictions.push_back(
            {{"words", "max"},
             phrase("The text says {} {}S, which is full at {:.1f} V; {} would be {}. Ask before a "
                    "set voltage is chosen.",
                    c.name(), words.series, full, volts(*f.max_V), told(f.max_V, true))});
    }
    if (!named || (f.nominal_V && !together))
        for (BatteryCandidate& c : out.candidates) c.share *= 0.3;
}

}  // namespace

bool LabelFacts::any() const {
    return nominal_V || max_V || min_V || capacity_Ah || energy_Wh || cells || !words.empty();
}

Expected<Identification> identifyBattery(const LabelFacts& facts) {
    if (!facts.any())
        return fail(ErrorKind::InvalidArgument, phrase("There is nothing to recognise it by."), "",
                    phrase("at least one figure of the label, or a line of its text."));
    const std::pair<const char*, const std::optional<double>*> figures[] = {
        {"nominal", &facts.nominal_V}, {"max", &facts.max_V},    {"min", &facts.min_V},
        {"ah", &facts.capacity_Ah},    {"wh", &facts.energy_Wh}, {"cells", &facts.cells}};
    for (const auto& [name, value] : figures)
        if (*value && !(std::isfinite(**value) && **value > 0))
            return fail(ErrorKind::InvalidArgument, phrase("It is not a positive number."), name,
                        phrase("a number above 0, as printed."));
    Identification out;
    const LabelWords words = readLabel(facts.words);
    if (!words.none.empty()) {
        out.noneOfThese = words.none;
        out.noneText =
            words.none == "lead-acid"
                ? phrase(
                      "Lead-acid is none of the kinds this program knows: no plan or limit here "
                      "is for it.")
                : phrase(
                      "A {} is never charged: it can burst or burn. Recycle it when it is empty.",
                      phrase(words.none));
        return out;
    }
    LabelFacts known = facts;  // what the text adds
    const auto fill = [](std::optional<double>& into, const std::optional<double>& from) {
        if (!into) into = from;
    };
    fill(known.nominal_V, words.figures.nominal_V);
    fill(known.max_V, words.figures.max_V);
    fill(known.capacity_Ah, words.figures.capacity_Ah);
    fill(known.energy_Wh, words.figures.energy_Wh);
    Evidence e{known.nominal_V, known.max_V, known.min_V, known.cells, 1, words};
    if (!e.nominal_V && known.energy_Wh && known.capacity_Ah) {
        e.nominal_V = *known.energy_Wh / *known.capacity_Ah;
        e.nominalTrust = 0.5;
    }
    const bool voltage = e.nominal_V || e.max_V || e.min_V;
    if (voltage || e.cells || !words.chemistries.empty() || words.series > 0)
        out.candidates = rank(e);
    std::vector<int> series;
    for (const BatteryCandidate& c : out.candidates)
        if (std::ranges::find(series, c.series) == series.end()) series.push_back(c.series);
    // Counts by the voltages alone, for slips of one of them.
    for (const auto& v : {e.max_V, e.nominal_V})
        if (v)
            for (const double cell : {3.7, 3.6, 3.2, 4.2, 3.65, 1.2, 2.4}) {
                const int n = static_cast<int>(std::lround(std::min(*v / cell, 1e4)));
                if (n > 0 && std::abs(*v / cell / n - 1) < 0.01) series.push_back(n);
            }
    out.contradictions = Contradictions(known, words, series).find();
    // Words and cells against what the voltages say.
    if (voltage && (!words.chemistries.empty() || e.cells || words.series > 0)) {
        Evidence alone = e;
        alone.cells.reset();
        alone.words = {};
        const auto byVoltage = rank(alone);
        const char* field = e.nominal_V && e.nominalTrust == 1 ? "nominal" : e.max_V ? "max" : "wh";
        const auto allowed = [&](const BatteryCandidate& c) {
            return words.chemistries.empty() ||
                   std::ranges::find(words.chemistries, c.chemistry) != words.chemistries.end();
        };
        const auto counted = [&](const BatteryCandidate& c) {
            const auto count = e.cells ? std::llround(*e.cells) : 0;
            return (count == 0 || count % c.series == 0) &&
                   (words.series == 0 || words.series == c.series);
        };
        constexpr double kPlain = 0.002;
        const auto share = [&](auto fits) {
            double sum = 0;
            for (const BatteryCandidate& c : byVoltage)
                if (fits(c)) sum += c.share;
            return sum;
        };
        if (!byVoltage.empty() && share(allowed) < kPlain)
            out.contradictions.push_back(
                {{"words", field},
                 phrase("The text names another kind of cell than the voltages: they fit {} in "
                        "series of {}. Likelier the slip: the words.",
                        byVoltage.front().series,
                        (*findChemistry(byVoltage.front().chemistry))->name())});
        if (!byVoltage.empty() && share(counted) < kPlain)
            out.contradictions.push_back(
                {{e.cells ? "cells" : "words", field},
                 phrase("The number of cells does not go with the voltages: they fit {} in series. "
                        "Likelier the slip: the number of cells.",
                        byVoltage.front().series)});
    }
    againstEachOther(known, words, out);
    if (out.candidates.empty())
        out.ask =
            phrase("Which voltage does it have? Capacity and energy alone do not tell its kind.");
    else if (out.candidates.front().share < 0.8) {
        bool lithium = true;
        for (const BatteryCandidate& c : out.candidates)
            lithium = lithium && !(*findChemistry(c.chemistry))->nickel();
        out.ask = !e.max_V ? phrase("The voltage when full would tell more.")
                  : lithium
                      ? phrase(
                            "Voltages alone do not tell these lithium kinds apart; the label's "
                            "words, or its shape (pouch or can), do.")
                      : phrase("The label's words would tell more.");
    }
    // 1.5 and 3.0 V and their like are what primaries print.
    constexpr double kPrimary_V[] = {1.5, 3.0, 4.5, 9.0};
    if (e.nominal_V && e.nominalTrust == 1 && words.chemistries.empty() && !e.max_V && !e.cells &&
        std::ranges::any_of(kPrimary_V,
                            [&](double v) { return std::abs(*e.nominal_V - v) < 0.01; })) {
        for (BatteryCandidate& c : out.candidates) c.share *= 0.3;
        out.ask = phrase(
            "{} is what primary batteries print: is it rechargeable? A primary is never "
            "charged.",
            volts(*e.nominal_V));
    }
    return out;
}

}  // namespace nk
