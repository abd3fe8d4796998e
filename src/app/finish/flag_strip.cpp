#include "app/finish/flag_strip.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "app/theme/theme.h"

namespace nk {

namespace {
constexpr int kRow = 21;
constexpr int kRows = 4;
}  // namespace

FlagStrip::FlagStrip(QWidget* parent) : QWidget(parent) {
    setObjectName("flagStrip");
    setFixedHeight(kRows * kRow + 4);
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Stop rules as flags on the time axis"));
    setToolTip(" ");
}

void FlagStrip::setFlags(std::vector<Flag> flags) {
    flags_ = std::move(flags);
    arrange();
    update();
}

void FlagStrip::setView(double low_s, double high_s, int left, int right) {
    scale_ = TimeScale::over(low_s, high_s, left, right);
    arrange();
    update();
}

void FlagStrip::setFull(double time_s, const QString& words) {
    full_s_ = time_s;
    fullWords_ = words;
    update();
}

void FlagStrip::select(int rule) {
    selected_ = rule;
    for (const Flag& f : flags_)
        if (f.rule == rule) setAccessibleDescription(f.label + ", " + f.tip);
    update();
}

QRect FlagStrip::flagRect(int rule) const {
    for (std::size_t k = 0; k < flags_.size(); ++k)
        if (flags_[k].rule == rule) return places_[k].box;
    return {};
}

void FlagStrip::arrange() {
    places_.assign(flags_.size(), {});
    QFont f = font();
    f.setPixelSize(12);
    f.setWeight(QFont::Medium);
    const QFontMetrics metrics(f);
    std::vector<std::size_t> order(flags_.size());
    for (std::size_t k = 0; k < order.size(); ++k) order[k] = k;
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        const bool fa = std::isfinite(flags_[a].time_s);
        const bool fb = std::isfinite(flags_[b].time_s);
        return fa != fb ? fa : fa && flags_[a].time_s < flags_[b].time_s;
    });
    // From the earliest to the latest, each in the first row where its pennant covers no other; it
    // flies to the left of its stem when there is no room at the right. Rules that do not fire are
    // parked at the left edge.
    std::vector<std::vector<QRect>> rows(kRows);
    int parked = 0;
    for (const std::size_t k : order) {
        const int width = metrics.horizontalAdvance(flags_[k].label) + 12;
        const bool standing = std::isfinite(flags_[k].time_s) && scale_.holds(flags_[k].time_s);
        const int x =
            standing ? static_cast<int>(std::lround(scale_.xOf(flags_[k].time_s))) : scale_.left;
        const bool leftwards = standing && x + width > scale_.right;
        QRect box(leftwards ? x - width : x, 0, width, kRow - 3);
        int row = -1;
        for (int r = 0; r < kRows && row < 0; ++r) {
            const QRect there = box.translated(0, r * kRow);
            const bool free = std::none_of(
                rows[static_cast<std::size_t>(r)].begin(), rows[static_cast<std::size_t>(r)].end(),
                [&](const QRect& other) { return other.adjusted(-3, 0, 3, 0).intersects(there); });
            if (free) row = r;
        }
        if (row < 0) row = parked++ % kRows;
        box.translate(0, row * kRow);
        rows[static_cast<std::size_t>(row)].push_back(box);
        places_[k] = {box, standing ? x : -1};
    }
}

int FlagStrip::flagAt(const QPoint& p) const {
    for (std::size_t k = 0; k < places_.size(); ++k)
        if (places_[k].box.adjusted(-2, -1, 2, 1).contains(p)) return static_cast<int>(k);
    return -1;
}

void FlagStrip::paintEvent(QPaintEvent*) {
    const Theme& t = currentTheme();
    QPainter p(this);
    p.fillRect(rect(), t.window);
    p.setRenderHint(QPainter::Antialiasing);
    QFont f = font();
    f.setPixelSize(12);
    f.setWeight(QFont::Medium);
    p.setFont(f);
    if (std::isfinite(full_s_) && scale_.holds(full_s_)) {
        p.setPen(QPen(t.accent, 1, Qt::DashLine));
        p.drawLine(QPointF(scale_.xOf(full_s_), 0), QPointF(scale_.xOf(full_s_), height()));
    }
    for (std::size_t k = 0; k < flags_.size(); ++k) {
        const Flag& flag = flags_[k];
        const Place& place = places_[k];
        const bool chosen = flag.rule == selected_;
        const bool standing = place.stem >= 0;
        if (standing) {
            p.setPen(QPen(chosen ? t.accent : t.muted, chosen ? 2 : 1));
            p.drawLine(place.stem, place.box.top(), place.stem, height());
        }
        // A pennant: a box with a slanted free end. Parked rules have a dotted outline only.
        const QRectF b = QRectF(place.box).adjusted(0.5, 0.5, -0.5, -0.5);
        const bool leftwards = standing && place.stem >= place.box.right();
        QPolygonF shape;
        if (leftwards)
            shape << b.topRight() << QPointF(b.left(), b.top()) << QPointF(b.left() + 4, b.bottom())
                  << b.bottomRight();
        else
            shape << b.topLeft() << QPointF(b.right(), b.top())
                  << QPointF(b.right() - 4, b.bottom()) << b.bottomLeft();
        p.setBrush(!standing ? QBrush(Qt::NoBrush) : flag.best ? QBrush(t.accent) : QBrush(t.card));
        p.setPen(QPen(chosen ? t.accent : t.muted, chosen ? 2 : 1,
                      standing ? Qt::SolidLine : Qt::DotLine));
        p.drawPolygon(shape);
        p.setPen(standing && flag.best ? t.onAccent : standing ? t.text : t.muted);
        p.drawText(b, Qt::AlignCenter, flag.label);
    }
    if (hasFocus()) {
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(t.accent, 1, Qt::DotLine));
        p.drawRect(QRect(scale_.left, 0, scale_.right - scale_.left, height() - 1));
    }
}

void FlagStrip::mousePressEvent(QMouseEvent* event) {
    const int index = flagAt(event->position().toPoint());
    if (index < 0 || event->button() != Qt::LeftButton) return;
    const Flag& flag = flags_[static_cast<std::size_t>(index)];
    select(flag.rule);
    Q_EMIT flagSelected(flag.rule);
    if (!flag.movable) return;
    dragged_ = flag.rule;
    moved_ = false;
    const int stem = places_[static_cast<std::size_t>(index)].stem;
    grab_ = stem >= 0 ? event->position().x() - stem : 0;
}

void FlagStrip::mouseMoveEvent(QMouseEvent* event) {
    if (dragged_ < 0) {
        const int index = flagAt(event->position().toPoint());
        const bool movable = index >= 0 && flags_[static_cast<std::size_t>(index)].movable;
        setCursor(movable ? Qt::SizeHorCursor : Qt::ArrowCursor);
        return;
    }
    moved_ = true;
    Q_EMIT flagDragged(dragged_, std::clamp(scale_.timeAt(event->position().x() - grab_),
                                            scale_.low_s(), scale_.high_s()));
}

void FlagStrip::mouseReleaseEvent(QMouseEvent*) {
    if (dragged_ >= 0 && moved_) Q_EMIT flagDropped(dragged_);
    dragged_ = -1;
}

void FlagStrip::keyPressEvent(QKeyEvent* event) {
    if (flags_.empty()) return QWidget::keyPressEvent(event);
    int at = -1;
    for (std::size_t k = 0; k < flags_.size(); ++k)
        if (flags_[k].rule == selected_) at = static_cast<int>(k);
    const int count = static_cast<int>(flags_.size());
    switch (event->key()) {
        case Qt::Key_Down:
        case Qt::Key_Up: {
            const int next =
                at < 0 ? 0 : (at + (event->key() == Qt::Key_Down ? 1 : count - 1)) % count;
            select(flags_[static_cast<std::size_t>(next)].rule);
            Q_EMIT flagSelected(selected_);
            return;
        }
        case Qt::Key_Left:
        case Qt::Key_Right: {
            if (at < 0 || !flags_[static_cast<std::size_t>(at)].movable) return;
            const double now = flags_[static_cast<std::size_t>(at)].time_s;
            const double part = (event->modifiers() & Qt::ShiftModifier ? 0.002 : 0.01) *
                                (event->key() == Qt::Key_Right ? 1 : -1);
            const double from = std::isfinite(now) ? now : scale_.high_s();
            Q_EMIT flagDragged(
                selected_, std::clamp(scale_.shifted(from, part), scale_.low_s(), scale_.high_s()));
            Q_EMIT flagDropped(selected_);
            return;
        }
        default:
            QWidget::keyPressEvent(event);
    }
}

void FlagStrip::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    arrange();
}

bool FlagStrip::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const int index = flagAt(help->pos());
        if (index < 0)
            QToolTip::hideText();
        else
            QToolTip::showText(help->globalPos(), flags_[static_cast<std::size_t>(index)].tip,
                               this);
        return true;
    }
    return QWidget::event(event);
}

}  // namespace nk
