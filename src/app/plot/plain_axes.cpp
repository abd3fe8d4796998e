#include "app/plot/plain_axes.h"

#include "app/theme/theme.h"

namespace nk {

QFont plainAxisFont(const QCustomPlot& plot) {
    QFont small = plot.font();
    small.setPixelSize(11);
    return small;
}

void stylePlainAxes(QCustomPlot& plot, const QMargins& margins, bool visible) {
    const Theme& t = currentTheme();
    QLocale numbers;
    numbers.setNumberOptions(QLocale::OmitGroupSeparator);
    plot.setLocale(numbers);
    plot.setBackground(t.window);
    plot.axisRect()->setBackground(t.plot);
    plot.axisRect()->setMinimumMargins(margins);
    const QFont small = plainAxisFont(plot);
    for (QCPAxis* a : {plot.xAxis, plot.yAxis}) {
        a->setVisible(visible);
        a->setBasePen(QPen(t.line));
        a->setTickPen(QPen(t.line));
        a->setSubTickPen(Qt::NoPen);
        a->setTickLabelColor(t.muted);
        a->setTickLabelFont(small);
        a->setLabelFont(small);
        a->setLabelColor(t.muted);
        a->grid()->setPen(QPen(t.line));
        a->grid()->setZeroLinePen(Qt::NoPen);
    }
}

}  // namespace nk
