// The second cut: what neighbours tell about a segment. Tails that go on below the rest threshold,
// loads that change all the time, pulses, low-voltage cut-outs.
#pragma once

#include "segment.h"

namespace nk {

/// Makes one constant-voltage charge of the few rows in which a slow logger saw a taper: the
/// current falls from row to row, each its own level, and the voltage stays.
void joinShortTaper(const Recording& recording, std::vector<Segment>& segments);

/// Lets constant-voltage charge go on while the voltage stays in its band and the current has not
/// stepped to zero, however small it is. `zero_A` is what the log shows at rest: where that is
/// known, a current that cannot be told from it is rest.
void extendConstantVoltage(const Recording& recording, std::vector<Segment>& segments,
                           double zero_A);

/// Lets a constant-voltage charge begin where its voltage began to be held, whatever the current
/// did meanwhile: a cell that warms takes more again.
void holdConstantVoltage(const Recording& recording, std::vector<Segment>& segments);

/// Joins neighbours of one kind and level, and charges that only pause for a measurement.
void joinNeighbours(const Recording& recording, std::vector<Segment>& segments);

/// Turns long series of short segments of many levels into one variable load.
void mergeVariable(const Recording& recording, std::vector<Segment>& segments);

/// Marks series of low-voltage cut-outs, then names what is short and constant a pulse.
void nameCutOutsAndPulses(const Recording& recording, const Battery& battery,
                          std::vector<Segment>& segments);

/// Puts a gap step wherever the logger was silent between two segments that do not agree.
void insertGaps(const Recording& recording, std::vector<Segment>& segments);

}  // namespace nk
