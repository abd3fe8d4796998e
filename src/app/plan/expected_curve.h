// The curve that a charge is expected to draw by the battery's own model.
#pragma once

#include <qcustomplot.h>

#include "ownmodel/predict.h"

namespace nk {

class ExpectedCurve : public QCustomPlot {
    Q_OBJECT
  public:
    explicit ExpectedCurve(QWidget* parent = nullptr);
    void setStep(const PredictedStep& step);
    void applyColours() { redraw(); }

  private:
    void redraw();
    PredictedStep step_;
};

}  // namespace nk
