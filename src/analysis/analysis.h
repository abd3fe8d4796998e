// Everything that is computed about one recording, in one pure call: steps, readings, findings.
// No clock, no files, no globals: same input, same output.
#pragma once

#include <any>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "chemistry/chemistry.h"
#include "quantity/phrase.h"
#include "quantity/reading.h"
#include "quantity/uncertainty.h"
#include "steps/edit.h"

namespace nk {

/// Intermediate results that several metrics share, made once a call: events, tapers, steps of the
/// current. Each is a pure function of the input, so remembering changes no result, whoever asks
/// first. What it hands out lives as long as the input: functions that return references refuse a
/// temporary. Safe from several threads: the first to ask makes it, others wait for that one alone.
class Memo {
  public:
    template <class T, class Make>
    const T& remember(const std::string& key, Make make) {
        Slot& slot = at(key);
        const std::lock_guard lock(slot.making);
        if (!slot.value.has_value()) slot.value = T(make());
        return *std::any_cast<T>(&slot.value);
    }

  private:
    struct Slot {
        std::mutex making;
        std::any value;
    };
    Slot& at(const std::string& key) {
        const std::lock_guard lock(finding_);
        return slots_[key];
    }
    std::mutex finding_;
    std::unordered_map<std::string, Slot> slots_;  // references to slots stay valid
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

struct Analysis;

/// What a card is about; it colours the card.
enum class Topic { Capacity, Voltage, Temperature };

/// How a kind of reading is shown as a card of its own. A kind without one stands in tables only.
struct ReadingCard {
    int rank = 0;  ///< order among the cards; 0: no card
    Topic topic = Topic::Capacity;
    const char* label = "";         ///< short, in capitals: KNEE
    const char* sentence = "";      ///< over the figure; empty: the metric's title
    bool alsoUnmeasurable = false;  ///< shown with its reason when there is no figure
    bool atFinish = false;          ///< of the Curve, and shown at the Finish station too
    /// Whether this one gets a card; none: every one.
    bool (*applies)(const Reading&, const Analysis&) = nullptr;
    /// The sentence where it depends on the reading; none: `sentence`.
    std::string (*words)(const Reading&, const Analysis&) = nullptr;
    /// What stands under the figure: before and after the reading's own caveats, which are in
    /// `lines` already; none: those alone.
    void (*under)(const Reading&, const Analysis&, const NumberStyle&,
                  std::vector<std::string>& lines) = nullptr;
};

/// One kind of reading: all that anybody needs to compute, name, explain and show it. Nothing else
/// of the program knows it by name.
struct Metric {
    const char* name;         ///< identifier of the JSON contract, never translated
    const char* title;        ///< short title for people
    const char* explanation;  ///< method, formula, source, assumptions, in a few sentences
    int version;              ///< a higher number forces cached results to be computed anew
    std::function<void(const AnalysisInput&, std::vector<Reading>&)> compute;
    Question question = Question::Curve;
    ReadingCard card = {};
};

/// One kind of finding.
struct Check {
    const char* code;
    const char* explanation;
    std::function<void(const AnalysisInput&, std::vector<Finding>&)> compute;
    Question question = Question::Curve;
    bool aboutLog = false;  ///< tells of the log, not of the battery
    int version = 1;        ///< as of a metric
};

/// What is computed, in the order it is reported. The program's own is ownRegistry(); another one
/// may be put together beside it.
struct Registry {
    std::vector<Metric> metrics;
    std::vector<Check> checks;

    const Metric* metric(const std::string& name) const;
    const Check* check(const std::string& code) const;
    /// Changes whenever the version of any metric or check does, or one comes or goes.
    int version() const;
};
/// Explicit, in one file (registry.cpp).
const Registry& ownRegistry();
inline const std::vector<Metric>& metrics() {
    return ownRegistry().metrics;
}
inline const std::vector<Check>& checks() {
    return ownRegistry().checks;
}
inline const Metric* findMetric(const std::string& name) {
    return ownRegistry().metric(name);
}
inline const Check* findCheck(const std::string& code) {
    return ownRegistry().check(code);
}

/// What a log's display shows where no current flows, A, with its standard uncertainty.
struct CurrentZero {
    double value_A = 0, uncertainty_A = 0;
};

struct Analysis {
    Battery battery;  ///< completed
    /// Taken off every row before anything was counted (analysis/log/current_zero.h).
    std::optional<CurrentZero> zero;
    Steps steps;
    std::vector<Reading> readings;
    std::vector<Finding> findings;  ///< hazards first, then verdicts, then notes
    /// What was made on the way, for whoever looks at the same recording next
    /// (AnalysisInput::memo). It holds no reference into this object.
    std::shared_ptr<Memo> memo;
    const Registry* registry = &ownRegistry();  ///< what made it; outlives it

    /// First measurable reading of this name, or null.
    const Reading* reading(const std::string& name) const;
    bool hasHazard() const;
};

/// Completes the battery, finds the steps, applies the edits, runs the registry.
Analysis analyse(const Recording& recording, const Battery& battery,
                 const std::vector<StepEdit>& edits = {}, const InstrumentAccuracy& accuracy = {},
                 const Registry& registry = ownRegistry());

}  // namespace nk
