// Station 6, Plan: what do I set on the charger? A question in words, few figures, and the bench
// card that answers it. Works on an empty book.
#pragma once

#include <optional>

#include "app/job/job.h"
#include "app/plan/bench_card.h"
#include "app/session/session.h"
#include "app/shell/station.h"
#include "ownmodel/predict.h"

class QButtonGroup;
class QCheckBox;
class QComboBox;
class QDateTimeEdit;
class QDoubleSpinBox;
class QFormLayout;
class QGridLayout;
class QLabel;
class QPushButton;
class QScrollArea;
class QSpinBox;
class QTimeEdit;
class QVBoxLayout;

namespace nk {

class ExpectedCurve;
class QueueBars;

class PlanStation : public Station {
    Q_OBJECT
  public:
    enum class Asked { Charge, BackToLife, Storage, ReadyBy, Join, Queue };

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
    bool busy() const override { return job_.running() || model_.running(); }
    std::vector<StationAction> menuActions() override;

    void setAsked(Asked asked);
    const BenchCard& card() const { return card_; }
    const QString& problem() const { return problem_; }
    void openChargers();
    void openModules();
    void openPacks();
    void saveCard();
    void saveCalendar();

  private:
    void answer();
    void drawCard();
    void learn(std::int64_t battery);
    void expect();
    Battery battery() const;
    ChargeWish chargeWish() const;

    Session& session_;
    Job job_{this};    ///< queues
    Job model_{this};  ///< the battery's own model
    Asked asked_ = Asked::Charge;
    BenchCard card_;
    QString problem_;
    std::vector<ChargerCard> chargers_;
    std::vector<QueueModule> modules_;
    std::vector<JoinPack> packs_;
    std::optional<QueuePlan> queue_;
    QueueWish queueWish_;
    std::int64_t learnedOf_ = 0;
    std::optional<OwnModel> own_;
    QString name_;
    bool filling_ = false;

    QButtonGroup* questions_ = nullptr;
    QWidget* form_ = nullptr;
    QComboBox* chemistry_ = nullptr;
    QSpinBox* series_ = nullptr;
    QDoubleSpinBox* rated_ = nullptr;
    QComboBox* charger_ = nullptr;
    QDoubleSpinBox* rate_ = nullptr;
    QDoubleSpinBox* target_ = nullptr;
    QSpinBox* from_ = nullptr;
    QSpinBox* warmth_ = nullptr;
    QCheckBox* beyond_ = nullptr;
    QComboBox* program_ = nullptr;
    QSpinBox* cycles_ = nullptr;
    QDateTimeEdit* ready_ = nullptr;
    QTimeEdit* presentFrom_ = nullptr;
    QTimeEdit* presentTo_ = nullptr;
    QCheckBox* unattended_ = nullptr;
    QPushButton* openFile_ = nullptr;
    QPushButton* openChargers_ = nullptr;
    QPushButton* save_ = nullptr;
    QPushButton* calendar_ = nullptr;
    std::vector<std::pair<QWidget*, QWidget*>> fields_;  ///< labels and what they name
    QLabel* title_ = nullptr;
    QLabel* lead_ = nullptr;
    QLabel* model_words_ = nullptr;
    QueueBars* bars_ = nullptr;
    ExpectedCurve* curve_ = nullptr;
    QVBoxLayout* body_ = nullptr;
};

}  // namespace nk
