// How a battery fades: laws fitted to its own cycles, averaged, and where they cross an end.
#pragma once

#include <array>
#include <span>
#include <string>
#include <vector>

#include "quantity/error.h"
#include "quantity/reading.h"

namespace nk {

/// y = a − b·f(n): f is n, √n, a share of each, n^p, or n with a second slope after a knee.
enum class FadeLaw { Linear, SquareRoot, SquareRootAndLinear, Power, TwoSlopes };
/// Stable identifiers: linear, sqrt, sqrt_linear, power, two_slopes.
std::string toString(FadeLaw law);

/// One number a cycle. All columns are as long as `at`.
struct FadeSeries {
    std::vector<double> at;     ///< cycles, equivalent full cycles, Ah or days; rising
    std::vector<double> value;  ///< capacity (any unit) or resistance
    /// Conditions that differ from cycle to cycle (temperature, rate): an effect of each is fitted
    /// beside the law where it earns its place, and taken away at its median.
    std::vector<std::vector<double>> conditions;
    bool rising = false;    ///< ageing makes it grow (resistance)
    double resolution = 0;  ///< step of the printed figures
};

struct FadeEnd {
    double fraction = 0.8;   ///< of the fitted value at the first cycle; over 1 for a resistance
    double absolute = kNaN;  ///< or a figure in the unit of the series; counts when finite
};

/// One way the law could run: its conditional least-squares fit. Several make a law, all of them
/// the average.
struct FadeComponent {
    FadeLaw law = FadeLaw::Linear;
    double shape = 0;  ///< power, share of √n, place of the knee; in the scaled axis
    double weight = 0;
    int size = 2;  ///< coefficients of the curve
    std::array<double, 3> beta{};
    std::array<double, 9> covariance{};  ///< of beta, of a unit t variable
    double freedom = 1;
};

struct LawFit {
    FadeLaw law = FadeLaw::Linear;
    double aicc = kNaN, weight = 0;
    double shape = kNaN;  ///< power, share of √n at its best, or the knee on the axis
    double end = kNaN;    ///< crossing by this law alone; NaN: none
};

struct FadeBand {
    double low = kNaN, middle = kNaN, high = kNaN;  ///< 95 % interval of the noise-free curve
};

class FadeModel {
  public:
    /// Noise-free value at a place on the axis, over all laws.
    FadeBand at(double x) const;
    /// Probability that the noise-free curve has reached the end at x.
    double reached(double x, const FadeEnd& end) const;
    /// Where it crosses the end, with its 95 % interval; NaN where no place within a thousand times
    /// the range of the table is.
    FadeBand crossing(const FadeEnd& end) const;
    bool empty() const { return parts.empty(); }

    std::vector<FadeComponent> parts;
    double origin = 0, scale = 1;  ///< u = (x − origin) / scale
    double first = 0, last = 0;    ///< of the axis
    bool rising = false;
    /// Nature keeps to none of the laws: a random walk beside them, as a standard deviation over
    /// the length of the table, that counts beyond its last row. Learned from how residuals follow
    /// one another, never under 0.2 % of the first value.
    double walk = 0;
    /// A rival: the line through the last two fifths of the rows, at the last one, with its slope
    /// and the standard uncertainties of both. What it says otherwise than the laws beyond the last
    /// row is doubt of them all (model discrepancy from rival readings, estimators.md).
    double rival = kNaN, rivalSlope = kNaN, rivalUncertainty = 0, rivalSlopeUncertainty = 0;

    /// Standard deviation of what the laws do not know at a place on the axis; 0 up to the last
    /// row.
    double unknownAt(double x) const;
};

struct FadeResult {
    FadeModel model;
    std::vector<LawFit> laws;  ///< best first
    double initial = kNaN;     ///< fitted at the first cycle
    double initialLow = kNaN, initialHigh = kNaN;
    double seen = 0;  ///< loss seen over the loss to the end
    FadeBand end;     ///< NaN with a caveat when under a third of the loss has been seen
    bool kneeSuspected = false;
    double knee = kNaN, kneeLow = kNaN, kneeHigh = kNaN;
    double slopeRatio = kNaN;        ///< after the knee over before it
    double lossPerUnit = kNaN;       ///< mean share of the initial lost a cycle (unit of the axis)
    double noise = kNaN;             ///< standard deviation of one cycle about the best law
    double correlation = 1;          ///< cycles that count as one, since neighbours agree
    std::vector<double> effects;     ///< of each condition, per its unit; 0: not used
    std::vector<std::size_t> odd;    ///< rows set aside as odd
    std::vector<std::size_t> ranIn;  ///< rows of a rising start, set aside
    std::vector<std::string> caveats;
};

/// Fits the five laws by least squares, weights them by Akaike's criterion corrected for few
/// points (Hurvich and Tsai, Biometrika 76 (1989) 297–307, memory) and averages the distributions
/// of what they say (tail areas averaged after Turek and Fletcher, Comput. Stat. Data Anal. 56
/// (2012) 2809–2815, memory). Shapes are integrated over their likelihood; the straight part is
/// exact (Fieller). Neighbouring residuals that agree count as fewer points. Odd: more than five
/// robust standard deviations (1.4826 · median absolute deviation) and 0.5 % from the running
/// median of eleven neighbours, as long as they are under a quarter of the rows.
/// Errors: columns of different lengths, an axis that does not rise, fewer than five rows, a value
/// that is not above 0.
Expected<FadeResult> fitFade(const FadeSeries& series, const FadeEnd& end);

/// The running median of eleven neighbours (fewer near the ends, symmetric), and the rows that are
/// odd by the rule above.
std::vector<std::size_t> oddRows(std::span<const double> value);

}  // namespace nk
