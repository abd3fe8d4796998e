#include "app/plan/queue_bars.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "app/theme/theme.h"
#include "report/plan_json.h"

namespace nk {

namespace {
constexpr int kLeft = 150, kTop = 22, kLine = 30;
}

QueueBars::QueueBars(QWidget* parent) : QWidget(parent) {
    setObjectName("queueBars");
    setAccessibleName(tr("The queue as bars over hours"));
    setMinimumHeight(60);
    setFocusPolicy(Qt::StrongFocus);
    setToolTip(
        tr("Drag a bar to another channel or time; by keyboard the arrows choose a bar and "
           "with Ctrl they move it"));
}

void QueueBars::setNow(double now_s) {
    now_s_ = now_s;
    update();
}

double QueueBars::timeAt(double at) const {
    const double span = std::max(3600.0, plan_.finish_s - plan_.start_s);
    return plan_.start_s + (at - kLeft) / std::max(1, width() - kLeft - 12) * span;
}

int QueueBars::lineAt(double y) const {
    return std::clamp(static_cast<int>((y - kTop) / kLine), 0,
                      std::max(0, static_cast<int>(lines_.size()) - 1));
}

void QueueBars::put(const QueueStep& s, int line, double start_s) {
    if (line < 0 || line >= static_cast<int>(lines_.size())) return;
    const auto& [charger, channel] = lines_[static_cast<std::size_t>(line)];
    constexpr double kGrid_s = 300;
    Q_EMIT moved(s.module, s.link, charger, channel, std::round(start_s / kGrid_s) * kGrid_s);
}

void QueueBars::mousePressEvent(QMouseEvent* event) {
    dragged_ = chosen_ = -1;
    if (event->button() == Qt::LeftButton)
        for (std::size_t k = 0; k < plan_.steps.size(); ++k)
            if (movable(plan_.steps[k]) && barOf(plan_.steps[k]).contains(event->position())) {
                dragged_ = chosen_ = static_cast<int>(k);
                from_ = at_ = event->position();
            }
    update();
}

void QueueBars::mouseMoveEvent(QMouseEvent* event) {
    if (dragged_ < 0) return;
    at_ = event->position();
    update();
}

void QueueBars::mouseReleaseEvent(QMouseEvent* event) {
    if (dragged_ < 0) return;
    at_ = event->position();
    const QueueStep s = plan_.steps[static_cast<std::size_t>(dragged_)];
    dragged_ = -1;
    update();
    if ((at_ - from_).manhattanLength() < 4) return;
    put(s, lineAt(at_.y()), s.start_s + timeAt(at_.x()) - timeAt(from_.x()));
}

void QueueBars::keyPressEvent(QKeyEvent* event) {
    const bool left = event->key() == Qt::Key_Left;
    const bool right = event->key() == Qt::Key_Right;
    const bool up = event->key() == Qt::Key_Up;
    const bool down = event->key() == Qt::Key_Down;
    if (!left && !right && !up && !down) return QWidget::keyPressEvent(event);
    const int n = static_cast<int>(plan_.steps.size());
    if (event->modifiers() & Qt::ControlModifier) {
        if (chosen_ < 0 || chosen_ >= n) return;
        const QueueStep s = plan_.steps[static_cast<std::size_t>(chosen_)];
        if (!movable(s)) return;
        const auto at = std::ranges::find(lines_, std::pair(s.charger, s.channel));
        const int line = static_cast<int>(at - lines_.begin()) + (down ? 1 : up ? -1 : 0);
        constexpr double kStep_s = 900;
        put(s, line, s.start_s + (right ? kStep_s : left ? -kStep_s : 0));
        return;
    }
    const int step = left || up ? -1 : 1;
    for (int k = chosen_ < 0 ? (step > 0 ? 0 : n - 1) : chosen_ + step; k >= 0 && k < n; k += step)
        if (movable(plan_.steps[static_cast<std::size_t>(k)])) {
            chosen_ = k;
            break;
        }
    update();
}

void QueueBars::setPlan(const QueuePlan& plan, const QueueWish& wish) {
    plan_ = plan;
    wish_ = wish;
    dragged_ = -1;
    if (chosen_ >= static_cast<int>(plan_.steps.size())) chosen_ = -1;
    lines_.clear();
    for (std::size_t c = 0; c < wish_.chargers.size(); ++c)
        for (int k = 1; k <= wish_.chargers[c].channels; ++k)
            lines_.emplace_back(static_cast<int>(c), k);
    setMinimumHeight(kTop + kLine * static_cast<int>(lines_.size()) + 10);
    update();
}

double QueueBars::x(double at_s) const {
    const double span = std::max(3600.0, plan_.finish_s - plan_.start_s);
    return kLeft + (at_s - plan_.start_s) / span * (width() - kLeft - 12);
}

QRectF QueueBars::barOf(const QueueStep& s) const {
    const auto at = std::ranges::find(lines_, std::pair(s.charger, s.channel));
    if (at == lines_.end()) return {};
    const double y = kTop + kLine * static_cast<double>(at - lines_.begin()) + 4;
    return {x(s.start_s), y, std::max(2.0, x(s.end_s) - x(s.start_s)), kLine - 8.0};
}

void QueueBars::paintEvent(QPaintEvent*) {
    const Theme& t = currentTheme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    QFont small = font();
    small.setPixelSize(11);
    p.setFont(small);
    if (lines_.empty()) return;
    const QRectF ground(kLeft, kTop, width() - kLeft - 12,
                        kLine * static_cast<double>(lines_.size()));
    p.fillRect(ground, t.plot);
    // Hours in which nobody is there.
    if (!wish_.present.always()) {
        QColor shade = t.muted;
        shade.setAlphaF(0.22F);
        double at = plan_.start_s;
        while (at < plan_.finish_s) {
            const auto window = wish_.present.windowAt(at);
            if (window.first > at)
                p.fillRect(
                    QRectF(x(at), ground.top(), x(std::min(window.first, plan_.finish_s)) - x(at),
                           ground.height()),
                    shade);
            at = window.second + 1;
        }
    }
    // Days, or hours where it is short.
    const double span = plan_.finish_s - plan_.start_s;
    double step = 3600;
    for (const double s : {3600.0, 3 * 3600.0, 6 * 3600.0, 86400.0, 7 * 86400.0}) {
        step = s;
        if (span / s <= 12) break;
    }
    for (double at = std::ceil(plan_.start_s / step) * step; at <= plan_.finish_s; at += step) {
        p.setPen(t.line);
        p.drawLine(QPointF(x(at), ground.top()), QPointF(x(at), ground.bottom()));
        p.setPen(t.muted);
        const QString when = QString::fromStdString(localTime(at));
        p.drawText(QRectF(x(at) - 40, 2, 80, 16), Qt::AlignCenter,
                   step >= 86400 ? when.mid(5, 5) : when.mid(11, 5));
    }
    for (std::size_t k = 0; k < lines_.size(); ++k) {
        const auto& [charger, channel] = lines_[k];
        const ChargerCard& c = wish_.chargers[static_cast<std::size_t>(charger)];
        p.setPen(t.text);
        const QString name = QString::fromStdString(c.name) +
                             (c.channels > 1 ? QString(" · %1").arg(channel) : QString());
        p.drawText(QRectF(4, kTop + kLine * static_cast<double>(k), kLeft - 10, kLine),
                   Qt::AlignVCenter | Qt::AlignLeft,
                   p.fontMetrics().elidedText(name, Qt::ElideRight, kLeft - 12));
        p.setPen(t.line);
        p.drawLine(QPointF(kLeft, kTop + kLine * static_cast<double>(k + 1)),
                   QPointF(ground.right(), kTop + kLine * static_cast<double>(k + 1)));
    }
    for (const QueueStep& s : plan_.steps) {
        if (s.charger < 0) continue;
        const QRectF bar = barOf(s);
        // Told apart by a word and a pattern, not only by colour.
        const bool rest = s.what == "rest";
        const bool charge = s.what == "charge";
        const bool chosen = chosen_ >= 0 && &s == &plan_.steps[static_cast<std::size_t>(chosen_)];
        p.setPen(
            QPen(rest ? t.line : t.text, chosen ? 2.5 : 1, s.done ? Qt::DotLine : Qt::SolidLine));
        p.setBrush(rest     ? QBrush(t.line, Qt::BDiagPattern)
                   : charge ? QBrush(t.chargeBlock)
                            : QBrush(t.dischargeBlock, Qt::Dense4Pattern));
        p.drawRoundedRect(bar, 3, 3);
        if (rest || bar.width() < 34) continue;
        const QString name = QString::fromStdString(wish_.modules[s.module].name);
        p.setPen(t.text);
        p.drawText(bar.adjusted(4, 0, -2, 0), Qt::AlignVCenter | Qt::AlignLeft,
                   p.fontMetrics().elidedText((s.done   ? "✓ "
                                               : charge ? "↑ "
                                                        : "↓ ") +
                                                  name,
                                              Qt::ElideRight, static_cast<int>(bar.width()) - 6));
    }
    if (now_s_ > plan_.start_s && now_s_ < plan_.finish_s) {
        p.setPen(QPen(t.text, 1, Qt::DashLine));
        p.drawLine(QPointF(x(now_s_), ground.top() - 2), QPointF(x(now_s_), ground.bottom()));
    }
    if (dragged_ >= 0) {
        const QRectF bar = barOf(plan_.steps[static_cast<std::size_t>(dragged_)]);
        const double y = kTop + kLine * lineAt(at_.y()) + 4;
        p.setPen(QPen(t.text, 1.5, Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(bar.left() + at_.x() - from_.x(), y, bar.width(), bar.height()), 3,
                          3);
        p.drawText(QPointF(bar.left() + at_.x() - from_.x(), y - 2),
                   QString::fromStdString(localTime(timeAt(bar.left() + at_.x() - from_.x())))
                       .mid(5)
                       .replace('T', ' '));
    }
}

bool QueueBars::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        for (const QueueStep& s : plan_.steps) {
            if (s.charger < 0 || !barOf(s).contains(help->pos())) continue;
            // A name from a table is letters, never markup.
            QToolTip::showText(
                help->globalPos(),
                QString("<qt>%1: %2<br>%3 – %4</qt>")
                    .arg(QString::fromStdString(wish_.modules[s.module].name).toHtmlEscaped(),
                         s.what == "charge"      ? tr("charge")
                         : s.what == "discharge" ? tr("discharge")
                                                 : tr("rest"),
                         QString::fromStdString(localTime(s.start_s)),
                         QString::fromStdString(localTime(s.end_s))),
                this);
            return true;
        }
        QToolTip::hideText();
        return true;
    }
    return QWidget::event(event);
}

}  // namespace nk
