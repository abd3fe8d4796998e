// One channel of a live bench: its rows as they come, what it does, alarms that stand, when it will
// be done. No clock, no files. The cost of a row does not grow with the length of the log.
#pragma once

#include <deque>

#include "recording/live_row.h"
#include "watcher.h"

namespace nk {

/// An alarm as it stands with somebody: seen, put off, over. It is latched: it goes when somebody
/// has seen it and its reason is gone.
struct StandingAlarm {
    std::string code, words;
    std::string told = {};      ///< the words written down (quantity/phrase.h), to be kept
    double since_s = 0;         ///< recording time at which it rose
    bool acknowledged = false;  ///< somebody has seen it
    double quietUntil_s = -1;   ///< put off until then
    bool hazard = false;        ///< cannot be put off for long
    bool over = false;          ///< the figure is back inside its limit
    /// Whether it may make a sound at a moment.
    bool sounds(double now_s) const {
        return stands() && !(acknowledged && !hazard) && now_s >= quietUntil_s;
    }
    /// Whether it is still to be shown.
    bool stands() const { return !acknowledged || !over; }
};

/// For drawing: no more points than asked for, the extremes among them.
struct LiveCurve {
    std::vector<double> time_s, voltage_V, current_A, temperature_C;
};

/// Whether an alarm is a hazard: it cannot be put off for long.
bool hazardousAlarm(const std::string& code);

class LiveChannel {
  public:
    LiveChannel(Battery battery, std::vector<StopRule> rules);

    void setModel(std::shared_ptr<const OwnModel> model);
    void setRules(std::vector<StopRule> rules);
    /// What the card asked the charger for; 0: nothing. Watched as `not_as_set`.
    void setWanted(double current_A) { wanted_A_ = current_A; }

    /// Takes rows in; those that go back in time or say the same twice are counted and left out.
    /// Returns what is new.
    std::vector<LiveEvent> take(const std::vector<LiveRow>& rows);
    /// Nothing came for so long (wall clock): the alarm of its own kind after three usual
    /// intervals, 3 s at least.
    std::vector<LiveEvent> silence(double seconds);
    std::vector<LiveEvent> end();

    std::size_t rows() const { return time_s_.size(); }
    std::size_t leftOut() const { return leftOut_; }
    double now_s() const { return time_s_.empty() ? 0 : time_s_.back(); }
    double startedAt_s() const { return started_s_; }  ///< since 1970
    double voltage_V() const { return voltage_V_.empty() ? kNaN : voltage_V_.back(); }
    double current_A() const { return current_A_.empty() ? kNaN : current_A_.back(); }
    double temperature_C() const { return temperature_C_.empty() ? kNaN : temperature_C_.back(); }
    /// Of the first rows; NaN: not measured.
    double startTemperature_C() const {
        return temperature_C_.empty() ? kNaN : temperature_C_.front();
    }
    double charge_Ah() const { return charge_Ah_; }  ///< in less out since the start
    const std::optional<Step>& step() const { return watcher_.current(); }
    const Battery& battery() const { return watcher_.battery(); }
    /// The last estimate; kind Estimate.
    const std::optional<LiveEvent>& estimate() const { return estimate_; }
    const std::vector<StandingAlarm>& alarms() const { return alarms_; }
    /// The charge under way should be over (LiveEvent::Kind::StopNow); nothing: not so.
    const std::optional<LiveEvent>& stopNow() const { return stopNow_; }
    /// No row has come for three usual intervals: what is shown is of the past.
    bool silent() const { return silent_; }
    /// Alarms of an earlier run of the program, with their time; they stand until they are seen.
    void restore(std::vector<StandingAlarm> alarms);
    /// `minutes` of quiet; a hazard at most two.
    void acknowledge(const std::string& code);
    void snooze(const std::string& code, double minutes);
    LiveCurve curve(double from_s, double to_s, std::size_t points) const;
    /// Sums of work, for tests of the cost.
    double rowsLookedAt() const { return looked_; }

  private:
    /// Rows [from, full) at a stride and all from `full` on.
    RecordingPtr rowsOf(std::size_t from, std::size_t full, std::size_t stride) const;
    void raise(const LiveEvent& e);
    std::vector<LiveEvent> taken(const std::vector<LiveRow>& rows);
    std::vector<LiveEvent> said(std::vector<LiveEvent> events);
    void ownAlarms(std::vector<LiveEvent>& out);
    std::vector<LiveEvent> look();
    void anchor();

    Watcher watcher_;
    std::shared_ptr<const OwnModel> model_;
    std::vector<double> time_s_, voltage_V_, current_A_, temperature_C_;
    std::vector<std::vector<double>> cells_V_;  ///< by cell; as many as the first row had
    bool anyTemperature_ = false;
    double started_s_ = kNaN, charge_Ah_ = 0, interval_s_ = 1, wanted_A_ = 0;
    std::size_t leftOut_ = 0, lookedRows_ = 0;
    double looked_ = 0;
    bool silent_ = false, charged_ = false, charging_ = false, ruled_ = false;
    double offSince_s_ = -1;
    /// A level that was told by volts at rest, and the charge counted then.
    double anchor_ = kNaN, anchorUncertainty_ = 0, anchorCharge_Ah_ = 0, anchor_s_ = -1;
    std::optional<LiveEvent> estimate_, stopNow_;
    std::vector<StandingAlarm> alarms_;
};

}  // namespace nk
