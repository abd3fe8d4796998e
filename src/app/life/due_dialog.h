// What is due, soonest first, each ticked off by a button; the whole as a calendar file.
#pragma once

#include <QDialog>
#include <vector>

#include "history/due.h"

namespace nk {

class DueDialog : public QDialog {
    Q_OBJECT
  public:
    DueDialog(const std::vector<DueTask>& tasks, double now_s, QWidget* parent = nullptr);

  Q_SIGNALS:
    void done(const DueTask& task);
    void batteryChosen(qlonglong id);
    void calendarRequested();
};

}  // namespace nk
