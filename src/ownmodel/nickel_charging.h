// How a nickel battery takes its charge up to the peak: what is stored of what goes in, and what
// the voltage does behind the peak. A part of the battery's own model.
#pragma once

#include <iterator>
#include <vector>

namespace nk {

/// Of what is put in before the peak a growing part becomes oxygen and heat: a Ah before the peak
/// z(a) = a − E·(1 − e^(−a/w)), w = E / kLostAtPeak, are missing in the battery, so that far from
/// full all is stored and at the peak 1 − kLostAtPeak of it. E, the overcharge to the peak, is
/// learned from charges between two known levels; without them it is the usual one, and wide
/// (charge factors of 1.04 to 1.15 at a fast charge's peak: common practice, no source).
struct NickelCharging {
    static constexpr double kLostAtPeak = 0.7;

    double extra_Ah = 0, extraSigma_Ah = 0;  ///< E at `amps`; 0: no nickel
    double slope_Ah = 0, slopeSigma_Ah = 0;  ///< of E over ln(I / amps)
    double amps = 1;
    double fall_Ah = 0;          ///< put in behind the peak until 5 mV a cell have fallen
    double fallShare = 0.5;      ///< its standard uncertainty, relative
    int seen = 0;                ///< charges between known levels that it was learned from
    std::vector<double> rise_V;  ///< over the rested curve while charging, at kRiseKnots, of a cell

    bool known() const { return extra_Ah > 0; }
    /// E at a current, A; `deviations` of its standard uncertainty more. At least a thousandth of
    /// `extra_Ah`.
    double extraAt(double current_A, double deviations = 0) const;
    /// Missing in the battery, Ah, `before` Ah before the peak; behind it 0.
    static double missing_Ah(double before_Ah, double extra_Ah);
    /// The other way round.
    static double before_Ah(double missing_Ah, double extra_Ah);
    /// Share of the current that is stored; behind the peak it goes on falling.
    static double stored(double before_Ah, double extra_Ah);
    /// What the charge stands above the rested curve by, V a cell, `share` of the capacity before
    /// the peak.
    double riseAt_V(double share) const;
    /// What has fallen `after` Ah behind the peak, V a cell.
    double fallen_V(double after_Ah) const;
};

/// Shares of the capacity before the peak at which the rise is learned.
inline constexpr double kRiseKnots[] = {0, 0.03, 0.07, 0.12, 0.2, 0.35, 0.6, 1.0};
inline constexpr int kRise = static_cast<int>(std::size(kRiseKnots));

}  // namespace nk
