// A queue as bars over hours: a line a channel, the hours in which nobody is there shaded.
#pragma once

#include <QWidget>

#include "planning/queue.h"

namespace nk {

class QueueBars : public QWidget {
    Q_OBJECT
  public:
    explicit QueueBars(QWidget* parent = nullptr);
    void setPlan(const QueuePlan& plan, const QueueWish& wish);
    QSize sizeHint() const override { return {600, 40 + 30 * static_cast<int>(lines_.size())}; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;

  private:
    QRectF barOf(const QueueStep& step) const;
    double x(double at_s) const;

    QueuePlan plan_;
    QueueWish wish_;
    std::vector<std::pair<int, int>> lines_;  ///< charger and channel
};

}  // namespace nk
