// A week of charge level as a band over seven days; its upper edge is the target and can be dragged
// or moved by the arrow keys.
#pragma once

#include <QWidget>

#include "ageing/habit.h"

namespace nk {

class WeekBand : public QWidget {
    Q_OBJECT
  public:
    explicit WeekBand(QWidget* parent = nullptr);
    /// `load`: of the habit; `chemistry` tells volts of levels, and the highest that is accepted.
    void setLoad(const HabitLoad& load, double target_V, const Chemistry& chemistry);
    QSize sizeHint() const override { return {300, 104}; }
    QRect bandRect() const;

  Q_SIGNALS:
    void targetDragged(double volts);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void dragTo(double y);
    void offer(double volts);

    HabitLoad load_;
    double target_V_ = 0;
    const Chemistry* chemistry_ = nullptr;
    bool held_ = false;
};

}  // namespace nk
