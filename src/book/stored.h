// What the book keeps of an analysis, so that nobody has to make it again to show a number:
// readings with their conditions, findings, and the fingerprint of all that made them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "quantity/reading.h"

namespace nk {

/// Under which conditions a reading was taken. NaN or nothing: not known, or without meaning for
/// it.
struct ReadingConditions {
    double cRate = kNaN;             ///< mean current over what it holds (or its rating), no sign
    double floor_V_per_cell = kNaN;  ///< where the discharge ended
    double set_V_per_cell = kNaN;    ///< what the charge before it, or it itself, was held at
    double cutoff_C = kNaN;          ///< current at the end of that charge over what it holds
    std::optional<bool> beganFull;   ///< a discharge that began at a full battery
    double soc = kNaN;               ///< state of charge 0 … 1 at the reading, where one is known
    double delay_s = kNaN;           ///< of a resistance
    double temperature_C = kNaN;
    double restBefore_s = kNaN;
    double mean_A = kNaN;     ///< mean current of the step, positive charges
    double plateau_A = kNaN;  ///< of a charge: its constant current
    double fromLevel = kNaN;  ///< level 0 … 1 to which the charge before a discharge was held
    /// How a discharge ended: fall of a cell's voltage over the charge taken, its relative standard
    /// uncertainty, and that of the end voltage of a cell.
    double endSlope_V_Ah = kNaN, endSlopeShare = kNaN, endDoubt_V = kNaN;
};

struct StoredReading {
    std::int64_t recordingId = 0;
    std::string name;  ///< metric
    int step = -1;
    double value = kNaN, uncertainty = kNaN;  ///< standard, k = 1
    double low = kNaN, high = kNaN;           ///< 95 % interval
    std::string unit, method;
    double from_s = kNaN, to_s = kNaN;
    bool quoted = false;  ///< of several of its kind in the log, the one to show
    ReadingConditions conditions;
};

struct StoredFinding {
    std::int64_t recordingId = 0;
    Severity severity = Severity::Note;
    std::string code;
    std::string text;  ///< English; the window says it anew in its own language
    double from_s = kNaN, to_s = kNaN;
};

/// All that is kept of one recording's analysis.
struct StoredStudy {
    std::string fingerprint;
    std::string problem;  ///< why there is nothing; empty: all is well
    std::vector<StoredReading> readings;
    std::vector<StoredFinding> findings;
    std::string strength;  ///< what the study of several recordings needs of it, packed
};

}  // namespace nk
