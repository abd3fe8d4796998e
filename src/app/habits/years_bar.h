// Years to 80 % as a range bar with one mark a school, on one scale for all habits.
#pragma once

#include <QWidget>

#include "app/habits/habits_presenter.h"

namespace nk {

class YearsBar : public QWidget {
    Q_OBJECT
  public:
    explicit YearsBar(QWidget* parent = nullptr);
    void setFigures(const HabitFigures& figures, double most);
    QSize sizeHint() const override { return {300, 70}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    HabitFigures figures_;
    double most_ = 10;
};

}  // namespace nk
