// The battery page: who it is, the verdict with its reasons, its history as a picture and a table,
// each figure a way to the log it was taken from. What the shelf opens when a battery is chosen.
#pragma once

#include <QWidget>

#include "app/battery/battery_page_presenter.h"
#include "app/job/job.h"
#include "app/session/session.h"

class QButtonGroup;
class QLabel;
class QLineEdit;
class QPushButton;
class QSortFilterProxyModel;
class QTableView;
class QVBoxLayout;

namespace nk {

class HistoryPlot;
class HistoryTable;
class ModelView;

class BatteryPage : public QWidget {
    Q_OBJECT
  public:
    explicit BatteryPage(Session& session, QWidget* parent = nullptr);

    void show(std::int64_t batteryId);
    std::int64_t battery() const { return battery_; }
    bool busy() const;
    void applyColours();
    const BatteryPageView& view() const { return view_; }

  Q_SIGNALS:
    void editRequested(qlonglong batteryId);
    void padRequested(qlonglong batteryId);
    void recordingChosen(qlonglong id);
    void evidenceChosen(qlonglong recording, const Evidence& evidence, const QString& words);
    void batteryChosen(qlonglong id);
    void moreRequested(qlonglong batteryId, const QPoint& globalPos);
    void readingChosen(qlonglong batteryId, qlonglong readingId);
    void taskDone(const DueTask& task);

  private:
    void take(BatteryPageView view);
    /// A sentence with a way to go on at its end, among the reasons.
    void addLine(const QString& words, const QString& way, const QString& name,
                 std::function<void()> go);
    void choosePicture(int k);
    void openRow(const QModelIndex& index);

    Session& session_;
    Job job_{this};
    std::int64_t battery_ = 0;
    BatteryPageView view_;
    QLabel* name_ = nullptr;
    QLabel* kind_ = nullptr;
    QLabel* about_ = nullptr;
    QLabel* outOfUse_ = nullptr;
    QLabel* photo_ = nullptr;
    QLabel* verdict_ = nullptr;
    QVBoxLayout* reasons_ = nullptr;
    QLabel* next_ = nullptr;
    QButtonGroup* pictures_ = nullptr;
    HistoryPlot* plot_ = nullptr;
    ModelView* model_ = nullptr;
    QPushButton* cycles_ = nullptr;
    QPushButton* card_ = nullptr;
    QLineEdit* filter_ = nullptr;
    HistoryTable* readings_ = nullptr;
    QSortFilterProxyModel* shown_ = nullptr;
    QTableView* table_ = nullptr;
};

}  // namespace nk
