#include "verdict.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "quantity/format.h"
#include "quantity/phrase.h"
#include "rules.h"
#include "staircase.h"

namespace nk {

namespace {

enum class Grade { Keep, Watch, Recondition, Sell, Retire, Return };

const char* nameOf(Grade g) {
    switch (g) {
        case Grade::Keep:
            return "keep";
        case Grade::Watch:
            return "watch";
        case Grade::Recondition:
            return "recondition";
        case Grade::Sell:
            return "sell";
        case Grade::Retire:
            return "retire";
        case Grade::Return:
            return "return";
    }
    return "unknown";
}

/// Whole discharges: from full to the floor, as health is measured; those by hand have no
/// conditions.
std::vector<const HistoryPoint*> wholeCapacities(const BatteryHistory& h) {
    std::vector<const HistoryPoint*> out;
    std::map<std::pair<std::int64_t, int>, bool> whole;
    for (const HistoryPoint& p : h.points)
        if (p.reading.name == "health_capacity")
            whole[{p.reading.recordingId, p.reading.step}] = true;
    for (const HistoryPoint& p : h.points)
        if (p.reading.name == "delivered_capacity" &&
            whole.contains({p.reading.recordingId, p.reading.step}))
            out.push_back(&p);
    return out;
}

/// Rate and warmth at which a capacity tells of the battery and not of the conditions.
bool fairConditions(const ReadingConditions& c) {
    const bool slow = std::isnan(c.cRate) || c.cRate <= 1.1;
    const bool warm = std::isnan(c.temperature_C) || (c.temperature_C > 12 && c.temperature_C < 45);
    return slow && warm;
}

class Judge {
  public:
    Judge(const BatteryHistory& h, const std::vector<HazardOnFile>& hazards,
          const std::vector<double>& siblings, const VerdictRules& rules)
        : h_(h), hazards_(hazards), siblings_(siblings), rules_(rules) {
        for (const HistoryPoint* p : wholeCapacities(h))
            if (fairConditions(p->reading.conditions)) capacities_.push_back(p);
        rated_ = h.battery.battery.rated_Ah;
        const Chemistry* c = h.battery.battery.chemistryData();
        nickel_ = c != nullptr && c->nickel();
        if (nickel_)
            stairs_ = staircaseOf(capacities_, rated_, {.gain = rules.gain, .target = rules.good});
    }

    Verdict run() {
        yardsticks();
        capacity();
        resistance();
        imbalance();
        hazards();
        siblings();
        finish();
        return std::move(out_);
    }

  private:
    void add(Grade grade, VerdictReason reason) { found_.emplace_back(grade, std::move(reason)); }

    void yardsticks() {
        out_.yardsticks.label = rated_ > 0 ? rated_ : kNaN;
        if (!capacities_.empty()) {
            out_.yardsticks.ownFirst = capacities_.front()->reading.value;
            out_.yardsticks.latest = capacities_.back()->reading.value;
        }
        if (!siblings_.empty()) {
            std::vector<double> s = siblings_;
            std::ranges::sort(s);
            const std::size_t n = s.size();
            out_.yardsticks.siblingsMedian =
                n % 2 == 1 ? s[n / 2] : 0.5 * (s[n / 2 - 1] + s[n / 2]);
        }
    }

    /// An interval that straddles a limit decides nothing: it counts for the better side, as watch.
    void capacity() {
        if (capacities_.empty() || rated_ <= 0) return;
        const HistoryPoint& first = *capacities_.front();
        const StoredReading& latest = capacities_.back()->reading;
        const double share = latest.value / rated_;
        const double atMost = latest.high / rated_;
        const double atLeast = latest.low / rated_;
        const auto reason = [&](const char* rule, std::string text, double limit) {
            return VerdictReason{rule, std::move(text), share, limit, latest.recordingId};
        };
        const std::string gave =
            phrase("It gives {} of the {} on the label, {:.0f} %", shortValue(latest.value, "Ah"),
                   shortValue(rated_, "Ah"), 100 * share);
        // Nickel fades by being left alone, and comes back: few cycles do not make it new. Only
        // where cycles have settled, and low, does the label stand against it.
        const bool settledLow =
            stairs_ && !stairs_->worthAnother && stairs_->settlesHigh_Ah < rules_.weak * rated_;
        const bool young = !(first.efc > rules_.newCycles) && (!nickel_ || settledLow);
        if (young && capacities_.back()->efc <= rules_.newCycles &&
            first.reading.high / rated_ < rules_.falseLabel && atMost < rules_.falseLabel) {
            out_.reasons.clear();
            add(Grade::Return,
                reason(
                    "false_label",
                    gave + phrase(", and gave no more in the first cycles of this book. If it was "
                                  "bought as new, the label is false."),
                    rules_.falseLabel));
            return;
        }
        if (atMost < rules_.out) {
            add(Grade::Retire, reason("capacity", gave + phrase(": out."), rules_.out));
        } else if (atMost < rules_.weak) {
            add(worthCycling() ? Grade::Recondition : Grade::Sell,
                reason("capacity", gave + phrase(": weak."), rules_.weak));
        } else if (atLeast < rules_.good) {
            add(worthCycling() ? Grade::Recondition : Grade::Watch,
                reason("capacity", gave + phrase(": not good any more."), rules_.good));
        } else {
            add(Grade::Keep, reason("capacity", gave + phrase(": good."), rules_.good));
        }
        if (stairs_ && atLeast < rules_.good) reconditioning(*stairs_, latest.recordingId);
    }

    /// One discharge does not tell that nickel cannot be brought back.
    bool worthCycling() const { return nickel_ && (!stairs_ || stairs_->worthAnother); }

    void reconditioning(const Staircase& s, std::int64_t recording) {
        std::string text =
            phrase(
                "{} discharges in a row, from {} to {}; it would settle at {} to {}. The next "
                "cycle gains more than {:.0f} % of the rating with a probability of {:.0f} %: ",
                s.stairs.size(), shortValue(s.stairs.front()->reading.value, "Ah"),
                shortValue(s.stairs.back()->reading.value, "Ah"), shortValue(s.settlesLow_Ah, "Ah"),
                shortValue(s.settlesHigh_Ah, "Ah"), 100 * rules_.gain, 100 * s.probability) +
            (s.worthAnother ? phrase("another one is worth it.")
                            : phrase("another one is not worth it."));
        for (const std::string& aside : s.aside) text += " " + phrase("Left out:") + " " + aside;
        add(Grade::Keep, {"reconditioning", std::move(text), s.probability, 0.5, recording});
    }

    /// Against its own first value, within one comparable group, at 25 °C where that is known.
    void resistance() {
        std::map<std::string, std::vector<const HistoryPoint*>> groups;
        for (const HistoryPoint& p : h_.points)
            if (p.reading.name.starts_with("resistance_") && !p.comparable.empty())
                groups[p.comparable].push_back(&p);
        double worst = 0, surely = 0;
        VerdictReason reason;
        for (const auto& [name, points] : groups) {
            if (points.size() < 2) continue;
            const auto value = [](const HistoryPoint* p) {
                return std::isfinite(p->normalised) ? p->normalised : p->reading.value;
            };
            const double ratio = value(points.back()) / value(points.front());
            if (!(ratio > worst)) continue;
            worst = ratio;
            const auto half = [](const HistoryPoint* q) {
                return (q->reading.high - q->reading.low) / (2 * q->reading.value);
            };
            surely = ratio * (1 - std::hypot(half(points.front()), half(points.back())));
            reason = {
                "resistance",
                phrase("Its resistance is {:.2f} times its own first value ({} then, {} now).",
                       ratio, shortValue(value(points.front()), "ohm"),
                       shortValue(value(points.back()), "ohm")),
                ratio, rules_.resistanceWatch, points.back()->reading.recordingId};
        }
        // Twice within its interval only is watched: nobody throws a battery away for a guess.
        if (surely >= rules_.resistanceRetire) {
            reason.limit = rules_.resistanceRetire;
            add(Grade::Retire, reason);
        } else if (worst >= rules_.resistanceWatch) {
            add(Grade::Watch, reason);
        }
    }

    void imbalance() {
        const HistoryPoint* last = nullptr;
        for (const HistoryPoint& p : h_.points)
            if (p.reading.name == "imbalance_loss") last = &p;
        if (last == nullptr || rated_ <= 0) return;
        const double share = last->reading.value / rated_;
        if (last->reading.low / rated_ < rules_.imbalance) return;
        add(Grade::Watch, {"imbalance",
                           phrase("Its weakest cell stops it while the others still hold {} each: "
                                  "{:.0f} % of the rating.",
                                  shortValue(last->reading.value, "Ah"), 100 * share),
                           share, rules_.imbalance, last->reading.recordingId});
    }

    /// Before every figure: what ended its use, what is to be looked at.
    void hazards() {
        for (const HazardOnFile& h : hazards_) {
            const bool ends = endsUse(h);
            std::string text = h.text;
            if (!h.day.empty()) text += " " + phrase("(Log of {}.)", h.day);
            text += " " + hazardLook(h.code);
            if (h.seen && !ends) text += " " + phrase("It was looked at since.");
            hazardReasons_.emplace_back(ends ? Grade::Retire : Grade::Watch,
                                        VerdictReason{"hazard", text, kNaN, kNaN, h.recording});
        }
    }

    void siblings() {
        const double median = out_.yardsticks.siblingsMedian;
        const double latest = out_.yardsticks.latest;
        if (siblings_.size() < 2 || !(latest / median < rules_.siblings)) return;
        add(Grade::Watch,
            {"siblings",
             phrase("It gives {:.0f} % of what its siblings give ({}).", 100 * latest / median,
                    shortValue(median, "Ah")),
             latest / median, rules_.siblings, capacities_.back()->reading.recordingId});
    }

    void finish() {
        std::ranges::stable_sort(found_, std::greater(),
                                 [](const auto& f) { return static_cast<int>(f.first); });
        Grade worst = found_.empty() ? Grade::Keep : found_.front().first;
        bool retires = false;
        for (auto& [grade, reason] : hazardReasons_) {
            retires = retires || grade == Grade::Retire;
            worst = std::max(worst, grade);
            out_.reasons.push_back(std::move(reason));
        }
        // What ended its use is not sent back as a false label.
        if (retires) worst = Grade::Retire;
        for (auto& [grade, reason] : found_) out_.reasons.push_back(std::move(reason));
        const bool judged = !capacities_.empty() && rated_ > 0;
        const bool grave = worst >= Grade::Retire || !hazardReasons_.empty();
        if (!judged && !grave) {
            out_.verdict = "unknown";
            out_.logNext = logNext();
            return;
        }
        out_.verdict = nameOf(worst);
    }

    std::string logNext() const {
        if (rated_ <= 0) return phrase("Write the rated capacity on its card.");
        const Chemistry* c = h_.battery.battery.chemistryData();
        const double floor = c != nullptr ? c->dischargeFloor_V : 3.0;
        return phrase(
            "Charge it fully, let it rest half an hour, and log one whole discharge at "
            "{} ({:.1f}C) down to {:.2f} V a cell.",
            shortValue(0.2 * rated_, "A"), 0.2, floor);
    }

    const BatteryHistory& h_;
    const std::vector<HazardOnFile>& hazards_;
    const std::vector<double>& siblings_;
    const VerdictRules& rules_;
    std::vector<const HistoryPoint*> capacities_;
    double rated_ = 0;
    bool nickel_ = false;
    std::optional<Staircase> stairs_;
    std::vector<std::pair<Grade, VerdictReason>> found_, hazardReasons_;
    Verdict out_;
};

}  // namespace

Verdict judge(const BatteryHistory& history, const std::vector<HazardOnFile>& hazards,
              const std::vector<double>& siblings_Ah, const VerdictRules& rules) {
    return Judge(history, hazards, siblings_Ah, rules).run();
}

Expected<Verdict> judgeBattery(BenchBook& book, std::int64_t batteryId,
                               const std::optional<VerdictRules>& rules) {
    const auto history = batteryHistory(book, batteryId);
    if (!history) return tl::unexpected<Error>(history.error());
    return judgeBattery(book, *history, rules);
}

Expected<Verdict> judgeBattery(BenchBook& book, const BatteryHistory& history,
                               const std::optional<VerdictRules>& rules) {
    const std::int64_t batteryId = history.battery.id;
    const auto batteries = book.batteries();
    if (!batteries) return tl::unexpected<Error>(batteries.error());
    const auto recordings = book.recordings();
    if (!recordings) return tl::unexpected<Error>(recordings.error());
    const Battery& own = history.battery.battery;
    std::vector<double> siblings;
    for (const BatteryEntry& e : *batteries) {
        const Battery& b = e.battery;
        if (e.id == batteryId || b.chemistry != own.chemistry || b.series != own.series ||
            b.parallel != own.parallel || b.rated_Ah != own.rated_Ah || b.rated_Ah <= 0)
            continue;
        const RecordingEntry* latest = nullptr;
        for (const RecordingEntry& r : *recordings)
            if (r.batteryId == e.id && std::isfinite(r.summary.health_percent) &&
                (latest == nullptr || r.at_s() > latest->at_s()))
                latest = &r;
        if (latest != nullptr) siblings.push_back(latest->summary.capacity_Ah);
    }
    const auto hazards = hazardsOf(book, batteryId);
    if (!hazards) return tl::unexpected<Error>(hazards.error());
    const auto ofBook = verdictRules(book);
    if (!ofBook) return tl::unexpected<Error>(ofBook.error());
    Verdict out = judge(history, *hazards, siblings, rules.value_or(*ofBook));
    const auto lives = book.lives();
    if (!lives) return tl::unexpected<Error>(lives.error());
    const auto life = lives->find(batteryId);
    if (life != lives->end() && !life->second.outOfUse.empty()) {
        out.verdict = "retire";
        out.logNext.clear();
        VerdictReason skin;
        skin.rule = "skin";
        skin.text = phrase(
            "It is out of use since it was looked at: {}. Do not charge or test it; tape its "
            "terminals and recycle it by the local rules.",
            life->second.outOfUse);
        out.reasons.insert(out.reasons.begin(), std::move(skin));
    }
    return out;
}

}  // namespace nk
