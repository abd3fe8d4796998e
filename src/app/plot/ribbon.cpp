#include "app/plot/ribbon.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>
#include <utility>

#include "app/theme/theme.h"
#include "quantity/format.h"
#include "report/words.h"

namespace nk {

Ribbon::Ribbon(QWidget* parent) : QWidget(parent) {
    setObjectName("ribbon");
    setFixedHeight(30);
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Steps of the recording"));
    setToolTip(" ");
}

void Ribbon::setSteps(const Steps& steps) {
    steps_ = steps;
    selected_ = -1;
    edge_ = -1;  // an edge that is held belongs to the steps before
    update();
}

void Ribbon::setView(double low_s, double high_s, int left, int right, SampleAxisPtr axis) {
    scale_ = TimeScale::over(low_s, high_s, left, right, std::move(axis));
    update();
}

int Ribbon::stepAt(int x) const {
    if (steps_.list.empty() || x < scale_.left || x > scale_.right) return -1;
    return steps_.at(scale_.timeAt(x));
}

void Ribbon::select(int index) {
    if (index < -1 || index >= static_cast<int>(steps_.list.size())) return;
    selected_ = index;
    if (index >= 0)
        setAccessibleDescription(
            QString::fromStdString(kindWords(steps_.list[static_cast<std::size_t>(index)])));
    update();
}

void Ribbon::paintEvent(QPaintEvent*) {
    const Theme& t = currentTheme();
    QPainter p(this);
    p.fillRect(rect(), t.window);
    p.setClipRect(QRect(scale_.left, 0, scale_.right - scale_.left + 1, height()));
    QFont font = this->font();
    font.setPixelSize(12);
    font.setWeight(QFont::Medium);
    p.setFont(font);
    const QFontMetrics metrics(font);
    for (std::size_t k = 0; k < steps_.list.size(); ++k) {
        const Step& s = steps_.list[k];
        if (scale_.placeOf(s.end_s) < scale_.low || scale_.placeOf(s.start_s) > scale_.high)
            continue;
        const double a = std::max<double>(scale_.xOf(s.start_s), scale_.left - 4);
        const double b = std::min<double>(scale_.xOf(s.end_s), scale_.right + 4);
        const QRectF block(a, 3, std::max(1.0, b - a - 1), height() - 6);
        QColor fill = t.otherBlock;
        Qt::BrushStyle pattern = Qt::NoBrush;
        switch (s.kind) {
            case StepKind::Rest:
                fill = t.rest;
                break;
            case StepKind::Gap:
                fill = t.window;
                pattern = Qt::DiagCrossPattern;
                break;
            case StepKind::CvCharge:
                fill = t.voltageBlock;
                pattern = Qt::HorPattern;
                break;
            case StepKind::CcCharge:
                fill = t.chargeBlock;
                pattern = Qt::BDiagPattern;
                break;
            case StepKind::Pulse:
                pattern = Qt::VerPattern;
                break;
            case StepKind::Variable:
                pattern = Qt::Dense6Pattern;
                break;
            default:
                fill = t.dischargeBlock;
                pattern = Qt::FDiagPattern;
                break;
        }
        p.setPen(Qt::NoPen);
        p.setBrush(fill);
        p.drawRoundedRect(block, 3, 3);
        if (pattern != Qt::NoBrush && block.width() > 3) {
            QColor ink = t.text;
            ink.setAlpha(t.dark ? 34 : 22);
            p.setBrush(QBrush(ink, pattern));
            p.drawRoundedRect(block, 3, 3);
        }
        const bool current = static_cast<int>(k) == selected_;
        if (current) {
            p.setBrush(Qt::NoBrush);
            p.setPen(QPen(t.accent, 2));
            p.drawRoundedRect(block.adjusted(1, 1, -1, -1), 3, 3);
        }
        QString words = QString::fromStdString(kindWords(s));
        const int room = static_cast<int>(block.width()) - 7;
        if (metrics.horizontalAdvance(words) > room)
            words = QString::fromStdString(kindWordsShort(s));
        if (metrics.horizontalAdvance(words) > room)
            words = QString::fromStdString(kindWordsTiny(s));
        if (metrics.horizontalAdvance(words) <= room) {
            p.setPen(t.text);
            p.drawText(block.adjusted(4, 0, -2, 0), Qt::AlignVCenter | Qt::AlignLeft, words);
        }
    }
    if (edge_ >= 0) {
        p.setPen(QPen(t.accent, 2));
        p.drawLine(QPointF(scale_.xOf(edgeTime_s_), 0), QPointF(scale_.xOf(edgeTime_s_), height()));
    }
    if (hasFocus()) {
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(t.accent, 1, Qt::DotLine));
        p.drawRect(QRect(scale_.left, 0, scale_.right - scale_.left, height() - 1));
    }
}

int Ribbon::edgeAt(int x) const {
    for (std::size_t k = 1; k < steps_.list.size(); ++k)
        if (std::abs(scale_.xOf(steps_.list[k].start_s) - x) <= 4) return static_cast<int>(k);
    return -1;
}

void Ribbon::mouseMoveEvent(QMouseEvent* event) {
    if (edge_ < 0) {
        setCursor(edgeAt(static_cast<int>(event->position().x())) >= 0 ? Qt::SplitHCursor
                                                                       : Qt::ArrowCursor);
        return;
    }
    const Step& before = steps_.list[static_cast<std::size_t>(edge_) - 1];
    const Step& after = steps_.list[static_cast<std::size_t>(edge_)];
    edgeTime_s_ = std::clamp(scale_.timeAt(event->position().x()), before.start_s, after.end_s);
    update();
}

void Ribbon::mouseReleaseEvent(QMouseEvent*) {
    if (edge_ < 0) return;
    const int edge = std::exchange(edge_, -1);
    update();
    if (std::abs(scale_.xOf(edgeTime_s_) -
                 scale_.xOf(steps_.list[static_cast<std::size_t>(edge)].start_s)) > 2)
        Q_EMIT edgeMoved(edge, edgeTime_s_);
}

void Ribbon::showMenu(int index, double time_s, const QPoint& at) {
    select(index);
    Q_EMIT stepSelected(index);
    auto* menu = new QMenu(this);
    menu->setObjectName("stepMenu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Cut the step here (S)"), this,
                    [this, index, time_s] { Q_EMIT splitRequested(index, time_s); });
    auto* join = menu->addAction(tr("Join with the next (J)"), this,
                                 [this, index] { Q_EMIT joinRequested(index); });
    join->setEnabled(index + 1 < static_cast<int>(steps_.list.size()));
    menu->addAction(tr("Lay it side by side (B)"), this,
                    [this, index] { Q_EMIT besideRequested(index); });
    auto* names = menu->addMenu(tr("It is really"));
    for (const StepKind kind :
         {StepKind::Rest, StepKind::CcCharge, StepKind::CvCharge, StepKind::CcDischarge,
          StepKind::CpDischarge, StepKind::CrDischarge, StepKind::Pulse, StepKind::Variable}) {
        Step named = steps_.list[static_cast<std::size_t>(index)];
        named.kind = kind;
        names->addAction(QString::fromStdString(kindWords(named)), this,
                         [this, index, kind] { Q_EMIT renameRequested(index, kind); });
    }
    menu->popup(at);
}

void Ribbon::contextMenuEvent(QContextMenuEvent* event) {
    const bool keyboard = event->reason() == QContextMenuEvent::Keyboard;
    const int index = keyboard ? selected_ : stepAt(event->pos().x());
    if (index < 0) return;
    const Step& s = steps_.list[static_cast<std::size_t>(index)];
    showMenu(index, keyboard ? 0.5 * (s.start_s + s.end_s) : scale_.timeAt(event->pos().x()),
             keyboard ? mapToGlobal(QPoint(static_cast<int>(scale_.xOf(s.start_s)), height()))
                      : event->globalPos());
}

void Ribbon::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) {
        edge_ = edgeAt(static_cast<int>(event->position().x()));
        if (edge_ >= 0) {
            edgeTime_s_ = steps_.list[static_cast<std::size_t>(edge_)].start_s;
            return;
        }
    }
    const int index = stepAt(static_cast<int>(event->position().x()));
    if (index < 0) return;
    select(index);
    Q_EMIT stepSelected(index);
}

void Ribbon::mouseDoubleClickEvent(QMouseEvent* event) {
    const int index = stepAt(static_cast<int>(event->position().x()));
    if (index >= 0) Q_EMIT stepActivated(index);
}

void Ribbon::keyPressEvent(QKeyEvent* event) {
    const int count = static_cast<int>(steps_.list.size());
    if (count == 0) return;
    if (event->key() == Qt::Key_Left || event->key() == Qt::Key_Right) {
        const int next =
            selected_ < 0
                ? 0
                : std::clamp(selected_ + (event->key() == Qt::Key_Right ? 1 : -1), 0, count - 1);
        select(next);
        Q_EMIT stepSelected(next);
    } else if (selected_ >= 0 && (event->key() == Qt::Key_S || event->key() == Qt::Key_J)) {
        const Step& s = steps_.list[static_cast<std::size_t>(selected_)];
        if (event->key() == Qt::Key_S)
            Q_EMIT splitRequested(selected_, 0.5 * (s.start_s + s.end_s));
        else if (selected_ + 1 < count)
            Q_EMIT joinRequested(selected_);
    } else if (selected_ >= 0 && event->key() == Qt::Key_B) {
        Q_EMIT besideRequested(selected_);
    } else if (selected_ > 0 && (event->key() == Qt::Key_Comma || event->key() == Qt::Key_Period)) {
        // The edge before the selected step, by a hundredth of what is shown.
        const double start_s = steps_.list[static_cast<std::size_t>(selected_)].start_s;
        Q_EMIT edgeMoved(selected_,
                         scale_.shifted(start_s, event->key() == Qt::Key_Comma ? -0.01 : 0.01));
    } else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) &&
               selected_ >= 0) {
        Q_EMIT stepActivated(selected_);
    } else {
        QWidget::keyPressEvent(event);
    }
}

bool Ribbon::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const int index = stepAt(help->pos().x());
        if (index < 0) {
            QToolTip::hideText();
        } else {
            const Step& s = steps_.list[static_cast<std::size_t>(index)];
            QString text = QString::fromStdString(kindWords(s) + "\n" + clockText(s.start_s) +
                                                  " to " + clockText(s.end_s));
            if (s.isActive())
                text += QString::fromStdString("\n" + shortValue(s.meanCurrent_A, "A") + ", " +
                                               shortValue(s.sum.charge_Ah, "Ah") +
                                               "\nEnded: " + endingWords(s.endedBy));
            QToolTip::showText(help->globalPos(), text, this);
        }
        return true;
    }
    return QWidget::event(event);
}

}  // namespace nk
