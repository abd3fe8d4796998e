// Steps: what was done to the battery, one after the other. Found from the recording alone
// (methods.md §3), with thresholds from the log's own noise and the rated capacity.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "chemistry/chemistry.h"
#include "recording/integral.h"
#include "recording/recording.h"

namespace nk {

enum class StepKind {
    Rest,
    CcCharge,
    CvCharge,
    CcDischarge,
    CpDischarge,
    CrDischarge,
    Pulse,
    Variable,
    Gap
};

enum class EndedBy {
    VoltageLimit,
    Taper,
    NegativeDeltaV,
    ZeroDeltaV,
    Temperature,
    Timer,
    ChargeLimit,
    VoltageFloor,
    CellVoltageFloor,
    PowerLimit,
    Manual,
    EndOfLog,
    Unknown
};

/// Identifiers of the JSON contract.
std::string toString(StepKind kind);
std::string toString(EndedBy reason);
std::optional<StepKind> stepKindFrom(const std::string& name);

struct Step {
    StepKind kind = StepKind::Rest;
    std::size_t first = 0;  ///< first sample
    std::size_t last = 0;   ///< last sample, inclusive
    /// Samples between which charge is counted. The interval in which one step turns into the next
    /// belongs to exactly one of them, so the charges of all steps add up to the recording's.
    std::size_t countFrom = 0;
    std::size_t countTo = 0;
    double start_s = 0;  ///< time of the first sample
    double end_s = 0;    ///< time the next step starts; of the last sample for the last step
    Integral sum;
    double startVoltage_V = 0, endVoltage_V = 0;
    double meanCurrent_A = 0, endCurrent_A = 0;
    double maxTemperature_C = kNaN;
    EndedBy endedBy = EndedBy::Unknown;
    bool powerLimited = false;     ///< current fell as the voltage rose, at constant power
    bool cutByHand = false;        ///< a hand set its beginning, nothing in the log did
    bool cutOut = false;           ///< one of a series of low-voltage cut-outs, or a pause in it
    double kneeUncertainty_s = 0;  ///< of the start of a constant-voltage step
    double kneeBefore_s = 0;       ///< how long before its first sample the knee most likely was

    bool isCharge() const {
        return meanCurrent_A > 0 && kind != StepKind::Rest && kind != StepKind::Gap;
    }
    bool isDischarge() const {
        return meanCurrent_A < 0 && kind != StepKind::Rest && kind != StepKind::Gap;
    }
    bool isActive() const { return kind != StepKind::Rest && kind != StepKind::Gap; }
};

struct Steps {
    std::vector<Step> list;
    double restThreshold_A = 0;  ///< the choice made: below this is rest

    /// Index of the step that holds time t, or −1.
    int at(double t_s) const;
};

/// Splits a recording into steps. Battery fields that are 0 are estimated from the log.
Steps findSteps(const Recording& recording, const Battery& battery);

/// Times, charges, currents and endings of all steps anew, after their samples have changed.
void recount(const Recording& recording, const Battery& battery, Steps& steps);

/// Indices of discharge (or charge) steps that belong to one event: separated by rests, pulses or
/// gaps only, without a step of the other direction between them.
std::vector<std::vector<int>> dischargeGroups(const Steps& steps);
std::vector<std::vector<int>> chargeGroups(const Steps& steps);

}  // namespace nk
