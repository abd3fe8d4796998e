#include "watcher.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "overcharge.h"
#include "quantity/phrase.h"
#include "recording/integral.h"
#include "safety/gate.h"

namespace nk {

namespace {

constexpr double kEstimateEvery_s = 60;

}  // namespace

LiveEvent event(LiveEvent::Kind kind, double t_s, std::string what, std::string words) {
    LiveEvent e;
    e.kind = kind;
    e.t_s = t_s;
    e.what = std::move(what);
    e.words = std::move(words);
    return e;
}

std::string toString(LiveEvent::Kind kind) {
    switch (kind) {
        case LiveEvent::Kind::Sample:
            return "sample";
        case LiveEvent::Kind::Step:
            return "step";
        case LiveEvent::Kind::Knee:
            return "knee";
        case LiveEvent::Kind::Peak:
            return "peak";
        case LiveEvent::Kind::Rule:
            return "rule";
        case LiveEvent::Kind::Alarm:
            return "alarm";
        case LiveEvent::Kind::Estimate:
            return "estimate";
        case LiveEvent::Kind::StopNow:
            return "stop_now";
        case LiveEvent::Kind::End:
            return "end";
    }
    return {};
}

// cppcheck-suppress passedByValue
Watcher::Watcher(Battery battery, std::vector<StopRule> rules, InstrumentAccuracy accuracy)
    : given_(std::move(battery)), rules_(std::move(rules)), accuracy_(accuracy) {}

std::vector<LiveEvent> Watcher::take(const Recording& recording, bool samples, std::size_t before) {
    return look(recording, samples, false, before);
}

std::vector<LiveEvent> Watcher::check(const Recording& fresh) {
    std::vector<LiveEvent> out;
    checkedOutside_ = true;
    if (battery_.chemistry.empty()) battery_ = given_;
    alarms(fresh, 0, out);
    return out;
}

double Watcher::windowStart_s() {
    frozen_ = told_.size() < 3 ? 0 : told_.size() - 2;
    return frozen_ == 0 ? -std::numeric_limits<double>::infinity() : told_[frozen_ - 1].second;
}

std::vector<LiveEvent> Watcher::end(const Recording& recording) {
    auto out = look(recording, true, true, 0);
    out.push_back(event(LiveEvent::Kind::End,
                        recording.empty() ? 0 : recording.time_s()[recording.size() - 1]));
    return out;
}

bool Watcher::byModel(const Recording& r, const Steps& steps, LiveEvent& out) const {
    const Chemistry* c = battery_.chemistryData();
    if (model_ == nullptr || c == nullptr || model_->chemistry != c ||
        model_->series != battery_.series)
        return false;
    const Step& s = steps.list.back();
    auto step = asPredicted(r, s, battery_);
    if (!step || s.last < s.first + 5) return false;
    const double amps = r.current_A()[s.last];
    if (step->kind == PredictStep::Kind::Charge) {
        if (s.kind == StepKind::CvCharge) step->value = std::max(std::abs(amps), 1e-3);
        step->volts = s.kind == StepKind::CvCharge ? s.endVoltage_V / battery_.cells() : c->set_V;
        step->cutoff_A =
            battery_.charger.cutoff_A > 0 ? battery_.charger.cutoff_A : model_->capacity_Ah / 20;
        if (step->volts > c->set_V + 0.01 || std::abs(amps) <= step->cutoff_A) return false;
    } else if (step->kind == PredictStep::Kind::PeakCharge) {
        // To its peak: once it is past, the rules say what is left to be said.
        if (step->duration_s <= 0) return false;
        step->duration_s = 0;
        step->drop_V = 0.003;
    } else {
        step->volts = c->dischargeFloor_V;
    }
    const bool warm = r.hasTemperature() && std::isfinite(r.temperature_C()[s.last]);
    PredictSetting setting;
    setting.ambient_C = warm ? r.temperature_C()[s.last] : 25;
    double level = level_;
    double unsure = levelUncertainty_;
    if (!std::isfinite(level)) {
        level = levelUnderLoad(*model_, r.voltage_V()[s.last] / battery_.cells(), amps,
                               r.time_s()[s.last] - r.time_s()[s.first], setting.ambient_C, unsure);
    }
    setting.startSoc = std::clamp(level, 0.0, 1.0);
    const auto told = predict(*model_, {*step}, setting);
    if (!told || !std::isfinite(told->front().duration_s)) return false;
    const PredictedStep& p = told->front();
    const double level_s = unsure * model_->capacity_Ah / std::max(std::abs(amps), 1e-3) * 3600;
    const double half = 2 * std::hypot(p.uncertainty_s, level_s);
    out.likely_s = out.t_s + p.duration_s;
    out.low_s = std::max(out.t_s, out.likely_s - half);
    out.high_s = out.likely_s + half;
    return true;
}

LiveEvent Watcher::estimate(const Recording& r, const Steps& steps) const {
    LiveEvent out = event(LiveEvent::Kind::Estimate, r.time_s()[r.size() - 1]);
    if (steps.list.empty()) {
        out.words = phrase("not yet known: there are no steps yet");
        return out;
    }
    if (stopNow_) {
        // It should be over: nobody is told when it will be.
        out.words = phrase("stop now: {}", stopNow_->words);
        return out;
    }
    const Step& s = steps.list.back();
    const double now = out.t_s;
    if (byModel(r, steps, out)) return out;
    if (s.kind == StepKind::CvCharge && s.last > s.first + 20) {
        // The line of current over charge: what is left until C/20, from the last half.
        const double cutoff = battery_.charger.cutoff_A > 0
                                  ? battery_.charger.cutoff_A
                                  : (battery_.capacity_Ah() > 0 ? battery_.capacity_Ah() / 20 : 0);
        const std::size_t from = s.first + (s.last - s.first) / 2;
        double sx = 0, sy = 0, sxx = 0, sxy = 0, n = 0;
        for (std::size_t k = from; k <= s.last; ++k) {
            const double i = r.current_A()[k];
            if (!(i > 0)) continue;
            const double x = r.time_s()[k] - r.time_s()[from];
            const double y = std::log(i);
            sx += x, sy += y, sxx += x * x, sxy += x * y, n += 1;
        }
        const double slope = (n * sxy - sx * sy) / (n * sxx - sx * sx);
        if (cutoff > 0 && n > 10 && slope < 0 && s.endCurrent_A > cutoff) {
            const double tau = -1 / slope;
            const double left = tau * std::log(s.endCurrent_A / cutoff);
            // The constant lengthens along a taper: never shorter than a little less, often longer.
            out.low_s = now + 0.85 * left;
            out.likely_s = now + 1.1 * left;
            out.high_s = now + 1.8 * left + 60;
            return out;
        }
        out.words = s.endCurrent_A <= cutoff && cutoff > 0
                        ? phrase("done: the current is under its cut-off")
                        : phrase("not yet known: the taper does not show its end yet");
        return out;
    }
    if (s.isCharge() && battery_.capacity_Ah() > 0 && s.meanCurrent_A > 0) {
        // Charge still missing: the level before is known only as far as its voltage tells.
        const Chemistry* c = battery_.chemistryData();
        double low = 0;
        double high = 1;
        if (c != nullptr && !c->nickel()) {
            const auto range =
                restedCharge(battery_, steps.list.front().startVoltage_V / battery_.cells(), 0.01);
            if (range && steps.list.front().kind == StepKind::Rest) {
                low = range->low;
                high = range->high;
            }
        }
        double put = 0;
        for (const Step& one : steps.list) put += one.sum.charge_Ah;
        const double most = battery_.capacity_Ah() * (1.1 - low) - put;
        const double least = battery_.capacity_Ah() * std::max(0.0, 0.7 - high) - put;
        if (most > 0) {
            out.low_s = now + std::max(0.0, least) / s.meanCurrent_A * 3600;
            out.high_s = now + most / s.meanCurrent_A * 3600 * 1.4;
            out.likely_s = 0.5 * (out.low_s + out.high_s);
            return out;
        }
    }
    if (s.isDischarge() && battery_.capacity_Ah() > 0) {
        out.words =
            phrase("not yet known: no model of this battery and the level before is not told");
        return out;
    }
    out.words = s.isCharge() ? phrase("not yet known: the rated capacity is not given")
                             : phrase("not yet known: nothing is charging");
    return out;
}

/// Rows that came together are looked at as they would have come: every half minute of them.
void Watcher::lookBehindTheEnd(const Recording& r, double start_s) {
    constexpr double kEvery_s = 30;
    if (std::abs(start_s - overFrom_s_) > 60) {
        overFrom_s_ = start_s;
        overSeen_s_ = start_s;
        over_.reset();
    }
    const auto t = r.time_s();
    while (!over_ && overSeen_s_ < t.back()) {
        overSeen_s_ = std::max(overSeen_s_, t.front()) + kEvery_s;
        const auto until = static_cast<std::size_t>(
            std::ranges::upper_bound(t, std::min(overSeen_s_, t.back())) - t.begin());
        if (const auto over = overchargeOf(r, battery_, start_s, until))
            over_ = Called{over->code, over->because, over->since_s};
    }
    overSeen_s_ = std::min(overSeen_s_, t.back());
}

/// The charge under way should have ended: a rule, a peak or a hazard has spoken, or the rows show
/// that it goes on behind its end.
void Watcher::callStop(const Recording& r, const Steps& steps, const std::vector<ChargeSpan>& spans,
                       std::vector<LiveEvent>& out) {
    const double now = r.time_s()[r.size() - 1];
    const double nothing = battery_.capacity_Ah() > 0 ? 0.002 * battery_.capacity_Ah() : 0.005;
    const double amps = r.current_A()[r.size() - 1];
    if (spans.empty() || !steps.list.back().isCharge() || amps <= nothing) {
        stopNow_.reset();
        return;
    }
    const ChargeSpan& span = spans.back();
    const double start_s = r.time_s()[span.first];
    lookBehindTheEnd(r, start_s);
    std::optional<Called> first;
    const auto candidate = [&](std::string code, std::string because, double since_s) {
        if (!first || since_s < first->since_s)
            first = Called{std::move(code), std::move(because), since_s};
    };
    for (const auto& [key, time_s] : fired_)
        if (time_s >= start_s - 1e-6)
            candidate("rule " + key.second, phrase("your rule {} says so", key.second), time_s);
    // So slowly there is no peak to go by: the clock ends such a charge (safety/gate.h).
    const bool slow =
        battery_.capacity_Ah() > 0 && peakAt(amps / battery_.capacity_Ah()) == PeakIs::None;
    if (std::isfinite(span.peak_s) && !slow)
        candidate("peak", phrase("the voltage has passed its peak"), span.peak_s);
    for (const auto& [code, words] :
         {std::pair("overvoltage", phrase("a cell is over its fault limit")),
          std::pair("too_hot", phrase("it is too warm to be charged")),
          std::pair("charged_cold", phrase("it is too cold to be charged")),
          std::pair("out_of_use", phrase("a cell is out of use"))})
        if (raised_.contains(code)) candidate(code, words, std::max(start_s, raisedAt_s_[code]));
    if (!first && over_) candidate(over_->code, over_->because, over_->since_s);
    if (!first) {
        stopNow_.reset();
        return;
    }
    const auto t = r.time_s();
    const auto from =
        static_cast<std::size_t>(std::ranges::lower_bound(t, first->since_s - 1e-9) - t.begin());
    LiveEvent e = event(LiveEvent::Kind::StopNow, now, first->code, first->because);
    e.low_s = first->since_s;
    e.charge_Ah = from + 1 < t.size() ? integrate(r, from, t.size() - 1).charge_Ah : 0;
    const bool fresh = !stopNow_ || stopNow_->what != e.what;
    e.revision = !fresh;
    stopNow_ = e;
    if (!fresh && now - lastStop_s_ < kEstimateEvery_s) return;
    lastStop_s_ = now;
    out.push_back(e);
}

std::vector<LiveEvent> Watcher::look(const Recording& r, bool samples, bool over,
                                     std::size_t before) {
    std::vector<LiveEvent> out;
    if (before == 0 && r.size() < seen_) {
        // Another file in its place: all anew.
        const OwnModel* const model = model_;
        const bool outside = checkedOutside_;
        *this = Watcher(given_, rules_, accuracy_);
        model_ = model;
        checkedOutside_ = outside;
    }
    if (r.empty()) return out;
    // Steps that began before the first row here stay as they were told.
    const std::size_t frozen = before > 0 ? std::min(frozen_, told_.size()) : 0;
    // The window's first row lies up to a row behind the beginning of its first step.
    const double hair = before > 0 ? 3 * std::max(r.usualInterval_s(), 0.001) : 1e-6;
    const std::size_t from = std::min(r.size(), seen_ - std::min(seen_, before));
    if (samples)
        for (std::size_t k = from; k < r.size(); ++k) {
            LiveEvent e = event(LiveEvent::Kind::Sample, r.time_s()[k]);
            e.voltage_V = r.voltage_V()[k];
            e.current_A = r.current_A()[k];
            if (r.hasTemperature()) e.temperature_C = r.temperature_C()[k];
            out.push_back(std::move(e));
        }
    seen_ = before + r.size();
    battery_ =
        completeBattery(given_, r.voltage_V(), r.current_A(), static_cast<int>(r.cells_V().size()));
    if (!checkedOutside_) alarms(r, from, out);
    if (r.size() < 3) return out;
    const Steps steps = findSteps(r, battery_);
    // The lead-in before the steps that count.
    const double counts_s = frozen > 0 && frozen < told_.size()
                                ? told_[frozen].second - hair
                                : -std::numeric_limits<double>::infinity();
    std::size_t lead = 0;
    while (lead < steps.list.size() && steps.list[lead].start_s < counts_s) ++lead;

    // Steps that are over; those told before that came out otherwise are told anew.
    const std::size_t closed =
        steps.list.size() - lead - (over || lead == steps.list.size() ? 0 : 1);
    std::size_t same = 0;
    while (frozen + same < told_.size() && same < closed &&
           told_[frozen + same].first == steps.list[lead + same].kind &&
           std::abs(told_[frozen + same].second - steps.list[lead + same].start_s) <
               (same == 0 ? hair : 1e-6))
        ++same;
    const std::size_t toldBefore = told_.size();
    told_.resize(frozen + same);
    for (std::size_t k = same; k < closed; ++k) {
        const Step& s = steps.list[lead + k];
        LiveEvent e = event(LiveEvent::Kind::Step, s.end_s, toString(s.kind), toString(s.endedBy));
        e.low_s = s.start_s;
        e.index = static_cast<int>(frozen + k);
        e.charge_Ah = s.sum.charge_Ah;
        e.revision = frozen + k < toldBefore;
        told_.emplace_back(s.kind, s.start_s);
        out.push_back(std::move(e));
    }
    const auto once = [&](std::map<long, double>& seen, long key, double t, LiveEvent::Kind kind) {
        const auto it = seen.find(key);
        const double tolerance = 2 * std::max(r.usualInterval_s(), 0.5);
        if (it != seen.end() && std::abs(it->second - t) <= tolerance) return;
        LiveEvent e = event(kind, t);
        e.revision = it != seen.end();
        seen[key] = t;
        out.push_back(std::move(e));
    };
    const auto keyOf = [&](double start_s) {
        // The same charge when its beginning moves by a row or two.
        return std::lround(start_s / (20 * std::max(0.5, r.usualInterval_s())));
    };
    for (const Step& s : steps.list)
        if (s.kind == StepKind::CvCharge && s.last > s.first + 5 && s.start_s >= counts_s)
            once(knees_, keyOf(s.start_s), s.start_s - s.kneeBefore_s, LiveEvent::Kind::Knee);
    const AnalysisInput input{r, steps, battery_, accuracy_};
    const auto spans = chargeSpans(input);
    for (std::size_t k = 0; k < spans.size(); ++k)
        if (std::isfinite(spans[k].peak_s) && r.time_s()[spans[k].first] >= counts_s)
            once(peaks_, keyOf(r.time_s()[spans[k].first]), spans[k].peak_s, LiveEvent::Kind::Peak);
    for (const StopRule& rule : rules_) {
        for (std::size_t k = 0; k < spans.size(); ++k) {
            if (r.time_s()[spans[k].first] < counts_s) continue;
            const ReplayResult x = replay(input, spans[k], rule);
            if (x.fired != Fired::Yes) continue;
            const auto key = std::pair(keyOf(r.time_s()[spans[k].first]), rule.text);
            const auto it = fired_.find(key);
            if (it != fired_.end() && std::abs(it->second - x.time_s) < 1e-6) continue;
            LiveEvent e = event(LiveEvent::Kind::Rule, x.time_s, rule.text,
                                phrase("This rule would stop the charge now."));
            e.charge_Ah = x.charge_Ah;
            e.temperature_C = x.temperature_C;
            e.revision = it != fired_.end();
            fired_[key] = x.time_s;
            out.push_back(std::move(e));
        }
    }
    current_ = steps.list.empty() ? std::nullopt : std::optional(steps.list.back());
    callStop(r, steps, spans, out);
    const double now = r.time_s()[r.size() - 1];
    if (!over && now - lastEstimate_s_ >= kEstimateEvery_s) {
        lastEstimate_s_ = now;
        out.push_back(estimate(r, steps));
    }
    return out;
}

}  // namespace nk
