// What the Finish station shows, made from core results: charges to choose from, rules as flags and
// rows, the advice. A plain class, tested without a window.
#pragma once

#include <QString>
#include <vector>

#include "analysis/finish/rule_ranking.h"
#include "app/session/shown_recording.h"

namespace nk {

/// One rule as a flag on the curve and a row of the table.
struct RuleRow {
    int rule = -1;  ///< index in the presenter's rules
    QString text;   ///< as typed
    QString label;  ///< on the flag
    QString words, stops, charge, temperature, against;
    QString note;  ///< caveats, for the tooltip
    double time_s = kNaN;
    double share = kNaN;  ///< charge beyond full over the rating; below zero: short of it
    bool fired = false;
    bool extrapolated = false;
};

struct FinishView {
    double from_s = 0, to_s = 0;  ///< the part of the recording to show
    double full_s = kNaN;
    QString fullWords;
    QString advice;
    std::vector<RuleRow> rows;  ///< best first
};

class FinishPresenter {
  public:
    void setShown(ShownPtr shown);
    int chargeCount() const { return static_cast<int>(charges_.size()); }
    QString chargeLabel(int charge) const;
    bool nickel() const;

    const std::vector<StopRule>& rules() const { return rules_; }
    void setRules(std::vector<StopRule> rules) { rules_ = std::move(rules); }
    /// The usual rules of the chemistry, without those kept on the card.
    void resetRules();
    std::vector<std::string> ruleTexts() const;
    /// Replaces rule `index` by what was typed; the error says what is accepted.
    Expected<void> typeRule(int index, const QString& text);
    /// Moves the flag of rule `index` in charge `charge` to a moment: the condition that fires (or
    /// the first one) gets the threshold with which it fires there. Pure, for a worker.
    struct Moved {
        std::vector<StopRule> rules;
        Ranking ranking;
    };
    std::function<Expected<Moved>()> movingWork(int charge, int index, double time_s) const;

    /// Pure, for a worker: everything it needs is copied or shared.
    std::function<Ranking()> rankingWork(int charge) const;
    FinishView view(int charge, const Ranking& ranking) const;

  private:
    ShownPtr shown_;
    std::vector<ChargeSpan> charges_;
    std::vector<StopRule> rules_;
};

}  // namespace nk
