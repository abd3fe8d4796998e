// Station 4, Side by side: has it changed? Logs laid over each other by time, charge, state of
// charge or from an event; dQ/dV; and the matching bench.
#pragma once

#include <functional>
#include <map>

#include "app/job/job.h"
#include "app/session/dialogs.h"
#include "app/session/session.h"
#include "app/shell/station.h"
#include "app/side/side_plot.h"

class QButtonGroup;
class QLabel;
class QPushButton;
class QStackedWidget;

namespace nk {

class MatchingBench;

class SideStation : public Station {
    Q_OBJECT
  public:
    explicit SideStation(Session& session, QWidget* parent = nullptr);

    QString name() const override { return tr("Side by side"); }
    QString ask() const override { return tr("has it changed?"); }
    Scope scope() const override { return Scope::Book; }
    bool hasFindings() const override { return false; }
    Question question() const override { return Question::Strength; }
    void show(ShownPtr shown) override;
    bool showsEvidence() const override { return false; }
    void showEvidence(const Evidence&, const QString&) override {}
    void applyColours() override;
    QString helpPage() const override { return "side"; }
    QWidget* firstFocus() override { return plot_; }
    bool busy() const override;
    Expected<void> writePicture(const QString& path) override;
    std::vector<StationAction> menuActions() override;

    void lay(std::vector<SideItem> items);
    void layLogs(const std::vector<std::int64_t>& recordings);
    /// A step of a log beside those of it that lie there; the window brings the station to the
    /// front.
    void addStep(std::int64_t recording, double moment_s);
    void setAxis(OverlayAxis axis);
    void setLane(SideLane lane);
    void choosePreset(SidePreset preset);
    /// A tree of all logs and their steps to tick.
    void chooseLogs();
    void openBench();
    const SideView& view() const { return plot_->view(); }
    const SideChoice& choice() const { return choice_; }
    SidePlot* plot() const { return plot_; }
    /// The picture, what differs, and which logs they are; HTML or PDF by the file's ending.
    Expected<void> writeSideSheet(const QString& path);

  private:
    void make();
    void keepView();
    void saveData();
    void saveSheet();
    /// Everything it needs is copied: for a worker.
    std::function<Expected<void>()> sheetWork(const QString& path);
    void fillViews();

    Session& session_;
    Job job_{this};
    SideChoice choice_;
    std::map<std::int64_t, OpenedPtr> opened_;
    std::filesystem::path book_;  ///< the book that `opened_` is of
    QLabel* title_ = nullptr;
    QStackedWidget* middle_ = nullptr;
    QButtonGroup* axes_ = nullptr;
    QButtonGroup* lanes_ = nullptr;
    QPushButton* views_ = nullptr;
    QPushButton* benchButton_ = nullptr;
    SidePlot* plot_ = nullptr;
    QLabel* words_ = nullptr;
    MatchingBench* bench_ = nullptr;
};

}  // namespace nk
