// Measured and predicted volts of a cell over minutes, each named at its end.
#pragma once

#include <qcustomplot.h>

#include <vector>

namespace nk {

class PredictionPlot : public QCustomPlot {
    Q_OBJECT
  public:
    struct Line {
        std::vector<double> time_s, voltage_V;
        QString name;
        enum class Kind { Measured, Predicted, Instead } kind = Kind::Measured;
    };
    explicit PredictionPlot(QWidget* parent = nullptr);
    void setLines(std::vector<Line> lines);
    const std::vector<Line>& lines() const { return lines_; }
    void applyColours() { redraw(); }

  protected:
    /// The names at the ends are set apart by the height.
    void resizeEvent(QResizeEvent* event) override {
        QCustomPlot::resizeEvent(event);
        redraw();
    }

  private:
    void redraw();
    std::vector<Line> lines_;
};

}  // namespace nk
