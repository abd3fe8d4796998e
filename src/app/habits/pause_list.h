// The pauses of a habit: a line each, with its days a year, its level and its warmth.
#pragma once

#include <QWidget>
#include <vector>

#include "ageing/habit.h"

class QPushButton;
class QSpinBox;
class QVBoxLayout;

namespace nk {

/// °C or °F by the setting, whole degrees for the fields.
double shownWarmth(double celsius);
double celsiusOf(double shown);

class PauseList : public QWidget {
    Q_OBJECT
  public:
    explicit PauseList(QWidget* parent = nullptr);
    void setPauses(const std::vector<HabitPause>& pauses);
    std::vector<HabitPause> pauses() const;
    static constexpr std::size_t kMost = 4;

  Q_SIGNALS:
    void changed();

  private:
    struct Line {
        QWidget* row;
        QSpinBox *days, *level, *warmth;
    };
    void addLine(const HabitPause& pause);
    void clear();

    QVBoxLayout* box_ = nullptr;
    QPushButton* more_ = nullptr;
    std::vector<Line> lines_;
};

}  // namespace nk
