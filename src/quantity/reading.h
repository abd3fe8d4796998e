// A Reading is a number that carries its proof: value, unit, standard uncertainty, method,
// the interval of the recording it was taken from, and caveats in plain words.
#pragma once

#include <cmath>
#include <limits>
#include <string>
#include <vector>

namespace nk {

inline constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();

/// The part of a recording that a number or sentence rests on, in recording time.
struct Evidence {
    double from_s = kNaN;
    double to_s = kNaN;
    int step = -1;  ///< index of the step, −1 when it concerns the whole recording
};

struct Reading {
    std::string name;     ///< stable identifier, never translated
    double value = kNaN;  ///< NaN: not measurable from this log; a caveat says why
    std::string unit;
    double uncertainty = kNaN;  ///< standard uncertainty, k = 1, in `unit`
    double coverage = 2;        ///< factor from it to the half-width of the 95 % interval
    std::string method;         ///< stable identifier of the method
    Evidence evidence;
    std::vector<std::string> caveats;

    bool measurable() const { return std::isfinite(value); }
    /// Half-width of the 95 % interval (GUM, JCGM 100:2008, 6.2 and G): more than twice the
    /// standard uncertainty where it rests on few points, less where one rectangle rules.
    double expanded() const { return coverage * uncertainty; }
};

/// Cuts the 95 % interval to what can be at all (no charge is less than nothing, no share more than
/// all) and puts the value into the middle of what is left. False, and untouched, where nothing of
/// it is.
bool keepWithin(Reading& reading, double least, double most);

enum class Severity { Hazard, Verdict, Note };

std::string toString(Severity severity);

/// A sentence about the recording, with the evidence it points at.
struct Finding {
    Severity severity = Severity::Note;
    std::string code;    ///< stable identifier (analysis-json), never translated
    std::string text;    ///< one or two plain sentences
    std::string advice;  ///< what to do next; may be empty
    Evidence evidence;
};

}  // namespace nk
