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

    void setNow(double now_s);
    /// Where a step's bar lies; empty: it has none.
    QRectF barOf(const QueueStep& step) const;

  Q_SIGNALS:
    /// A bar was put on another channel or to another time.
    void moved(qulonglong module, qulonglong link, int charger, int channel, double start_s);

  protected:
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    double x(double at_s) const;

    QueuePlan plan_;
    QueueWish wish_;
    double timeAt(double x) const;
    int lineAt(double y) const;
    bool movable(const QueueStep& step) const {
        return step.charger >= 0 && step.what != "rest" && !step.done;
    }
    void put(const QueueStep& step, int line, double start_s);

    std::vector<std::pair<int, int>> lines_;  ///< charger and channel
    double now_s_ = 0;
    int chosen_ = -1;  ///< of the steps, for the keyboard
    int dragged_ = -1;
    QPointF from_, at_;
};

}  // namespace nk
