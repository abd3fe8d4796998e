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
        default:
            return {};
    }
}

Expected<Triage> triageOf(const Battery& b, double pack_V, const std::vector<double>& cells_V) {
    const Chemistry* c = b.chemistryData();
    if (c == nullptr || b.series < 1)
        return fail(ErrorKind::InvalidArgument,
                    phrase("The chemistry or the series count is not known."), {},
                    phrase("--chemistry and --series N."));
    Triage out;
    if (pack_V == 0 && cells_V.empty()) return out;
    for (const double v : cells_V)
        if (!std::isfinite(v) || std::abs(v) > 10)
            return fail(ErrorKind::InvalidArgument, phrase("{} V is no voltage of a cell.", v),
                        "--cells-v", phrase("volts of each cell at rest, −10 to 10."));
    if (!std::isfinite(pack_V) || pack_V < 0 || pack_V > 10.0 * b.series)
        return fail(ErrorKind::InvalidArgument,
                    phrase("{} V cannot be {} cells of {} at rest.", pack_V, b.series, c->name()),
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
            "--cells-v", phrase("all measured anew, at rest."));
    out.mean = cells_V.empty() && b.series > 1;
    out.cell_V = cells_V.empty() ? pack_V / b.series : *std::ranges::min_element(cells_V);
    const double highest = cells_V.empty() ? out.cell_V : *std::ranges::max_element(cells_V);
    const double most = c->nickel() ? 1.6 : c->fault_V;
    if (highest > most)
        return fail(ErrorKind::InvalidArgument,
                    phrase("{:.2f} V a cell at rest is more than {} can have: another series "
                           "count, another chemistry, or a cell that was overcharged.",
                           highest, c->name()),
                    {},
                    phrase("at most {:.2f} V a cell; an overcharged cell is out of use.", most));
    const std::string cell = out.mean ? phrase("{:.2f} V a cell in the mean", out.cell_V)
                                      : phrase("{:.2f} V", out.cell_V);
    using Word = Triage::Word;
    if (c->nickel()) {
        if (!cells_V.empty() && out.cell_V < 0) {
            out.word = Word::OutOfUse;
            out.words = {
                phrase("A cell is reversed ({:.2f} V): the pack is not charged.", out.cell_V),
                phrase("Replace that cell or recycle the pack by the local rules.")};
        } else if (out.cell_V < c->overdrained_V && cells_V.empty() && b.series > 1) {
            out.word = Word::MeasureCells;
            out.words = {
                phrase("{}: measure every cell first, the mean hides a reversed one.", cell)};
        } else if (out.cell_V < c->overdrained_V) {
            out.word = Word::Gently;
            out.words = {
                phrase("{} is over-drained: at most {:.0f} mA, watched, {:.0f} min to come above "
                       "{:.2f} V, stopped at {:.0f} °C.",
                       cell, 1000 * kGentleC * b.rated_Ah, kGentleMinutes, c->overdrained_V,
                       kGentleTop_C),
                phrase("A damage may remain.")};
        } else {
            out.word = Word::Normal;
        }
        return out;
    }
    if (out.cell_V < c->outOfUse_V) {
        out.word = Word::OutOfUse;
        out.words = {
            phrase("{} at rest is under {:.2f} V: out of use, not charged.", cell, c->outOfUse_V),
            phrase("Recycle it by the local rules, its terminals taped.")};
        if (out.mean)
            out.words.push_back(
                phrase("Or it is not {} cells in series: look at the count again.", b.series));
    } else if (out.cell_V < c->overdrained_V) {
        out.word = Word::Gently;
        out.words = {
            phrase("{} at rest is over-drained: at most {:.0f} mA, watched, {:.0f} min to come "
                   "above {:.2f} V, stopped at {:.0f} °C.",
                   cell, 1000 * kGentleC * b.rated_Ah, kGentleMinutes, c->overdrained_V,
                   kGentleTop_C),
            phrase("If it does not come so far it is out of use.")};
    } else {
        out.word = Word::Normal;
        if (out.mean && out.cell_V < c->dischargeFloor_V + 0.2)
            out.words = {
                phrase("{} at rest: measure every cell, the mean hides a weak one.", cell)};
    }
    return out;
}

}  // namespace nk
