// The history of a battery as a picture: points with their intervals over days or full cycles,
// those that may be compared joined, the yardsticks as lines.
#pragma once

#include <qcustomplot.h>

#include "app/battery/battery_page_presenter.h"

namespace nk {

class HistoryPlot : public QCustomPlot {
    Q_OBJECT
  public:
    enum class Picture { Capacity, Resistance, Temperature };
    explicit HistoryPlot(QWidget* parent = nullptr);

    void setView(const BatteryPageView& view);
    void show(Picture picture);
    void setByCycles(bool on);
    void applyColours() { redraw(); }

  Q_SIGNALS:
    /// A point was pressed: its log and the part of it that the figure rests on.
    void evidenceChosen(qlonglong recording, const Evidence& evidence, const QString& words);

  protected:
    void mousePressEvent(QMouseEvent* event) override;

  private:
    void redraw();
    void yardstick(double value, const QString& words);

    BatteryPageView view_;
    Picture picture_ = Picture::Capacity;
    bool byCycles_ = false;
    std::vector<std::pair<QPointF, const HistoryDot*>>
        places_;  ///< of the points, plot coordinates
};

}  // namespace nk
