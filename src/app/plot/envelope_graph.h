// A graph that can draw a dense curve as the area it covers: one upright bar a pixel column, from
// the lowest to the highest value in it. Ten thousand strokes over each other cost most of a
// redraw; bars of the same shape cost a tenth.
#pragma once

#include <qcustomplot.h>

namespace nk {

class EnvelopeGraph : public QCPGraph {
    Q_OBJECT
  public:
    EnvelopeGraph(QCPAxis* keyAxis, QCPAxis* valueAxis) : QCPGraph(keyAxis, valueAxis) {}

    /// Points that share a key are one column when `dense`; otherwise they are joined by lines.
    void setDense(bool dense) { dense_ = dense; }
    bool dense() const { return dense_; }

  protected:
    void draw(QCPPainter* painter) override;

  private:
    bool dense_ = false;
};

}  // namespace nk
