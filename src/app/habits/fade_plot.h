// A battery's own fade: its cycles, the averaged curve as a fan, and where it meets the end.
#pragma once

#include <qcustomplot.h>

#include "app/habits/habits_presenter.h"

namespace nk {

class FadePlot : public QCustomPlot {
    Q_OBJECT
  public:
    explicit FadePlot(QWidget* parent = nullptr);
    /// `none`: the sentence that stands in an empty picture.
    void setPicture(const FadePicture& picture, const QString& none);
    void applyColours() { redraw(); }
    const FadePicture& picture() const { return picture_; }

  private:
    void redraw();
    FadePicture picture_;
    QString none_;
};

}  // namespace nk
