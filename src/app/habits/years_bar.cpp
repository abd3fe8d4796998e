#include "app/habits/years_bar.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/theme/theme.h"

namespace nk {

YearsBar::YearsBar(QWidget* parent) : QWidget(parent) {
    setObjectName("yearsBar");
    setMinimumHeight(70);
}

void YearsBar::setFigures(const HabitFigures& figures, double most) {
    figures_ = figures;
    most_ = std::max(most, 1.0);
    setAccessibleName(figures.years);
    setToolTip(figures.why);
    update();
}

void YearsBar::paintEvent(QPaintEvent*) {
    const Theme& t = currentTheme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    QFont small = font();
    small.setPixelSize(10);
    p.setFont(small);
    const double left = 6;
    const double right = width() - 10.0;
    const double y = 22;
    const auto x = [&](double years) {
        return left + std::clamp(years / most_, 0.0, 1.0) * (right - left);
    };
    // The scale: whole years that leave room for their figures.
    double step = 1;
    for (const double s : {1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0}) {
        step = s;
        if (most_ / s <= 8) break;
    }
    p.setPen(t.line);
    p.drawLine(QPointF(left, y + 14), QPointF(right, y + 14));
    for (double k = 0; k <= most_ + 1e-9; k += step) {
        p.setPen(t.line);
        p.drawLine(QPointF(x(k), y + 11), QPointF(x(k), y + 17));
        p.setPen(t.muted);
        p.drawText(QRectF(x(k) - 14, y + 18, 28, 14), Qt::AlignCenter, QString::number(k));
    }
    if (!std::isfinite(figures_.low)) return;
    QColor range = t.charge;
    range.setAlphaF(0.3F);
    p.setPen(Qt::NoPen);
    p.setBrush(range);
    p.drawRoundedRect(
        QRectF(x(figures_.low), y - 4, std::max(3.0, x(figures_.high) - x(figures_.low)), 12), 3,
        3);
    int index = 0;
    for (const auto& mark : figures_.marks) {
        const int place = index++;
        if (!std::isfinite(mark.years)) continue;
        const double at = x(mark.years);
        p.setPen(QPen(t.text, 2));
        p.drawLine(QPointF(at, y - 6), QPointF(at, y + 10));
        p.setPen(t.text);
        // One name over the other where they would meet.
        const QString name = mark.extrapolated ? "≈ " + mark.school : mark.school;
        const double w = p.fontMetrics().horizontalAdvance(name) + 4.0;
        const double from = std::clamp(at - w / 2, 0.0, std::max(0.0, width() - w));
        if (place == 0)
            p.drawText(QRectF(from, 0, w, 14), Qt::AlignCenter, name);
        else
            p.drawText(QRectF(from, y + 30, w, 14), Qt::AlignCenter, name);
    }
}

}  // namespace nk
