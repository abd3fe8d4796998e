#include "verdict.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "kept_standing.h"
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

class Judge {
  public:
    Judge(const BatteryHistory& h, const Standing& standing, const std::vector<double>& siblings,
          const VerdictRules& rules)
        : h_(h), standing_(standing), siblings_(siblings), rules_(rules), tests_(wholeTests(h)) {
        rated_ = h.battery.battery.rated_Ah;
        const Chemistry* c = h.battery.battery.chemistryData();
        nickel_ = c != nullptr && c->nickel();
        std::vector<const HistoryPoint*> points;
        for (const WholeTest& t : tests_) points.push_back(t.point);
        if (nickel_)
            stairs_ = staircaseOf(points, rated_, {.gain = rules.gain, .target = rules.good});
    }

    Verdict run() {
        yardsticks();
        capacity();
        resistance();
        imbalance();
        selfDischarge();
        unseen();
        hazards();
        siblings();
        finish();
        return std::move(out_);
    }

  private:
    void add(Grade grade, VerdictReason reason) { found_.emplace_back(grade, std::move(reason)); }

    void yardsticks() {
        out_.yardsticks.label = rated_ > 0 ? rated_ : kNaN;
        if (!tests_.empty()) out_.yardsticks.ownFirst = tests_.front().value_Ah;
        if (standing_.capacity) out_.yardsticks.latest = standing_.capacity->value;
        out_.yardsticks.siblingsMedian = medianOf(siblings_);
    }

    /// 0 out, 1 weak, 2 not good any more, 3 good; found in the order of days.
    int classOf() {
        const double limits[] = {rules_.out, rules_.weak, rules_.good};
        int is = -1;
        const auto take = [&](double low, double high) {
            low /= rated_;
            high /= rated_;
            const double margin = 0.25 * (high - low);
            if (is < 0) {
                is = 0;
                for (const double limit : limits) is += high >= limit ? 1 : 0;
            }
            while (is > 0 && high < limits[is - 1] - margin) --is;
            while (is < 3 && low > limits[is] + margin) ++is;
        };
        const StandingFigure& now = *standing_.capacity;
        for (const WholeTest& t : tests_) {
            if (t.recording == now.recording) break;
            take(t.value_Ah - 2 * t.uncertainty_Ah, t.value_Ah + t.more_Ah + 2 * t.uncertainty_Ah);
        }
        take(now.low, now.high + now.more_Ah);
        for (const double limit : limits)
            out_.straddles = out_.straddles || (now.low / rated_ < limit &&
                                                (now.high + now.more_Ah) / rated_ > limit);
        return is;
    }

    void capacity() {
        if (!standing_.capacity || rated_ <= 0) return;
        const StandingFigure& now = *standing_.capacity;
        const double share = now.value / rated_;
        const auto reason = [&](const char* rule, std::string text, double limit) {
            return VerdictReason{rule, std::move(text), share, limit, now.recording};
        };
        const std::string gave =
            phrase("It gives {} of the {} on the label, {:.0f} %", shortValue(now.value, "Ah"),
                   shortValue(rated_, "Ah"), 100 * share) +
            (now.more_Ah > 0.01 * now.value
                 ? phrase(
                       ", down to {:.2f} V a cell, where it was stopped; {} at the most were left",
                       now.floor_V_per_cell, shortValue(now.more_Ah, "Ah"))
                 : std::string());
        // Nickel fades by being left alone, and comes back: few cycles do not make it new. Only
        // where cycles have settled, and low, does the label stand against it.
        const bool settledLow =
            stairs_ && !stairs_->worthAnother && stairs_->settlesHigh_Ah < rules_.weak * rated_;
        const WholeTest& first = tests_.front();
        const bool falseLabel =
            (now.high + now.more_Ah) / rated_ < rules_.falseLabel &&
            (first.value_Ah + 2 * first.uncertainty_Ah) / rated_ < rules_.falseLabel &&
            !(first.efc > rules_.newCycles) && (!nickel_ || settledLow);
        if (falseLabel && standing_.claimTestable) {
            add(Grade::Return,
                reason("false_label",
                       gave + phrase(": it was bought as new, and gave no more in its first year. "
                                     "The label is false."),
                       rules_.falseLabel));
            return;
        }
        const int is = classOf();
        const std::string straddles =
            out_.straddles
                ? " " + phrase(
                            "Its interval of {} to {} holds a limit: on this side of "
                            "it by the rule alone.",
                            shortValue(now.low, "Ah"), shortValue(now.high + now.more_Ah, "Ah"))
                : std::string();
        if (is == 0) {
            add(Grade::Retire, reason("capacity", gave + phrase(": out.") + straddles, rules_.out));
        } else if (is == 1) {
            add(worthCycling() ? Grade::Recondition : Grade::Sell,
                reason("capacity", gave + phrase(": weak.") + straddles, rules_.weak));
        } else if (is == 2) {
            add(worthCycling() ? Grade::Recondition : Grade::Watch,
                reason("capacity", gave + phrase(": not good any more.") + straddles, rules_.good));
        } else {
            add(Grade::Keep, reason("capacity", gave + phrase(": good.") + straddles, rules_.good));
        }
        whatWouldChange(is, share);
        if (falseLabel && standing_.life.boughtNew < 0)
            out_.change += (out_.change.empty() ? "" : " ") +
                           phrase(
                               "Was it bought as new? Say so on its card: then its label is held "
                               "against it.");
        if (stairs_ && is < 3) reconditioning(*stairs_, now.recording);
    }

    /// The limits on both sides, with how far they are.
    void whatWouldChange(int is, double share) {
        const double limits[] = {rules_.out, rules_.weak, rules_.good};
        const std::string names[] = {phrase("out"), phrase("weak"), phrase("not good any more"),
                                     phrase("good")};
        constexpr double kNear = 0.10;
        std::string text;
        if (is < 3 && limits[is] - share < kNear)
            text = phrase("From {} on ({:.1f} % of the label more) it would be {}.",
                          shortValue(limits[is] * rated_, "Ah"),
                          100 * std::max(0.0, limits[is] - share), names[is + 1]);
        if (is > 0 && share - limits[is - 1] < kNear)
            text += (text.empty() ? "" : " ") +
                    phrase("Under {} ({:.1f} % of the label less) it would be {}.",
                           shortValue(limits[is - 1] * rated_, "Ah"),
                           100 * std::max(0.0, share - limits[is - 1]), names[is - 1]);
        out_.change = text;
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
            if (p.reading.name.starts_with("resistance_") && !p.comparable.empty() &&
                !(standing_.unseen && standing_.unseen->recording == p.reading.recordingId))
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

    /// What it loses while it lies there.
    void selfDischarge() {
        const auto& last = standing_.selfDischarge;
        const double limit = (nickel_ ? 2 : 1) * rules_.selfDischarge;
        if (!last || !(last->lowPercent > limit)) return;
        add(Grade::Watch,
            {"self_discharge",
             phrase("It loses {:.0f} to {:.0f} % of its charge in 30 days of lying: over {:.0f} %.",
                    last->lowPercent, std::min(100.0, last->highPercent), limit),
             last->lowPercent / 100, limit / 100, last->toRecording});
    }

    /// A log that another load may have made false counts for nothing until somebody has said.
    void unseen() {
        if (!standing_.unseen) return;
        const UnseenLoad& u = *standing_.unseen;
        add(Grade::Keep, {"unseen_load", u.because, u.seen_Ah, u.before_Ah, u.recording});
    }

    /// Before every figure: what ended its use, what is to be looked at.
    void hazards() {
        for (const HazardOnFile& h : standing_.hazards) {
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
        add(Grade::Watch, {"siblings",
                           phrase("It gives {:.0f} % of what its siblings give ({}).",
                                  100 * latest / median, shortValue(median, "Ah")),
                           latest / median, rules_.siblings, standing_.capacity->recording});
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
        const bool judged = standing_.capacity && rated_ > 0;
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
    const Standing& standing_;
    const std::vector<double>& siblings_;
    const VerdictRules& rules_;
    std::vector<WholeTest> tests_;
    double rated_ = 0;
    bool nickel_ = false;
    std::optional<Staircase> stairs_;
    std::vector<std::pair<Grade, VerdictReason>> found_, hazardReasons_;
    Verdict out_;
};

}  // namespace

double medianOf(std::vector<double> figures) {
    if (figures.empty()) return kNaN;
    std::ranges::sort(figures);
    const std::size_t n = figures.size();
    return n % 2 == 1 ? figures[n / 2] : 0.5 * (figures[n / 2 - 1] + figures[n / 2]);
}

Verdict judge(const BatteryHistory& history, const Standing& standing,
              const std::vector<double>& siblings_Ah, const VerdictRules& rules) {
    return Judge(history, standing, siblings_Ah, rules).run();
}

Expected<Verdict> judgeBattery(BenchBook& book, std::int64_t batteryId,
                               const std::optional<VerdictRules>& rules) {
    const auto history = batteryHistory(book, batteryId);
    if (!history) return tl::unexpected<Error>(history.error());
    return judgeBattery(book, *history, rules);
}

Expected<Verdict> judgeBattery(BenchBook& book, const BatteryHistory& history,
                               const std::optional<VerdictRules>& rules) {
    const auto standing = standingOf(book, history);
    if (!standing) return tl::unexpected<Error>(standing.error());
    return judgeBattery(book, history, *standing, rules);
}

Expected<Verdict> judgeBattery(BenchBook& book, const BatteryHistory& history,
                               const Standing& standing, const std::optional<VerdictRules>& rules) {
    const std::int64_t batteryId = history.battery.id;
    const auto batteries = book.batteries();
    if (!batteries) return tl::unexpected<Error>(batteries.error());
    const Battery& own = history.battery.battery;
    std::set<std::int64_t> alike;
    for (const BatteryEntry& e : *batteries) {
        const Battery& b = e.battery;
        if (e.id == batteryId || b.chemistry != own.chemistry || b.series != own.series ||
            b.parallel != own.parallel || b.rated_Ah != own.rated_Ah || b.rated_Ah <= 0)
            continue;
        alike.insert(e.id);
    }
    std::vector<double> siblings;
    if (!alike.empty()) {
        const auto others = keptStandings(book, alike);
        if (!others) return tl::unexpected<Error>(others.error());
        for (const auto& [id, other] : *others)
            if (std::isfinite(other.capacity_Ah)) siblings.push_back(other.capacity_Ah);
    }
    const auto ofBook = verdictRules(book);
    if (!ofBook) return tl::unexpected<Error>(ofBook.error());
    Verdict out = judge(history, standing, siblings, rules.value_or(*ofBook));
    if (!standing.life.outOfUse.empty()) {
        out.verdict = "retire";
        out.logNext.clear();
        out.change.clear();
        VerdictReason skin;
        skin.rule = "skin";
        skin.text = phrase(
            "It is out of use since it was looked at: {}. Do not charge or test it; tape its "
            "terminals and recycle it by the local rules.",
            standing.life.outOfUse);
        out.reasons.insert(out.reasons.begin(), std::move(skin));
    }
    return out;
}

}  // namespace nk
