// Station 2, Finish: did the charge stop at the right time? Stop rules as flags along the curve,
// and a strip that ranks them against full.
#pragma once

#include <optional>

#include "app/finish/finish_presenter.h"
#include "app/job/job.h"
#include "app/shell/station.h"

class QComboBox;
class QLabel;
class QPushButton;
class QStackedLayout;
class QTableWidget;

namespace nk {

class FlagStrip;
class LanesPlot;

class FinishStation : public Station {
    Q_OBJECT
  public:
    explicit FinishStation(QWidget* parent = nullptr);

    QString name() const override { return tr("Finish"); }
    QString ask() const override { return tr("did it stop in time?"); }
    Question question() const override { return Question::Finish; }
    void show(ShownPtr shown) override;
    void showEvidence(const Evidence& evidence, const QString& words) override;
    void applyColours() override;
    QString helpPage() const override { return "finish"; }
    QWidget* firstFocus() override;
    bool busy() const override { return job_.running(); }
    const FinishView& view() const { return view_; }

  private:
    void chooseCharge(int charge);
    void rank(bool keepView);
    void take(const Ranking& ranking, bool keepView);
    void fillTable();
    void say(const QString& words);
    void keepRules();

    void followDrag();
    void forgetDrag();

    struct Drag {
        int rule = -1;
        double time_s = 0;
    };
    FinishPresenter presenter_;
    FinishView view_;
    Job job_{this};
    std::int64_t batteryId_ = 0;  ///< of what is shown
    int charge_ = 0;
    bool filling_ = false;
    std::optional<Drag> wanted_;  ///< where the pointer asked a flag to be, not yet looked at
    Drag last_;
    bool dragging_ = false;  ///< the worker looks at one
    bool dropped_ = false;   ///< the flag was let go, its rules are to be kept
    QLabel* title_ = nullptr;
    QLabel* full_ = nullptr;
    QLabel* advice_ = nullptr;
    QLabel* problem_ = nullptr;
    QLabel* nothing_ = nullptr;
    QWidget* body_ = nullptr;
    QComboBox* charges_ = nullptr;
    FlagStrip* flags_ = nullptr;
    LanesPlot* plot_ = nullptr;
    QTableWidget* table_ = nullptr;
    QPushButton* remove_ = nullptr;
};

}  // namespace nk
