// The first cut: stretches of one direction and, within them, of one current level.
#pragma once

#include <vector>

#include "step.h"
#include "variable.h"

namespace nk {

/// A stretch of samples [first, last] without jumps of the current.
struct Segment {
    std::size_t first = 0;
    std::size_t last = 0;
    int direction = 0;   ///< +1 charge, 0 rest, −1 discharge
    double level_A = 0;  ///< median current
    StepKind kind = StepKind::Rest;
    bool powerLimited = false;
    bool cutOut = false;
    double kneeUncertainty_s = 0;
    double kneeBefore_s = 0;
};

/// Samples closer together than this, seconds, see an edge and not a level: a fifth of the usual
/// interval, at most half a second.
double edgeLongest_s(const Recording& recording);

/// What rest looks like in a log.
struct RestLevel {
    double threshold_A = 0;  ///< |I − zero| up to this is rest
    double zero_A = 0;       ///< what the log shows at rest; not 0 only for a plain offset
};

/// Threshold: max(C/100, 3σ, one resolution step, 3.5 times the scatter of quiet stretches);
/// without a rated capacity C is estimated from the charge moved. Zero: the median over quiet
/// stretches, where it is about one step of a coarse display, or where the log never reads zero.
RestLevel restLevel(const Recording& recording, const Battery& battery);

/// Cuts the recording at changes of direction and at jumps of the current; restless stretches stay
/// whole.
std::vector<Segment> cutSegments(const Recording& recording, const RestLevel& rest,
                                 const std::vector<RestlessStretch>& restless);

/// Decides constant current, power, resistance or variable for one discharge segment, or constant
/// current, constant voltage, power-limited for a charge; a charge may fall into several.
std::vector<Segment> classifySegment(const Recording& recording, const Segment& segment,
                                     bool nickel);

/// Slope of ln I over ln V with its standard error and the relative residual: 0 for constant
/// current, −1 for constant power, +1 for constant resistance.
struct LoadLaw {
    double exponent = 0;
    double standardError = 0;
    double residual = 0;       ///< robust relative spread about the law
    double currentSpread = 0;  ///< robust relative spread of the current itself
};
/// A current whose spread is not above `steady` follows no law: the rest is 0 then.
LoadLaw fitLoadLaw(const Recording& recording, std::size_t first, std::size_t last,
                   double steady = -1);

}  // namespace nk
