// Everything that is computed about one recording, in one pure call: steps, readings, findings.
// No clock, no files, no globals: same input, same output.
#pragma once

#include <any>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "chemistry/chemistry.h"
#include "quantity/reading.h"
#include "quantity/uncertainty.h"
#include "steps/step.h"

namespace nk {

/// Intermediate results that several metrics share, made once a call: events, tapers, steps of the
/// current. Each is a pure function of the input, so remembering changes no result. What it hands
/// out lives as long as the input: functions that return references refuse a temporary. One thread.
class Memo {
  public:
    template <class T, class Make>
    const T& remember(const std::string& key, Make make) {
        std::any& slot = slots_[key];
        if (!slot.has_value()) slot = T(make());
        return *std::any_cast<T>(&slot);
    }

  private:
    std::map<std::string, std::any> slots_;  // references to values stay valid
};

/// What an analysis may look at. Borrowed for the time of the call.
struct AnalysisInput {
    const Recording& recording;
    const Steps& steps;
    const Battery& battery;  ///< completed: open fields guessed and listed in battery.assumed
    const InstrumentAccuracy& accuracy;
    std::shared_ptr<Memo> memo = std::make_shared<Memo>();

    const Chemistry* chemistry() const { return battery.chemistryData(); }
    double perCell(double voltage_V) const { return voltage_V / battery.cells(); }
    bool assumed(const char* field) const;
};

/// The question a reading or finding answers: the station of the window it belongs to. Hazards are
/// shown everywhere.
enum class Question { Curve, Finish, Strength };

/// One kind of reading: identifier, words for people, source, version, and a pure function that
/// appends its readings (none where it does not apply).
struct Metric {
    const char* name;         ///< identifier of the JSON contract, never translated
    const char* title;        ///< short title for people
    const char* explanation;  ///< method, formula, source, assumptions, in a few sentences
    int version;              ///< a higher number forces cached results to be computed anew
    std::function<void(const AnalysisInput&, std::vector<Reading>&)> compute;
    Question question = Question::Curve;
};

/// One kind of finding.
struct Check {
    const char* code;
    const char* explanation;
    std::function<void(const AnalysisInput&, std::vector<Finding>&)> compute;
    Question question = Question::Curve;
};

/// The registry: all metrics and checks in the order they are reported. Explicit, in one file.
const std::vector<Metric>& metrics();
const std::vector<Check>& checks();
const Metric* findMetric(const std::string& name);
const Check* findCheck(const std::string& code);

struct Analysis {
    Battery battery;  ///< completed
    Steps steps;
    std::vector<Reading> readings;
    std::vector<Finding> findings;  ///< hazards first, then verdicts, then notes
    /// What was made on the way, for whoever looks at the same recording next
    /// (AnalysisInput::memo). It holds no reference into this object.
    std::shared_ptr<Memo> memo;

    /// First measurable reading of this name, or null.
    const Reading* reading(const std::string& name) const;
    bool hasHazard() const;
};

/// Completes the battery, finds the steps, applies the edits, runs the registry.
Analysis analyse(const Recording& recording, const Battery& battery,
                 const std::vector<StepEdit>& edits = {}, const InstrumentAccuracy& accuracy = {});

}  // namespace nk
