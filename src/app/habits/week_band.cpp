#include "app/habits/week_band.h"

#include <QKeyEvent>
#include <QLocale>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/theme/theme.h"
#include "quantity/phrase.h"

namespace nk {

WeekBand::WeekBand(QWidget* parent) : QWidget(parent) {
    setObjectName("weekBand");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumSize(200, 96);
    setToolTip(
        tr("Charge level over a week. Drag the upper edge, or press up and down: the target "
           "of the charge."));
}

QRect WeekBand::bandRect() const {
    return rect().adjusted(34, 6, -4, -18);
}

void WeekBand::setLoad(const HabitLoad& load, double target_V, const Chemistry& chemistry) {
    load_ = load;
    target_V_ = target_V;
    chemistry_ = &chemistry;
    setAccessibleName(tr("A week of charge level, target %1 V a cell")
                          .arg(QString::fromStdString(phrase("{:.2f}", target_V))));
    update();
}

void WeekBand::paintEvent(QPaintEvent*) {
    const Theme& t = currentTheme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRect band = bandRect();
    p.fillRect(band, t.plot);
    QFont small = font();
    small.setPixelSize(10);
    p.setFont(small);
    const auto y = [&](double soc) { return band.bottom() - soc * band.height(); };
    const auto x = [&](double minutes) {
        return band.left() + minutes / (7 * 1440.0) * band.width();
    };
    p.setPen(t.line);
    for (const int percent : {0, 50, 100}) {
        const double at = y(percent / 100.0);
        p.setPen(t.line);
        p.drawLine(QPointF(band.left(), at), QPointF(band.right(), at));
        p.setPen(t.muted);
        p.drawText(QRectF(0, at - 7, 31, 14), Qt::AlignRight | Qt::AlignVCenter,
                   QString("%1 %").arg(percent));
    }
    const QLocale words;
    for (int d = 0; d < 7; ++d) {
        p.setPen(t.line);
        p.drawLine(QPointF(x(d * 1440.0), band.top()), QPointF(x(d * 1440.0), band.bottom()));
        p.setPen(t.muted);
        p.drawText(QRectF(x(d * 1440.0), band.bottom() + 2, x(1440) - x(0), 14), Qt::AlignCenter,
                   words.dayName(d + 1, QLocale::NarrowFormat));
    }
    if (!load_.week.empty()) {
        QPainterPath path(QPointF(band.left(), band.bottom()));
        double minutes = 0;
        path.lineTo(x(0), y(load_.week.front().soc));
        for (const HabitStretch& s : load_.week) {
            path.lineTo(x(minutes), y(s.soc));
            minutes += s.minutes;
            path.lineTo(x(minutes), y(s.soc_end));
        }
        path.lineTo(x(minutes), band.bottom());
        QColor fill = t.charge;
        fill.setAlphaF(0.28F);
        p.fillPath(path, fill);
        p.setPen(QPen(t.charge, 1.4));
        p.drawPath(path);
    }
    // The edge that can be taken hold of.
    const double edge = y(load_.targetSoc);
    p.setPen(
        QPen(hasFocus() || held_ ? t.accent : t.text, hasFocus() || held_ ? 2 : 1, Qt::DashLine));
    p.drawLine(QPointF(band.left(), edge), QPointF(band.right(), edge));
    const QPointF grip(band.center().x(), edge);
    p.setPen(Qt::NoPen);
    p.setBrush(hasFocus() || held_ ? t.accent : t.text);
    p.drawRoundedRect(QRectF(grip.x() - 12, grip.y() - 2.5, 24, 5), 2.5, 2.5);
}

void WeekBand::offer(double volts) {
    if (chemistry_ == nullptr) return;
    const double wanted =
        std::clamp(std::round(volts * 100) / 100, chemistry_->nominal_V - 0.05, chemistry_->set_V);
    if (std::abs(wanted - target_V_) > 1e-6) Q_EMIT targetDragged(wanted);
}

void WeekBand::dragTo(double y) {
    if (chemistry_ == nullptr) return;
    const QRect band = bandRect();
    const double soc = std::clamp((band.bottom() - y) / std::max(1, band.height()), 0.05, 1.0);
    const double full = chemistry_->fullSoc;
    offer(soc >= 0.995 ? chemistry_->set_V : chemistry_->ocv.voltage_V(soc * full));
}

void WeekBand::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton ||
        !bandRect().adjusted(0, -6, 0, 0).contains(event->pos()))
        return;
    held_ = true;
    dragTo(event->position().y());
    update();
}

void WeekBand::mouseMoveEvent(QMouseEvent* event) {
    const QRect band = bandRect();
    const double edge = band.bottom() - load_.targetSoc * band.height();
    setCursor(std::abs(event->position().y() - edge) < 6 ? Qt::SizeVerCursor : Qt::ArrowCursor);
    if (held_) dragTo(event->position().y());
}

void WeekBand::mouseReleaseEvent(QMouseEvent*) {
    held_ = false;
    update();
}

void WeekBand::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Up)
        offer(target_V_ + 0.01);
    else if (event->key() == Qt::Key_Down)
        offer(target_V_ - 0.01);
    else
        QWidget::keyPressEvent(event);
}

}  // namespace nk
