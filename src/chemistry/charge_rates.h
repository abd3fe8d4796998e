// The bounds of a charge current, the same wherever one is asked for: plans, queues, joined packs,
// the maker's figures on a card.
#pragma once

namespace nk {

/// No setting, tick or maker's figure goes beyond, in multiples of the capacity an hour.
inline constexpr double kMostRate_C = 10;
/// Up to here a figure that somebody types is the explicit step itself where the usual one is less;
/// beyond it a tick of its own is asked for (a decision of ours, no source).
inline constexpr double kTypedRate_C = 1;

enum class RateIs {
    Usual,      ///< up to the usual figure
    Marked,     ///< beyond it, and stays marked so
    FarBeyond,  ///< beyond it and kTypedRate_C: only with the tick
    None        ///< beyond kMostRate_C: never
};

/// `rate_C` against the usual figure of the chemistry or the maker's own.
inline RateIs rateIs(double rate_C, double usual_C) {
    constexpr double kRounding = 1e-9;
    if (!(rate_C <= kMostRate_C)) return RateIs::None;
    if (rate_C <= usual_C + kRounding) return RateIs::Usual;
    return rate_C <= kTypedRate_C + kRounding ? RateIs::Marked : RateIs::FarBeyond;
}

}  // namespace nk
