// Station 6, Plan: what do I set on the charger? A question in words, few figures, and the bench
// card that answers it. Works on an empty book.
#pragma once

#include <optional>

#include "app/job/job.h"
#include "app/plan/bench_card.h"
#include "app/plan/plan_form.h"
#include "app/session/session.h"
#include "app/shell/station.h"
#include "history/kept_plans.h"
#include "history/known_charge.h"
#include "history/own_models.h"
#include "ownmodel/predict.h"
#include "planning/join.h"
#include "planning/queue.h"

class QButtonGroup;
class QLabel;
class QPushButton;
class QScrollArea;

namespace nk {

class CardView;
class ExpectedCurve;
class QueueDesk;
class WhatIfPanel;

class PlanStation : public Station {
    Q_OBJECT
  public:
    using Asked = PlanAsked;

    explicit PlanStation(Session& session, QWidget* parent = nullptr);

    QString name() const override { return tr("Plan"); }
    QString ask() const override { return tr("what do I set on the charger?"); }
    Scope scope() const override { return Scope::Book; }
    bool hasFindings() const override { return false; }
    Question question() const override { return Question::Finish; }
    void show(ShownPtr shown) override;
    bool showsEvidence() const override { return false; }
    void showEvidence(const Evidence&, const QString&) override {}
    void applyColours() override;
    QString helpPage() const override { return "plan"; }
    QWidget* firstFocus() override;
    bool busy() const override;
    std::vector<StationAction> menuActions() override;

    void setAsked(Asked asked);
    const BenchCard& card() const { return card_; }
    const QString& problem() const { return problem_; }
    /// What to do instead, with the rule; empty: there is none.
    QString instead() const { return instead_; }
    void openChargers();
    void openModules();
    void openPacks();
    void saveCard();
    void saveCalendar();

    /// The question for a battery, as another place asks it.
    QueueDesk* queueDesk() const { return desk_; }
    void planFor(std::int64_t battery, Asked asked);
    void keepCard();
    /// The chosen days of the week, kept with the battery.
    void keepWeek();

  private:
    /// What a worker found out of the book about the battery.
    struct Known {
        std::optional<KeptModel> model;
        QString whyNone;
        std::optional<ReadyRule> ready;
        std::vector<KeptPlan> plans;
        std::vector<AgainstLog> against;  ///< of the shown recording
        std::optional<KeptPlan> before;   ///< the plan it followed
        std::optional<BatteryHistory> history;
        std::optional<Standing> standing;
    };

    void answer();
    void showQueue();
    void drawCard();
    void learn(std::int64_t battery, std::int64_t recording);
    void expect();
    void drawAgainst();
    Battery base() const;
    ChargeWish chargeWish() const;
    std::optional<KnownCharge> known() const;
    ProgramWish programWish() const;
    void refuse(const Error& why);
    void addComparison(BenchCard& card) const;

    Session& session_;
    Job model_{this};  ///< the battery's own model
    Asked asked_ = Asked::Charge;
    BenchCard card_;
    QString problem_;  ///< why there is no card
    QString instead_;  ///< what to do instead, and by which rule
    std::vector<JoinPack> packs_;
    std::int64_t learnedOf_ = 0, learnedFor_ = 0;  ///< battery and recording
    std::int64_t wantedBattery_ = 0;               ///< asked for from elsewhere, once
    ShownPtr shown_;
    Known known_;
    std::optional<PredictedStep> expected_;
    std::optional<Program> ready_;  ///< the charge that is done in time
    QString name_;
    bool built_ = false;

    QButtonGroup* questions_ = nullptr;
    PlanForm* form_ = nullptr;
    QPushButton* openFile_ = nullptr;
    QPushButton* openChargers_ = nullptr;
    QPushButton* save_ = nullptr;
    QPushButton* keep_ = nullptr;
    QPushButton* calendar_ = nullptr;
    QLabel* title_ = nullptr;
    QLabel* lead_ = nullptr;
    QLabel* modelWords_ = nullptr;
    QLabel* against_ = nullptr;
    QueueDesk* desk_ = nullptr;
    ExpectedCurve* curve_ = nullptr;
    CardView* cardView_ = nullptr;
    WhatIfPanel* whatIf_ = nullptr;
    QScrollArea* scroll_ = nullptr;
};

}  // namespace nk
