// Recognising a battery from what is printed on it: ranked candidates of chemistry, series and
// parallel count, and every contradiction between two figures with the likelier slip. What labels
// print is common practice, no source; shares are a judgement, not a measurement.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "quantity/error.h"

namespace nk {

/// More cells in series are not looked for.
inline constexpr int kMostSeries = 250;

/// Figures of a label, of the whole battery, as printed even when absurd. Any may be missing.
struct LabelFacts {
    std::optional<double> nominal_V, max_V, min_V, capacity_Ah, energy_Wh, cells;
    std::string words;  ///< a line of the label's text

    bool any() const;
};

/// What a label's text says: figures with their units, "3S2P", words for the chemistry.
struct LabelWords {
    LabelFacts figures;
    std::vector<std::string>
        chemistries;               ///< identifiers that its words allow; empty: it says nothing
    int series = 0, parallel = 0;  ///< 0: not said
    std::string none;              ///< a kind that is none of ours: "lithium primary"; empty: no
};
LabelWords readLabel(const std::string& text);

struct BatteryCandidate {
    std::string chemistry;
    int series = 0;
    int parallel = 0;  ///< 0: not known
    double share = 0;  ///< 0 … 1 of all that the figures allow
    std::vector<std::string> reasons;
};

/// Two figures that cannot both be right. Fields: nominal, max, min, ah, wh, cells, words.
struct LabelContradiction {
    std::vector<std::string> fields;
    std::string text;  ///< what clashes, and which is likelier the slip
};

struct Identification {
    std::vector<BatteryCandidate> candidates;  ///< likeliest first; shares sum to 1 or less
    std::vector<LabelContradiction> contradictions;
    std::string ask;  ///< what would tell more; empty: nothing needs asking
    /// A kind that is none of ours, "lithium primary" or "lead-acid": then there are no candidates,
    /// and `noneText` says what that means for a charger.
    std::string noneOfThese, noneText;
};

/// Errors: no figure and no words at all; a figure that is not a positive number.
Expected<Identification> identifyBattery(const LabelFacts& facts);

}  // namespace nk
