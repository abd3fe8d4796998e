#include "app/bench/live_lanes.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/theme/theme.h"
#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr int kLeft = 64, kRight = 12, kBottom = 22;

/// A round step so that about `count` of them make up the span.
double niceStep(double span, int count) {
    const double raw = std::max(span, 1e-9) / count;
    const double power = std::pow(10, std::floor(std::log10(raw)));
    for (const double m : {1.0, 2.0, 5.0, 10.0})
        if (m * power >= raw) return m * power;
    return 10 * power;
}

struct Range {
    double low = 1e300, high = -1e300;
    void take(double x) {
        if (!std::isfinite(x)) return;
        low = std::min(low, x);
        high = std::max(high, x);
    }
    bool any() const { return high >= low; }
    void widen(double least) {
        const double middle = 0.5 * (low + high);
        const double half = std::max(0.54 * (high - low), 0.5 * least);
        low = middle - half;
        high = middle + half;
    }
};

}  // namespace

LiveLanes::LiveLanes(Size size, QWidget* parent) : QWidget(parent), size_(size) {
    setObjectName(size == Size::Full ? "liveLanes" : "liveStripCurve");
    setAccessibleName(tr("The living curve"));
    if (size == Size::Full) setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(size == Size::Full ? 240 : 46);
}

QSize LiveLanes::sizeHint() const {
    return size_ == Size::Full ? QSize(700, 420) : QSize(180, 52);
}

void LiveLanes::setChannel(std::weak_ptr<const LiveChannel> channel) {
    // A picture costs with the rows in it: at most a twentieth of the time goes into it.
    const auto now = channel.lock();
    const bool same = now != nullptr && channel_.lock() == now;
    channel_ = std::move(channel);
    constexpr qint64 kShare = 20;
    if (same && painted_.isValid() && painted_.elapsed() < kShare * cost_ms_) return;
    update();
}

void LiveLanes::setSpan(double span_s) {
    span_s_ = span_s;
    update();
}

void LiveLanes::setVoltageRule(double volts) {
    rule_V_ = volts;
    update();
}

double LiveLanes::voltsAt(double y) const {
    return low_V_ + (volts_.bottom() - y) / std::max(1.0, volts_.height()) * (high_V_ - low_V_);
}

void LiveLanes::mousePressEvent(QMouseEvent* event) {
    if (size_ != Size::Full || !std::isfinite(rule_V_)) return QWidget::mousePressEvent(event);
    const double y = volts_.bottom() - (rule_V_ - low_V_) / (high_V_ - low_V_) * volts_.height();
    dragging_ = std::abs(event->position().y() - y) < 8;
}

void LiveLanes::mouseMoveEvent(QMouseEvent* event) {
    if (!dragging_) return;
    rule_V_ = std::round(voltsAt(event->position().y()) * 100) / 100;
    update();
}

void LiveLanes::mouseReleaseEvent(QMouseEvent*) {
    if (!dragging_) return;
    dragging_ = false;
    Q_EMIT ruleDragged(rule_V_);
}

void LiveLanes::keyPressEvent(QKeyEvent* event) {
    const bool up = event->key() == Qt::Key_Up;
    if (!std::isfinite(rule_V_) || (!up && event->key() != Qt::Key_Down))
        return QWidget::keyPressEvent(event);
    rule_V_ += up ? 0.01 : -0.01;
    update();
    Q_EMIT ruleDragged(rule_V_);
}

void LiveLanes::paintEvent(QPaintEvent*) {
    struct Cost {
        LiveLanes& lanes;
        QElapsedTimer taken;
        ~Cost() {
            lanes.cost_ms_ = taken.elapsed();
            lanes.painted_.start();
        }
    } cost{*this, {}};
    cost.taken.start();
    const Theme& t = currentTheme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const bool full = size_ == Size::Full;
    QFont small = font();
    small.setPixelSize(11);
    p.setFont(small);
    if (full) p.fillRect(rect(), t.plot);
    const auto channel = channel_.lock();
    if (channel == nullptr || channel->rows() < 2) {
        if (full) {
            p.setPen(t.muted);
            p.drawText(rect(), Qt::AlignCenter, tr("The curve begins with the first rows."));
        }
        return;
    }
    const double to = channel->now_s();
    const double from = span_s_ > 0 ? std::max(0.0, to - span_s_) : 0;
    const LiveCurve curve =
        channel->curve(from, to, static_cast<std::size_t>(std::max(100, 2 * width())));
    if (curve.time_s.size() < 2) return;
    const double left = full ? kLeft : 1;
    const double right = width() - (full ? kRight : 1);
    const double span = std::max(1.0, to - from);
    const auto x = [&](double time_s) { return left + (time_s - from) / span * (right - left); };

    struct Lane {
        const std::vector<double>* values;
        QColor colour;
        QString title;
        double least;
    };
    std::vector<Lane> lanes = {{&curve.voltage_V, t.voltage, tr("V"), 0.02}};
    if (full) {
        lanes.push_back({&curve.current_A, t.current, tr("A"), 0.05});
        if (std::ranges::any_of(curve.temperature_C, [](double c) { return std::isfinite(c); }))
            lanes.push_back({&curve.temperature_C, t.temperature, tr("°C"), 2});
    }
    const double bottom = height() - (full ? kBottom : 1);
    const double each = (bottom - 4) / static_cast<double>(lanes.size());
    for (std::size_t k = 0; k < lanes.size(); ++k) {
        const Lane& lane = lanes[k];
        const QRectF area(left, 4 + each * static_cast<double>(k), right - left,
                          each - (full ? 10 : 0));
        Range range;
        for (const double v : *lane.values) range.take(v);
        if (k == 0 && full && std::isfinite(rule_V_)) range.take(rule_V_);
        if (!range.any()) continue;
        range.widen(lane.least);
        if (k == 0) {
            volts_ = area;
            low_V_ = range.low;
            high_V_ = range.high;
        }
        const auto y = [&](double v) {
            return area.bottom() - (v - range.low) / (range.high - range.low) * area.height();
        };
        if (full) {
            const double step = niceStep(range.high - range.low, 3);
            const int digits = std::max(0, static_cast<int>(std::ceil(-std::log10(step) - 1e-9)));
            for (double v = std::ceil(range.low / step) * step; v < range.high; v += step) {
                p.setPen(t.line);
                p.drawLine(QPointF(left, y(v)), QPointF(right, y(v)));
                p.setPen(t.muted);
                p.drawText(QRectF(0, y(v) - 8, left - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                           QString::fromStdString(fixed(v, digits)));
            }
            p.setPen(lane.colour);
            p.drawText(QRectF(2, area.top(), 30, 16), Qt::AlignLeft | Qt::AlignTop, lane.title);
        }
        QPainterPath path;
        bool pen = false;
        double before = 0;
        const double hole = std::max(30.0, 20 * span / static_cast<double>(curve.time_s.size()));
        for (std::size_t i = 0; i < curve.time_s.size(); ++i) {
            const double v = (*lane.values)[i];
            if (!std::isfinite(v)) {
                pen = false;
                continue;
            }
            const QPointF at(x(curve.time_s[i]), y(v));
            if (pen && curve.time_s[i] - before < hole)
                path.lineTo(at);
            else
                path.moveTo(at);
            pen = true;
            before = curve.time_s[i];
        }
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(lane.colour, full ? 1.2 : 1.4));
        p.drawPath(path);
        if (k == 0 && full && std::isfinite(rule_V_)) {
            p.setPen(QPen(t.hazard, 1.4, Qt::DashLine));
            p.drawLine(QPointF(left, y(rule_V_)), QPointF(right, y(rule_V_)));
            p.setPen(t.text);
            p.drawText(QRectF(left + 6, y(rule_V_) - 17, 260, 16), Qt::AlignLeft,
                       QString::fromStdString(phrase("stop at {:.2f} V", rule_V_)));
        }
    }
    if (!full) return;
    const double unit = span > 7200 ? 3600 : 60;
    const double step = niceStep(span / unit, 6);
    const int digits = std::max(0, static_cast<int>(std::ceil(-std::log10(step) - 1e-9)));
    p.setPen(t.muted);
    for (double m = std::ceil(from / unit / step) * step; m * unit <= to; m += step)
        p.drawText(QRectF(x(m * unit) - 30, bottom + 2, 60, 16), Qt::AlignCenter,
                   QString::fromStdString(fixed(m, digits)));
    p.drawText(QRectF(2, bottom + 2, left - 8, 16), Qt::AlignLeft,
               unit > 60 ? tr("hours") : tr("minutes"));
}

}  // namespace nk
