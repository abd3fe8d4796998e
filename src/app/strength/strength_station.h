// Station 3, Strength: how strong is it? Resistances of every school, the true C rating, cold and
// warm, and the cells of a pack, over all recordings of the battery.
#pragma once

#include "app/job/job.h"
#include "app/shell/station.h"
#include "app/strength/strength_plot.h"
#include "app/strength/strength_presenter.h"

class QButtonGroup;
class QLabel;
class QPushButton;
class QTableWidget;

namespace nk {

/// A study with the readings that were entered by hand.
struct StudyBundle {
    std::shared_ptr<const StrengthStudy> study;
    std::vector<SpotReading> spots;
};

class StrengthStation : public Station {
    Q_OBJECT
  public:
    /// Loads all recordings of a battery and studies them; runs in a worker.
    using Loader =
        std::function<Expected<StudyBundle>(ShownPtr, std::stop_token, const Job::ProgressSink&)>;
    explicit StrengthStation(QWidget* parent = nullptr);
    void setLoader(Loader loader) { loader_ = std::move(loader); }

    Question question() const override { return Question::Strength; }
    void show(ShownPtr shown) override;
    bool showsEvidence() const override { return false; }
    void showEvidence(const Evidence&, const QString&) override {}
    void applyColours() override;
    QString helpPage() const override { return "strength"; }
    QWidget* firstFocus() override;
    bool busy() const { return job_.running(); }
    const StrengthView& view() const { return view_; }
    StrengthPlot* plot() const { return plot_; }

  private:
    void take(const StudyBundle& bundle);
    void describePicture();

    Loader loader_;
    Job job_{this};
    ShownPtr shown_;
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
