// A channel as a strip: name, what it does, big figures, a small living curve, what is left.
#pragma once

#include <QFrame>

#include "app/bench/bench_channel.h"

class QLabel;

namespace nk {

class LiveLanes;

class ChannelStrip : public QFrame {
    Q_OBJECT
  public:
    explicit ChannelStrip(BenchChannel& channel, QWidget* parent = nullptr);
    BenchChannel& channel() const { return channel_; }
    void setChosen(bool chosen);
    /// Readable from three metres.
    void setLarge(bool large);
    void refresh();

  Q_SIGNALS:
    void chosen();

  protected:
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    BenchChannel& channel_;
    QLabel* name_ = nullptr;
    QLabel* doing_ = nullptr;
    QLabel* figures_ = nullptr;
    QLabel* remaining_ = nullptr;
    LiveLanes* curve_ = nullptr;
};

}  // namespace nk
