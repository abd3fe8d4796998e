#include "triage.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "quantity/phrase.h"

namespace nk {

std::string toString(Triage::Word word) {
    switch (word) {
        case Triage::Word::Normal:
            return "normal";
        case Triage::Word::Gently:
            return "gently";
        case Triage::Word::MeasureCells:
            return "measure_cells";
        case Triage::Word::OutOfUse:
            return "out_of_use";
        case Triage::Word::OverFull:
            return "over_full";
        default:
            return {};
    }
}

namespace {

/// What the volts can be at all. Errors: figures that no such battery has.
Expected<void> plausible(const Battery& b, const Chemistry& c, double pack_V,
                         const std::vector<double>& cells_V) {
    constexpr double kLeast_V = -10, kMost_V = 10;
    for (const double v : cells_V)
        if (!(v >= kLeast_V && v <= kMost_V))
            return fail(ErrorKind::InvalidArgument, phrase("{} V is no voltage of a cell.", v),
                        "--cells-v", phrase("volts of each cell at rest, −10 to 10."));
    if (!(pack_V >= kLeast_V * b.series && pack_V <= kMost_V * b.series))
        return fail(ErrorKind::InvalidArgument,
                    phrase("{} V cannot be {} cells of {} at rest.", pack_V, b.series, c.name()),
                    "--rested-v", phrase("the volts of the whole battery at rest."));
    if (!cells_V.empty() && static_cast<int>(cells_V.size()) != b.series)
        return fail(
            ErrorKind::InvalidArgument,
            phrase("{} cells were measured, and {} are in series.", cells_V.size(), b.series),
            "--cells-v", phrase("one voltage a cell in series."));
    const double sum = std::accumulate(cells_V.begin(), cells_V.end(), 0.0);
    if (pack_V > 0 && !cells_V.empty() && std::abs(sum - pack_V) > 0.03 * pack_V + 0.05)
        return fail(
            ErrorKind::InvalidArgument,
            phrase("The cells add up to {:.2f} V, the whole battery has {:.2f} V.", sum, pack_V),
            "--cells-v", phrase("all measured again, at rest."));
    return {};
}

/// A pack's volts that only one of its cells can have.
bool looksLikeOneCell(const Battery& b, const Chemistry& c, double pack_V) {
    const double lowest = c.nickel() ? 0.8 * c.dischargeFloor_V : c.outOfUse_V;
    const double highest = c.nickel() ? 1.3 * c.nominal_V : c.fault_V;
    return b.series > 1 && pack_V >= lowest && pack_V <= highest && pack_V / b.series < lowest;
}

std::string gentleWords(const std::string& cell, double reference_Ah, double until_V) {
    return phrase(
        "{} at rest is over-drained: at most {:.0f} mA, watched, {:.0f} min to come above {:.2f} "
        "V, "
        "stopped at {:.0f} °C.",
        cell, 1000 * kGentleC * reference_Ah, kGentleMinutes, until_V, kGentleTop_C);
}

void nickelWord(Triage& out, const Battery& b, const Chemistry& c, bool cellsKnown,
                const std::string& cell, double reference_Ah) {
    using Word = Triage::Word;
    if (out.cell_V < 0) {
        out.word = Word::OutOfUse;
        out.rule = "reversed";
        out.words = {phrase("{} is reversed: the pack is not charged.", cell),
                     phrase("Replace that cell or recycle the pack by the local rules.")};
    } else if (out.cell_V < c.overdrained_V && !cellsKnown && b.series > 1) {
        out.word = Word::MeasureCells;
        out.rule = "measure_cells";
        out.words = {phrase("{}: measure every cell first, the mean hides a reversed one.", cell)};
    } else if (out.cell_V < c.overdrained_V) {
        out.word = Word::Gently;
        out.rule = "over_drained";
        out.words = {gentleWords(cell, reference_Ah, c.overdrained_V),
                     phrase("A damage may remain.")};
    } else {
        out.word = Word::Normal;
    }
}

void lithiumWord(Triage& out, const Battery& b, const Chemistry& c, const std::string& cell,
                 double reference_Ah) {
    using Word = Triage::Word;
    if (out.cell_V < c.outOfUse_V) {
        out.word = Word::OutOfUse;
        out.rule = out.cell_V < 0 ? "reversed" : "out_of_use";
        out.words = {out.cell_V < 0
                         ? phrase("{} at rest is reversed: out of use, not charged.", cell)
                         : phrase("{} at rest is under {:.2f} V: out of use, not charged.", cell,
                                  c.outOfUse_V),
                     phrase("Recycle it by the local rules, its terminals taped.")};
        if (out.mean)
            out.words.push_back(
                phrase("Or it is not {} cells in series: look at the count again.", b.series));
    } else if (out.cell_V < c.overdrained_V) {
        out.word = Word::Gently;
        out.rule = "over_drained";
        out.words = {gentleWords(cell, reference_Ah, c.overdrained_V),
                     phrase("If it does not come so far it is out of use.")};
    } else {
        out.word = Word::Normal;
        if (out.mean && out.cell_V < c.dischargeFloor_V + 0.2)
            out.words = {
                phrase("{} at rest: measure every cell, the mean hides a weak one.", cell)};
    }
}

}  // namespace

Expected<Triage> triageOf(const Battery& b, double pack_V, const std::vector<double>& cells_V,
                          double reference_Ah) {
    const Chemistry* c = b.chemistryData();
    if (c == nullptr || b.series < 1)
        return fail(ErrorKind::InvalidArgument,
                    phrase("The chemistry or the series count is not known."), {},
                    phrase("--chemistry and --series N."));
    Triage out;
    if (pack_V == 0 && cells_V.empty()) return out;
    if (auto ok = plausible(b, *c, pack_V, cells_V); !ok) return tl::unexpected<Error>(ok.error());
    if (cells_V.empty() && looksLikeOneCell(b, *c, pack_V)) {
        auto ask =
            fail(ErrorKind::InvalidArgument,
                 phrase("{:.2f} V for {} cells in series is {:.2f} V a cell. Is it the volts "
                        "of one cell? Then the battery has {:.2f} V.",
                        pack_V, b.series, pack_V / b.series, pack_V * b.series),
                 "--rested-v", phrase("the volts of the whole battery at rest."));
        ask.value().rule = "volts_of_one_cell";
        return ask;
    }
    const double reference = reference_Ah > 0 ? reference_Ah : b.rated_Ah;
    out.mean = cells_V.empty() && b.series > 1;
    out.cell_V = cells_V.empty() ? pack_V / b.series : *std::ranges::min_element(cells_V);
    out.highest_V = cells_V.empty() ? out.cell_V : *std::ranges::max_element(cells_V);
    out.apart_V = out.highest_V - out.cell_V;
    constexpr double kNickelMost_V = 1.6, kWrongCount_V = 0.5;
    const double most = c->nickel() ? kNickelMost_V : c->fault_V;
    const std::string tooMuch = phrase(
        "{:.2f} V a cell at rest is more than {} can have: another series count, another "
        "chemistry, or a cell that was overcharged.",
        out.highest_V, c->name());
    if (out.highest_V > most + (c->nickel() ? 0 : kWrongCount_V))
        return fail(ErrorKind::InvalidArgument, tooMuch, {},
                    phrase("at most {:.2f} V a cell; an overcharged cell is out of use.", most));
    const std::string cell = out.mean ? phrase("{:.2f} V a cell in the mean", out.cell_V)
                                      : phrase("{:.2f} V", out.cell_V);
    if (out.highest_V > most && out.cell_V >= c->outOfUse_V) {
        out.word = Triage::Word::OverFull;
        out.rule = "over_fault";
        out.words = {phrase("{:.2f} V a cell at rest is over the {:.2f} V fault limit of {}: it is "
                            "not charged.",
                            out.highest_V, most, c->name()),
                     phrase("Discharge it to storage, outside and watched; then it is out of use: "
                            "recycle it by the local rules.")};
    } else if (c->nickel()) {
        nickelWord(out, b, *c, !cells_V.empty(), cell, reference);
    } else {
        lithiumWord(out, b, *c, cell, reference);
    }
    return out;
}

}  // namespace nk
