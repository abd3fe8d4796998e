// Curves of several logs over each other, each named at its end, and under them the difference of
// two. A drag beside a curve moves the view; a drag on one shifts it along the axis.
#pragma once

#include <qcustomplot.h>

#include "app/side/side_presenter.h"

namespace nk {

struct Theme;

class SidePlot : public QCustomPlot {
    Q_OBJECT
  public:
    explicit SidePlot(QWidget* parent = nullptr);

    void setView(const SideView& view);
    const SideView& view() const { return view_; }
    /// What is in view, in the colours of paper whatever the look, as vectors.
    QByteArray onPaper();
    void showAll();
    void applyColours() { redraw(); }
    /// Of the k-th of n curves: a hue of its own, readable on the ground of the look.
    static QColor colourOf(std::size_t k, std::size_t n, bool dark);

  Q_SIGNALS:
    void shifted(int curve, double by);
    void readingChanged(const QString& words);

  protected:
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void redraw();
    const Theme& look() const;
    /// The curve under a place in pixels; −1: none.
    int curveAt(const QPointF& place) const;
    void tellAt(double x);

    SideView view_;
    bool paper_ = false;  ///< drawn for a sheet
    QCPAxisRect* curves_ = nullptr;
    QCPAxisRect* difference_ = nullptr;
    int held_ = -1;  ///< the curve that is being shifted
    double heldFrom_ = 0;
    double heldBy_ = 0;
};

}  // namespace nk
