// The shelf: batteries with their state at a glance, and under each its recordings, newest first.
#pragma once

#include <QWidget>
#include <vector>

#include "book/bench_book.h"

class QLineEdit;
class QVBoxLayout;
class QPushButton;

namespace nk {

class Shelf : public QWidget {
    Q_OBJECT
  public:
    explicit Shelf(QWidget* parent = nullptr);

    void setContents(std::vector<BatteryEntry> batteries, std::vector<RecordingEntry> recordings);
    void select(std::int64_t recordingId);
    std::int64_t selected() const { return selected_; }

  Q_SIGNALS:
    void recordingChosen(qlonglong id);
    void batteryEditRequested(qlonglong id);
    void recordingMenuRequested(qlonglong id, const QPoint& globalPos);
    void addRequested();

  private:
    void rebuild();

    std::vector<BatteryEntry> batteries_;
    std::vector<RecordingEntry> recordings_;
    std::int64_t selected_ = 0;
    QLineEdit* search_ = nullptr;
    QVBoxLayout* list_ = nullptr;
    std::vector<QWidget*> rows_;
};

}  // namespace nk
