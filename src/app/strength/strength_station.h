// Station 3, Strength: how strong is it? Resistances of every school, the true C rating, cold and
// warm, and the cells of a pack, over all recordings of the battery.
#pragma once

#include "app/job/job.h"
#include "app/shell/station.h"
#include "app/strength/strength_plot.h"
#include "app/strength/strength_presenter.h"
#include "history/strength.h"

class QButtonGroup;
class QLabel;
class QPushButton;
class QTableWidget;

namespace nk {

/// A study with the readings that were entered by hand.
using StudyBundle = BatteryStrength;

class StrengthStation : public Station {
    Q_OBJECT
  public:
    /// Loads all recordings of a battery and studies them; runs in a worker.
    using Loader =
        std::function<Expected<StudyBundle>(ShownPtr, std::stop_token, const Job::ProgressSink&)>;
    explicit StrengthStation(QWidget* parent = nullptr);
    /// Makes a loader for the book that is open when a study begins.
    void setLoader(std::function<Loader()> loader) { loader_ = std::move(loader); }

    QString name() const override { return tr("Strength"); }
    QString ask() const override { return tr("how strong is it?"); }
    Scope scope() const override { return Scope::Battery; }
    Question question() const override { return Question::Strength; }
    void show(ShownPtr shown) override;
    bool showsEvidence() const override { return false; }
    void showEvidence(const Evidence&, const QString&) override {}
    void applyColours() override;
    QString helpPage() const override { return "strength"; }
    QWidget* firstFocus() override;
    bool busy() const override { return job_.running(); }
    const StrengthView& view() const { return view_; }
    StrengthPlot* plot() const { return plot_; }

  private:
    void take(const StudyBundle& bundle, std::shared_ptr<const SagMap> map);
    void describePicture();

    std::function<Loader()> loader_;
    Job job_{this};
    ShownPtr shown_;
    std::int64_t studied_ = 0;  ///< the battery that study_ and view_ are about
    std::shared_ptr<const StrengthStudy> study_;
    StrengthView view_;
    QLabel* title_ = nullptr;
    QLabel* sentence_ = nullptr;
    QLabel* conditions_ = nullptr;
    QLabel* words_ = nullptr;
    QButtonGroup* pictures_ = nullptr;
    QPushButton* ownCurve_ = nullptr;
    StrengthPlot* plot_ = nullptr;
    QTableWidget* resistances_ = nullptr;
    QTableWidget* rating_ = nullptr;
};

}  // namespace nk
