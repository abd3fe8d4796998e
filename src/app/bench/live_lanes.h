// The living curve of a channel: voltage, current and temperature one above the other, or voltage
// alone in a strip. Redrawn as rows come; the time it takes is kept under a share of the whole.
#pragma once

#include <QElapsedTimer>
#include <QWidget>
#include <memory>

#include "live/channel.h"

namespace nk {

class LiveLanes : public QWidget {
    Q_OBJECT
  public:
    enum class Size { Strip, Full };
    explicit LiveLanes(Size size, QWidget* parent = nullptr);
    /// Nothing: nothing is shown. The channel may begin anew or go while this is hidden.
    void setChannel(std::weak_ptr<const LiveChannel> channel);
    /// Seconds up to now that are shown; 0: all.
    void setSpan(double span_s);
    /// Levels of the user's voltage rules, V of the whole battery; dragged they tell a new one.
    void setVoltageRule(double volts);
    double voltageRule() const { return rule_V_; }
    QSize sizeHint() const override;

  Q_SIGNALS:
    void ruleDragged(double volts);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    double voltsAt(double y) const;

    Size size_;
    std::weak_ptr<const LiveChannel> channel_;
    double span_s_ = 0;
    double rule_V_ = kNaN;
    QElapsedTimer painted_;  ///< since the last picture
    qint64 cost_ms_ = 0;     ///< of it
    bool dragging_ = false;
    QRectF volts_;  ///< of the voltage lane, as painted last
    double low_V_ = 0, high_V_ = 1;
};

}  // namespace nk
