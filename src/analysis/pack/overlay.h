// One cell's discharge curve laid over another's.
#pragma once

#include <vector>

namespace nk {

/// A cell's loaded voltage over delivered charge, a few hundred points, charge rising.
struct CellCurve {
    std::vector<double> charge_Ah, voltage_V;

    /// Interpolated; carried on along its first and last points outside.
    double at(double charge) const;
    /// Volt for each Ah, over a hundredth of the curve.
    double slope(double charge) const;
};

/// What is known before the curves are compared: standard uncertainties.
struct OverlayPrior {
    double shift_V = 0, shiftUncertainty_V = 0;      ///< voltage of the cell over the weak one's
    double offset_Ah = 0, offsetUncertainty_Ah = 0;  ///< charge the cell had given away before
    double sigma_V = 0.001;                          ///< one point of either curve
    double shape_V = 0.002;                          ///< by which the shapes differ anyway
};

/// V(Q) = V_weak((Q + offset)/scale) + shift.
struct Overlay {
    double scale = 1, offset_Ah = 0, shift_V = 0;
    double left_Ah = 0;  ///< (scale − 1)·Q_end − offset: what it still holds at the weak one's end
    double leftUncertainty_Ah = 0;  ///< standard, with the covariance of all three
    double rms_V = 0;
    bool found = false;
};

/// Gauss–Newton with the prior as observations, weighted by the voltages' scatter, by what the
/// curves' shapes differ anyway and by what a two-hundredth of the charge means where they
/// are steep. Neighbouring points hang together: about eighteen independent ones are counted. The
/// first twentieth, the load's transient, is left out.
Overlay layOver(const CellCurve& weak, const CellCurve& other, const OverlayPrior& prior);

}  // namespace nk
