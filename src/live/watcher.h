// What one channel says while its log grows: rows, steps, knee, peak, rules, alarms, when it will
// be done. No clock, no files: it is given the recording as far as it has come.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "analysis/finish/replay.h"

namespace nk {

struct LiveEvent {
    enum class Kind { Sample, Step, Knee, Peak, Rule, Alarm, Estimate, End } kind = Kind::Sample;
    double t_s = kNaN;                                                ///< recording time
    double voltage_V = kNaN, current_A = kNaN, temperature_C = kNaN;  ///< of a sample
    std::string what;   ///< kind of the step, text of the rule, code of the alarm
    std::string words;  ///< what to do first, or why nothing is known
    double low_s = kNaN, likely_s = kNaN,
           high_s = kNaN;  ///< of an estimate: recording time of the end
    double charge_Ah = kNaN;
    int index = -1;         ///< of a step
    bool revision = false;  ///< says anew what an earlier event said
};
/// sample, step, knee, peak, rule, alarm, estimate, end.
std::string toString(LiveEvent::Kind kind);

class Watcher {
  public:
    Watcher(Battery battery, std::vector<StopRule> rules, InstrumentAccuracy accuracy = {});

    /// The recording as it is now, the earlier rows among it. Returns what is new; `samples`: also
    /// each new row. Steps are told when they are over; a rule when it fires, a knee or peak as
    /// soon as the rows show it. What turns out otherwise later is told as a revision. The cost is
    /// that of finding the steps: linear in the rows, so whoever calls spaces the calls.
    std::vector<LiveEvent> take(const Recording& recording, bool samples = true);
    /// The log has ended: the last step, and the end.
    std::vector<LiveEvent> end(const Recording& recording);

  private:
    std::vector<LiveEvent> look(const Recording& recording, bool samples, bool over);
    void alarms(const Recording& r, std::size_t from, std::vector<LiveEvent>& out);
    LiveEvent estimate(const Recording& r, const Steps& steps) const;

    Battery given_, battery_;
    std::vector<StopRule> rules_;
    InstrumentAccuracy accuracy_;
    std::size_t seen_ = 0;
    std::vector<std::pair<StepKind, double>> told_;  ///< kind and start of the steps told
    std::map<int, double> knees_, peaks_;            ///< by the step's start, whole seconds
    std::map<std::pair<int, std::string>, double> fired_;
    std::set<std::string> raised_;  ///< alarms that stand
    double lastEstimate_s_ = -1e18;
};

}  // namespace nk
