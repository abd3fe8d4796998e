#include "channel.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

bool hazardousAlarm(const std::string& code) {
    return code == "overvoltage" || code == "too_hot" || code == "charged_cold" ||
           code == "overdischarge" || code == "out_of_use" || code == "past_peak" ||
           code == "peak" || code.starts_with("rule ");
}

namespace {

/// Rows that are looked at each time in full, and as many thinned ones before them.
constexpr std::size_t kFull = 4000, kThinned = 4000;
constexpr double kHazardQuiet_min = 2;
/// How often the window is looked at, in seconds of the recording; while a charge has rules that
/// would stop it.
constexpr double kLook_s = 60, kRules_s = 10;

/// Alarms that the rows themselves raise and take back.
bool ofRows(const std::string& code) {
    return hazardousAlarm(code) || code == "cells_apart" || code == "source_sagging";
}

LiveEvent alarm(double t_s, std::string code, std::string words) {
    LiveEvent e;
    e.kind = LiveEvent::Kind::Alarm;
    e.t_s = t_s;
    e.what = std::move(code);
    e.words = std::move(words);
    return e;
}

}  // namespace

// cppcheck-suppress passedByValue
LiveChannel::LiveChannel(Battery battery, std::vector<StopRule> rules)
    : watcher_(std::move(battery), rules), ruled_(!rules.empty()) {}

void LiveChannel::setModel(std::shared_ptr<const OwnModel> model) {
    model_ = std::move(model);
    watcher_.setModel(model_.get());
}

void LiveChannel::setRules(std::vector<StopRule> rules) {
    ruled_ = !rules.empty();
    watcher_.setRules(std::move(rules));
}

std::vector<LiveEvent> LiveChannel::take(const std::vector<LiveRow>& rows) {
    return said([&] {
        const Recorded down;
        return taken(rows);
    }());
}

/// What was written down in the language of this thread; alarms keep both.
std::vector<LiveEvent> LiveChannel::said(std::vector<LiveEvent> events) {
    for (LiveEvent& e : events) e.words = retold(e.words);
    for (StandingAlarm& a : alarms_)
        if (isRecorded(a.words)) {
            a.told = std::move(a.words);
            a.words = retold(a.told);
        }
    if (estimate_) estimate_->words = retold(estimate_->words);
    stopNow_ = watcher_.stopNow();
    if (stopNow_) stopNow_->words = retold(stopNow_->words);
    return events;
}

std::vector<LiveEvent> LiveChannel::taken(const std::vector<LiveRow>& rows) {
    std::vector<LiveEvent> out;
    const std::size_t had = time_s_.size();
    for (const LiveRow& row : rows) {
        if (!std::isfinite(row.at_s) || !std::isfinite(row.voltage_V) ||
            !std::isfinite(row.current_A)) {
            ++leftOut_;
            continue;
        }
        if (!std::isfinite(started_s_)) started_s_ = row.at_s;
        const double t = row.at_s - started_s_;
        if (!time_s_.empty() && t <= time_s_.back()) {
            // A clock that was set back by more than a row goes on from here.
            if (time_s_.back() - t > 60) {
                started_s_ = row.at_s - time_s_.back() - interval_s_;
                out.push_back(alarm(time_s_.back(), "clock_back",
                                    phrase("The source's clock went back: the rows go on from "
                                           "here.")));
            } else {
                ++leftOut_;
                continue;
            }
        }
        const double at = row.at_s - started_s_;
        if (!time_s_.empty()) {
            const double dt = at - time_s_.back();
            interval_s_ += 0.05 * (std::min(dt, 20 * interval_s_) - interval_s_);
            if (dt < 10 * std::max(interval_s_, 1.0))
                charge_Ah_ += 0.5 * (row.current_A + current_A_.back()) * dt / 3600;
        }
        time_s_.push_back(at);
        voltage_V_.push_back(row.voltage_V);
        current_A_.push_back(row.current_A);
        temperature_C_.push_back(row.temperature_C);
        if (time_s_.size() == 1) cells_V_.resize(row.cells_V.size());
        for (std::size_t c = 0; c < cells_V_.size(); ++c)
            cells_V_[c].push_back(c < row.cells_V.size() ? row.cells_V[c] : kNaN);
        anyTemperature_ = anyTemperature_ || std::isfinite(row.temperature_C);
    }
    if (silent_ && !rows.empty()) {
        silent_ = false;
        for (StandingAlarm& a : alarms_)
            if (a.code == "no_data") a.over = true;
    }
    const std::size_t freshRows = time_s_.size() - had;
    // A look costs as many rows as the window has: only when a fiftieth of them is new, or a
    // minute of them.
    const std::size_t fresh = time_s_.size() - lookedRows_;
    const std::size_t window = std::min(time_s_.size(), kFull + kThinned);
    const double every_s = charging_ ? kRules_s : kLook_s;
    if (fresh > 0 && (time_s_.size() < 50 || fresh * 50 >= window ||
                      time_s_.back() - time_s_[lookedRows_ > 0 ? lookedRows_ - 1 : 0] >= every_s)) {
        auto more = look();
        out.insert(out.end(), more.begin(), more.end());
    }
    if (freshRows > 0) {
        const std::size_t from = time_s_.size() - freshRows;
        auto more = watcher_.check(*rowsOf(from, from, 1));
        out.insert(out.end(), more.begin(), more.end());
        for (StandingAlarm& a : alarms_)
            if (ofRows(a.code) && !watcher_.raised(a.code)) a.over = true;
    }
    ownAlarms(out);
    for (const LiveEvent& e : out) {
        if (e.kind == LiveEvent::Kind::Alarm || e.kind == LiveEvent::Kind::Rule ||
            e.kind == LiveEvent::Kind::Peak || (e.kind == LiveEvent::Kind::StopNow && !e.revision))
            raise(e);
        if (e.kind == LiveEvent::Kind::Estimate) estimate_ = e;
    }
    return out;
}

RecordingPtr LiveChannel::rowsOf(std::size_t from, std::size_t full, std::size_t stride) const {
    RecordingData data;
    data.cells_V.resize(cells_V_.size());
    const auto add = [&](std::size_t k) {
        data.time_s.push_back(time_s_[k]);
        data.voltage_V.push_back(voltage_V_[k]);
        data.current_A.push_back(current_A_[k]);
        if (anyTemperature_) data.temperature_C.push_back(temperature_C_[k]);
        for (std::size_t c = 0; c < cells_V_.size(); ++c) data.cells_V[c].push_back(cells_V_[c][k]);
    };
    for (std::size_t k = from; k < full; k += stride) add(k);
    for (std::size_t k = full; k < time_s_.size(); ++k) add(k);
    return Recording::make(std::move(data));
}

std::vector<LiveEvent> LiveChannel::look() {
    std::size_t from = 0;
    if (const double start = watcher_.windowStart_s(); std::isfinite(start))
        from = static_cast<std::size_t>(std::ranges::lower_bound(time_s_, start - 1e-9) -
                                        time_s_.begin());
    const std::size_t n = time_s_.size();
    const std::size_t full = n - from > kFull + kThinned ? n - kFull : from;
    const std::size_t stride = full > from ? (full - from + kThinned - 1) / kThinned : 1;
    const RecordingPtr recording = rowsOf(from, full, stride);
    const std::size_t seen = recording->size();
    looked_ += static_cast<double>(seen);
    lookedRows_ = n;
    anchor();
    return watcher_.take(*recording, false, from > 0 || n != seen ? n - seen : 0);
}

/// A rest of five minutes tells the level by its volts; from there charge is counted.
void LiveChannel::anchor() {
    const auto& step = watcher_.current();
    if (!model_ || time_s_.empty()) return;
    if (step && step->kind == StepKind::Rest && time_s_.back() - step->start_s >= 300 &&
        std::abs(current_A_.back()) < 0.02 * model_->capacity_Ah) {
        const double warm = temperature_C_.back();
        double unsure = 0.01;
        const double level =
            levelUnderLoad(*model_, voltage_V_.back() / std::max(1, watcher_.battery().series), 0,
                           0, std::isfinite(warm) ? warm : 25, unsure);
        // What relaxes still is off by some millivolts more.
        anchor_ = level;
        anchorUncertainty_ = 1.5 * unsure;
        anchorCharge_Ah_ = charge_Ah_;
        anchor_s_ = time_s_.back();
    }
    if (!std::isfinite(anchor_)) return;
    const double moved = (charge_Ah_ - anchorCharge_Ah_) / model_->capacity_Ah;
    watcher_.setLevel(anchor_ + moved, std::hypot(anchorUncertainty_, 0.01 * std::abs(moved)));
}

void LiveChannel::ownAlarms(std::vector<LiveEvent>& out) {
    if (time_s_.empty()) return;
    const double amps = current_A_.back();
    const double rated = watcher_.battery().capacity_Ah();
    const double nothing = rated > 0 ? 0.01 * rated : 0.01;
    const bool charges = amps > nothing;
    charging_ = charges;
    // It was charging, and within five minutes of the start it does so no more.
    if (charges && !charged_) {
        charged_ = true;
        offSince_s_ = time_s_.back();
    }
    if (charged_ && !charges && offSince_s_ >= 0) {
        if (time_s_.back() - offSince_s_ < 300)
            out.push_back(alarm(time_s_.back(), "finished_at_once",
                                phrase("The charge ended within {:.0f} min of its start: full "
                                       "before, a loose lead, or a charger that refused it.",
                                       std::max(1.0, (time_s_.back() - offSince_s_) / 60))));
        offSince_s_ = -1;
    }
    const auto& step = watcher_.current();
    if (wanted_A_ > 0 && step && step->kind == StepKind::CcCharge &&
        step->last > step->first + 20 &&
        std::abs(step->meanCurrent_A - wanted_A_) > 0.1 * wanted_A_)
        if (std::ranges::find(alarms_, "not_as_set", &StandingAlarm::code) == alarms_.end())
            out.push_back(
                alarm(time_s_.back(), "not_as_set",
                      phrase("{:.2f} A flow, {:.2f} A were set.", step->meanCurrent_A, wanted_A_)));
}

std::vector<LiveEvent> LiveChannel::silence(double seconds) {
    std::vector<LiveEvent> out;
    if (silent_ || time_s_.empty() || seconds < std::max(3.0, 3 * interval_s_)) return out;
    silent_ = true;
    {
        const Recorded down;
        out.push_back(alarm(now_s(), "no_data",
                            phrase("Nothing came for {:.0f} s: look at the lead and the source; "
                                   "what charges is not watched.",
                                   seconds)));
        raise(out.back());
    }
    return said(std::move(out));
}

std::vector<LiveEvent> LiveChannel::end() {
    auto out = [this] {
        const Recorded down;
        return look();
    }();
    estimate_.reset();
    return said(std::move(out));
}

void LiveChannel::raise(const LiveEvent& e) {
    const bool rule = e.kind == LiveEvent::Kind::Rule;
    const std::string code = rule                              ? "rule " + e.what
                             : e.kind == LiveEvent::Kind::Peak ? std::string("peak")
                                                               : e.what;
    // A rule, a peak or a hazard that has called already is not said twice.
    if (e.kind == LiveEvent::Kind::StopNow &&
        std::ranges::find(alarms_, code, &StandingAlarm::code) != alarms_.end())
        return;
    std::erase_if(alarms_, [&](const StandingAlarm& a) { return a.code == code; });
    StandingAlarm a;
    a.code = code;
    a.words = rule ? phrase("Your rule {} says stop: switch the charger off.", e.what)
              : e.kind == LiveEvent::Kind::Peak
                  ? phrase("The voltage has passed its peak: switch the charger off.")
              : e.kind == LiveEvent::Kind::StopNow ? phrase("Stop the charge now: {}.", e.words)
                                                   : e.words;
    a.since_s = e.t_s;
    a.hazard = hazardousAlarm(code);
    alarms_.insert(alarms_.begin(), std::move(a));
    constexpr std::size_t kMost = 20;
    if (alarms_.size() > kMost) alarms_.resize(kMost);
}

void LiveChannel::restore(std::vector<StandingAlarm> alarms) {
    for (StandingAlarm& a : alarms) {
        a.over = true;  // whether its reason stands is for the rows to say again
        if (std::ranges::find(alarms_, a.code, &StandingAlarm::code) == alarms_.end())
            alarms_.push_back(std::move(a));
    }
}

void LiveChannel::acknowledge(const std::string& code) {
    for (StandingAlarm& a : alarms_)
        if (a.code == code) {
            a.acknowledged = true;
            if (a.hazard) a.quietUntil_s = now_s() + 60 * kHazardQuiet_min;
        }
}

void LiveChannel::snooze(const std::string& code, double minutes) {
    for (StandingAlarm& a : alarms_)
        if (a.code == code)
            a.quietUntil_s =
                now_s() + 60 * (a.hazard ? std::min(minutes, kHazardQuiet_min) : minutes);
}

LiveCurve LiveChannel::curve(double from_s, double to_s, std::size_t points) const {
    LiveCurve out;
    const auto begin =
        static_cast<std::size_t>(std::ranges::lower_bound(time_s_, from_s) - time_s_.begin());
    const auto end =
        static_cast<std::size_t>(std::ranges::upper_bound(time_s_, to_s) - time_s_.begin());
    if (begin >= end) return out;
    const std::size_t bins = std::max<std::size_t>(1, points / 2);
    const std::size_t stride = std::max<std::size_t>(1, (end - begin + bins - 1) / bins);
    const auto add = [&](std::size_t k) {
        out.time_s.push_back(time_s_[k]);
        out.voltage_V.push_back(voltage_V_[k]);
        out.current_A.push_back(current_A_[k]);
        out.temperature_C.push_back(temperature_C_[k]);
    };
    for (std::size_t k = begin; k < end; k += stride) {
        const std::size_t last = std::min(end, k + stride);
        std::size_t low = k;
        std::size_t high = k;
        for (std::size_t i = k; i < last; ++i) {
            if (voltage_V_[i] < voltage_V_[low]) low = i;
            if (voltage_V_[i] > voltage_V_[high]) high = i;
        }
        add(std::min(low, high));
        if (low != high) add(std::max(low, high));
    }
    if (out.time_s.back() != time_s_[end - 1]) add(end - 1);
    return out;
}

}  // namespace nk
