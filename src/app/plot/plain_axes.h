// The look that the small pictures share: grounds, axes, grid and letters of the look in force.
#pragma once

#include <qcustomplot.h>

namespace nk {

/// Takes grounds, pens and letters from the theme; `visible`: whether the axes are drawn.
void stylePlainAxes(QCustomPlot& plot, const QMargins& margins, bool visible = true);
/// The letters of ticks and labels.
QFont plainAxisFont(const QCustomPlot& plot);

}  // namespace nk
