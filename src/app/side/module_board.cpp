#include "app/side/module_board.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/theme/theme.h"
#include "quantity/format.h"

namespace nk {

namespace {
constexpr int kTileWidth = 104, kTileHeight = 44, kGap = 6, kHead = 150;
}

ModuleBoard::ModuleBoard(QWidget* parent) : QWidget(parent) {
    setObjectName("moduleBoard");
    setAccessibleName(
        tr("Modules in their groups; Enter picks one up, Enter on another exchanges them"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    QSizePolicy policy(QSizePolicy::Expanding, QSizePolicy::Preferred);
    policy.setHeightForWidth(true);
    setSizePolicy(policy);
}

void ModuleBoard::setMatching(const std::vector<MatchModule>& modules, const Matching& matching) {
    modules_ = modules;
    groups_.clear();
    for (const MatchGroup& g : matching.groups) groups_.push_back(g.modules);
    spares_ = matching.spares;
    spares_.insert(spares_.end(), matching.setApart.begin(), matching.setApart.end());
    largest_Ah_ = largest_ohm_ = 0;
    for (const MatchModule& m : modules_) {
        largest_Ah_ = std::max(largest_Ah_, m.capacity_Ah);
        if (m.resistance_ohm > 0) largest_ohm_ = std::max(largest_ohm_, m.resistance_ohm);
    }
    held_ = -1;
    current_ = groups_.empty() || groups_.front().empty() ? -1 : groups_.front().front();
    setMinimumHeight(layOut(width()));
    update();
}

int ModuleBoard::layOut(int width) {
    places_.clear();
    heads_.clear();
    const int columns = std::max(1, (width - kHead - kGap) / (kTileWidth + kGap));
    int y = kGap;
    const auto row = [&](const std::vector<int>& modules) {
        const int lines = std::max(1, (static_cast<int>(modules.size()) + columns - 1) / columns);
        heads_.emplace_back(kGap, y, kHead - 2 * kGap, lines * (kTileHeight + kGap));
        for (std::size_t k = 0; k < modules.size(); ++k) {
            const int n = static_cast<int>(k);
            places_.push_back({modules[k], QRect(kHead + (n % columns) * (kTileWidth + kGap),
                                                 y + (n / columns) * (kTileHeight + kGap),
                                                 kTileWidth, kTileHeight)});
        }
        y += lines * (kTileHeight + kGap) + kGap;
    };
    meanGroup_Ah_ = 0;
    for (const auto& g : groups_) {
        row(g);
        for (const int m : g) meanGroup_Ah_ += modules_[static_cast<std::size_t>(m)].capacity_Ah;
    }
    if (!groups_.empty()) meanGroup_Ah_ /= static_cast<double>(groups_.size());
    if (!spares_.empty()) row(spares_);
    return y;
}

int ModuleBoard::heightForWidth(int width) const {
    return const_cast<ModuleBoard*>(this)->layOut(width);
}

void ModuleBoard::resizeEvent(QResizeEvent*) {
    setMinimumHeight(layOut(width()));
}

QRect ModuleBoard::tile(int module) const {
    for (const Place& p : places_)
        if (p.module == module) return p.rect;
    return {};
}

int ModuleBoard::moduleAt(const QPoint& at) const {
    for (const Place& p : places_)
        if (p.rect.contains(at)) return p.module;
    return -1;
}

int& ModuleBoard::slotOf(int module) {
    for (auto& g : groups_)
        for (int& m : g)
            if (m == module) return m;
    return *std::ranges::find(spares_, module);
}

void ModuleBoard::exchange(int a, int b) {
    if (a < 0 || b < 0 || a == b) return;
    int& x = slotOf(a);
    int& y = slotOf(b);
    std::swap(x, y);
    layOut(width());
    update();
    Q_EMIT changed();
}

QString ModuleBoard::figuresOf(std::size_t group) const {
    double sum = 0;
    double siemens = 0;
    for (const int m : groups_[group]) {
        sum += modules_[static_cast<std::size_t>(m)].capacity_Ah;
        siemens += 1 / modules_[static_cast<std::size_t>(m)].resistance_ohm;
    }
    const double off_mAh = 1000 * (sum - meanGroup_Ah_);
    QString words =
        QString::fromStdString(fixed(sum, 3, currentStyle())) + QChar(0x202f) + "Ah  " +
        (std::abs(off_mAh) < 0.5 ? QString("±0")
                                 : (off_mAh > 0 ? "+" : "") +
                                       QString::fromStdString(fixed(off_mAh, 0, currentStyle()))) +
        QChar(0x202f) + "mAh";
    if (siemens > 0 && std::isfinite(siemens))
        words += "\n" + QString::fromStdString(shortValue(1 / siemens, "ohm"));
    return words;
}

void ModuleBoard::paintEvent(QPaintEvent*) {
    const Theme& t = currentTheme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    QFont plain = font();
    plain.setPixelSize(12);
    QFont strong = plain;
    strong.setWeight(QFont::DemiBold);
    for (std::size_t k = 0; k < heads_.size(); ++k) {
        const QRect& r = heads_[k];
        p.setPen(t.text);
        p.setFont(strong);
        const bool spare = k >= groups_.size();
        p.drawText(r, Qt::AlignLeft | Qt::AlignTop,
                   spare ? tr("Spares") : tr("Group %1").arg(k + 1));
        if (spare) continue;
        p.setFont(plain);
        p.setPen(t.muted);
        p.drawText(r.adjusted(0, 16, 0, 0), Qt::AlignLeft | Qt::AlignTop, figuresOf(k));
    }
    const auto draw = [&](int module, const QRect& r, bool lifted) {
        const MatchModule& m = modules_[static_cast<std::size_t>(module)];
        p.setPen(QPen(lifted || module == held_          ? t.accent
                      : module == current_ && hasFocus() ? t.text
                                                         : t.line,
                      module == current_ && hasFocus() ? 1.6 : 1.0));
        p.setBrush(t.card);
        p.drawRoundedRect(r, 5, 5);
        p.setFont(plain);
        p.setPen(t.text);
        p.drawText(r.adjusted(6, 3, -6, 0), Qt::AlignLeft | Qt::AlignTop,
                   p.fontMetrics().elidedText(QString::fromStdString(m.name), Qt::ElideRight,
                                              r.width() - 12));
        const auto bar = [&](int y, double share, const QColor& colour) {
            p.setPen(Qt::NoPen);
            p.setBrush(t.line);
            p.drawRoundedRect(QRect(r.left() + 6, r.top() + y, r.width() - 12, 4), 2, 2);
            p.setBrush(colour);
            p.drawRoundedRect(QRectF(r.left() + 6, r.top() + y,
                                     (r.width() - 12) * std::clamp(share, 0.02, 1.0), 4),
                              2, 2);
        };
        if (largest_Ah_ > 0) bar(24, m.capacity_Ah / largest_Ah_, t.charge);
        if (m.resistance_ohm > 0 && largest_ohm_ > 0)
            bar(33, m.resistance_ohm / largest_ohm_, t.current);
    };
    for (const Place& place : places_)
        if (!(dragging_ && place.module == held_)) draw(place.module, place.rect, false);
    if (dragging_ && held_ >= 0)
        draw(held_,
             QRect(pointer_ - QPoint(kTileWidth / 2, kTileHeight / 2),
                   QSize(kTileWidth, kTileHeight)),
             true);
}

void ModuleBoard::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    held_ = moduleAt(event->pos());
    // A click beside the tiles leaves the keyboard where it was.
    if (held_ >= 0) current_ = held_;
    pointer_ = event->pos();
    dragging_ = held_ >= 0;
    update();
}

void ModuleBoard::mouseMoveEvent(QMouseEvent* event) {
    if (dragging_) {
        pointer_ = event->pos();
        update();
        return;
    }
    const int over = moduleAt(event->pos());
    if (over < 0) {
        setToolTip({});
        return;
    }
    const MatchModule& m = modules_[static_cast<std::size_t>(over)];
    setToolTip(QString::fromStdString(
        m.name + "\n" + shortValue(m.capacity_Ah, "Ah") +
        (m.resistance_ohm > 0 ? " · " + shortValue(m.resistance_ohm, "ohm") : "")));
}

void ModuleBoard::mouseReleaseEvent(QMouseEvent* event) {
    if (!dragging_) return;
    dragging_ = false;
    const int from = std::exchange(held_, -1);
    exchange(from, moduleAt(event->pos()));
    update();
}

void ModuleBoard::keyPressEvent(QKeyEvent* event) {
    const auto at = std::ranges::find(places_, current_, &Place::module);
    if (at == places_.end()) return QWidget::keyPressEvent(event);
    const auto nearest = [&](const QPoint& from, auto fits) {
        const Place* best = nullptr;
        for (const Place& p : places_)
            if (fits(p.rect.center()) &&
                (best == nullptr || (p.rect.center() - from).manhattanLength() <
                                        (best->rect.center() - from).manhattanLength()))
                best = &p;
        if (best != nullptr) current_ = best->module;
    };
    const QPoint here = at->rect.center();
    switch (event->key()) {
        case Qt::Key_Left:
            nearest(here, [&](const QPoint& c) { return c.y() == here.y() && c.x() < here.x(); });
            break;
        case Qt::Key_Right:
            nearest(here, [&](const QPoint& c) { return c.y() == here.y() && c.x() > here.x(); });
            break;
        case Qt::Key_Up:
            nearest(here, [&](const QPoint& c) { return c.y() < here.y(); });
            break;
        case Qt::Key_Down:
            nearest(here, [&](const QPoint& c) { return c.y() > here.y(); });
            break;
        case Qt::Key_Return:
        case Qt::Key_Enter:
        case Qt::Key_Space:
            if (held_ < 0)
                held_ = current_;
            else
                exchange(std::exchange(held_, -1), current_);
            break;
        case Qt::Key_Escape:
            if (held_ < 0) return QWidget::keyPressEvent(event);
            held_ = -1;
            break;
        default:
            return QWidget::keyPressEvent(event);
    }
    update();
}

}  // namespace nk
