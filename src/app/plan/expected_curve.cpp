#include "app/plan/expected_curve.h"

#include <cmath>

#include "app/plot/plain_axes.h"
#include "app/theme/theme.h"

namespace nk {

ExpectedCurve::ExpectedCurve(QWidget* parent) : QCustomPlot(parent) {
    setObjectName("expectedCurve");
    setAccessibleName(tr("The expected curve"));
    setFixedHeight(170);
    setFocusPolicy(Qt::NoFocus);
}

void ExpectedCurve::setStep(const PredictedStep& step) {
    step_ = step;
    redraw();
}

void ExpectedCurve::redraw() {
    clearItems();
    clearPlottables();
    const Theme& t = currentTheme();
    stylePlainAxes(*this, QMargins(62, 8, 16, 38));
    const QFont small = plainAxisFont(*this);
    QVector<double> minutes;
    for (const double s : step_.time_s) minutes << s / 60;
    QCPGraph* graph = addGraph();
    graph->setPen(QPen(t.voltage, 1.6));
    graph->setData(minutes, QVector<double>(step_.voltage_V.begin(), step_.voltage_V.end()), true);
    rescaleAxes();
    yAxis->scaleRange(1.15);
    xAxis->setRange(0, 1.04 * xAxis->range().upper);
    const auto line = [&](double at, const QString& words) {
        auto* l = new QCPItemStraightLine(this);
        l->point1->setCoords(at / 60, 0);
        l->point2->setCoords(at / 60, 1);
        l->setPen(QPen(t.muted, 1, Qt::DashLine));
        auto* text = new QCPItemText(this);
        text->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
        text->position->setCoords(at / 60, 0.97);
        text->setPositionAlignment(Qt::AlignRight | Qt::AlignBottom);
        text->setFont(small);
        text->setColor(t.text);
        text->setText(words + " ");
    };
    if (std::isfinite(step_.knee_s)) line(step_.knee_s, tr("knee"));
    if (std::isfinite(step_.duration_s)) line(step_.duration_s, tr("end"));
    xAxis->setLabel(tr("minutes"));
    yAxis->setLabel(tr("V a cell"));
    replot();
}

}  // namespace nk
