// What one channel says while its log grows: rows, steps, knee, peak, rules, alarms, when it will
// be done. No clock, no files: it is given the recording as far as it has come.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "analysis/finish/replay.h"
#include "ownmodel/judge.h"

namespace nk {

struct LiveEvent {
    enum class Kind {
        Sample,
        Step,
        Knee,
        Peak,
        Rule,
        Alarm,
        Estimate,
        StopNow,
        End
    } kind = Kind::Sample;
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
/// sample, step, knee, peak, rule, alarm, estimate, stop_now, end. StopNow: `words` why, `low_s`
/// since when, `charge_Ah` how much too much has gone in until `t_s`.
std::string toString(LiveEvent::Kind kind);
LiveEvent event(LiveEvent::Kind kind, double t_s, std::string what = {}, std::string words = {});

class Watcher {
  public:
    Watcher(Battery battery, std::vector<StopRule> rules, InstrumentAccuracy accuracy = {});

    /// The recording as it is now, the earlier rows among it. Returns what is new; `samples`: also
    /// each new row. Steps are told when they are over; a rule when it fires, a knee or peak as
    /// soon as the rows show it. What turns out otherwise later is told as a revision. The cost is
    /// that of finding the steps: linear in the rows, so whoever calls spaces the calls.
    /// `before`: rows that were taken earlier and are not in `recording` any more: it begins where
    /// a step begins that was told (windowStart_s), and nothing earlier is looked at again.
    std::vector<LiveEvent> take(const Recording& recording, bool samples = true,
                                std::size_t before = 0);
    /// Alarms of rows as soon as they come, without a look at the steps; take() leaves them alone
    /// from then on.
    std::vector<LiveEvent> check(const Recording& fresh);
    /// An alarm that has not come back inside its limit.
    bool raised(const std::string& code) const { return raised_.contains(code); }
    /// From where the next recording must reach, s: a step before those that may still come out
    /// otherwise, so that their beginning is seen from both sides. −∞ until then.
    double windowStart_s();
    /// What it takes the battery for, and the step that is under way.
    const Battery& battery() const { return battery_; }
    const std::optional<Step>& current() const { return current_; }
    /// The charge under way should have ended, since when and with how much too much; nothing: not
    /// so, or it is over.
    const std::optional<LiveEvent>& stopNow() const { return stopNow_; }
    std::size_t stepsTold() const { return told_.size(); }
    void setRules(std::vector<StopRule> rules) { rules_ = std::move(rules); }
    /// Charge level at the last row as the caller has counted it, 1 full, and its standard
    /// uncertainty; NaN: told by the voltage under load.
    void setLevel(double level, double uncertainty) {
        level_ = level;
        levelUncertainty_ = uncertainty;
    }
    /// Its own model, for the time to the end; null: none.
    void setModel(const OwnModel* model) { model_ = model; }
    /// The log has ended: the last step, and the end.
    std::vector<LiveEvent> end(const Recording& recording);

  private:
    std::vector<LiveEvent> look(const Recording& recording, bool samples, bool over,
                                std::size_t before);
    bool byModel(const Recording& r, const Steps& steps, LiveEvent& out) const;
    void alarms(const Recording& r, std::size_t from, std::vector<LiveEvent>& out);
    void judge(double t_s, const char* code, bool beyond, bool back, const std::string& words,
               std::vector<LiveEvent>& out);
    void cellsApart(const Recording& r, std::size_t k, bool charging, std::vector<LiveEvent>& out);
    void sagging(const Recording& r, std::size_t k, double nothing_A, std::vector<LiveEvent>& out);
    LiveEvent estimate(const Recording& r, const Steps& steps) const;
    struct Called {
        std::string code, because;
        double since_s = 0;
    };
    void lookBehindTheEnd(const Recording& r, double start_s);
    void callStop(const Recording& r, const Steps& steps, const std::vector<ChargeSpan>& spans,
                  std::vector<LiveEvent>& out);

    Battery given_, battery_;
    std::vector<StopRule> rules_;
    InstrumentAccuracy accuracy_;
    std::size_t seen_ = 0;
    std::vector<std::pair<StepKind, double>> told_;  ///< kind and start of the steps told
    std::map<long, double> knees_, peaks_;           ///< by the step's start, whole seconds
    std::map<std::pair<long, std::string>, double> fired_;
    std::optional<Step> current_;
    const OwnModel* model_ = nullptr;
    double level_ = kNaN, levelUncertainty_ = 0.01;
    std::size_t frozen_ = 0;        ///< steps told before the window that was asked for last
    std::set<std::string> raised_;  ///< alarms that stand
    double lastEstimate_s_ = -1e18;
    std::optional<LiveEvent> stopNow_;
    double lastStop_s_ = -1e18;
    std::optional<Called> over_;  ///< charged on behind its end, as the rows show it
    double overFrom_s_ = -1e18, overSeen_s_ = -1e18;  ///< of which charge; looked at up to here
    std::map<std::string, double> raisedAt_s_;        ///< of the alarms that stand
    /// Of the charge under way: current and power as they flow, and the most of them so far.
    double flow_A_ = 0, flow_W_ = 0, most_A_ = 0, most_W_ = 0;
    /// Since when the current is too small, the cells are too far apart, nothing flows; −1: not.
    double sagSince_s_ = -1, apartSince_s_ = -1, offSince_s_ = -1;
    bool checkedOutside_ = false;
};

}  // namespace nk
