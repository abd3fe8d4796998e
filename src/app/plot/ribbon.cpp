#include "app/plot/ribbon.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

#include "app/theme/theme.h"
#include "quantity/format.h"
#include "report/words.h"

namespace nk {

Ribbon::Ribbon(QWidget* parent) : QWidget(parent) {
    setObjectName("ribbon");
    setFixedHeight(30);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Steps of the recording"));
    setToolTip(" ");
}

void Ribbon::setSteps(const Steps& steps) {
    steps_ = steps;
    selected_ = -1;
    update();
}

void Ribbon::setView(double low_s, double high_s, int left, int right) {
    low_ = low_s;
    high_ = std::max(high_s, low_s + 1e-9);
    left_ = left;
    right_ = right;
    update();
}

double Ribbon::xOf(double t) const {
    return left_ + (t - low_) / (high_ - low_) * (right_ - left_);
}

int Ribbon::stepAt(int x) const {
    if (steps_.list.empty() || x < left_ || x > right_) return -1;
    return steps_.at(low_ + (high_ - low_) * (x - left_) / std::max(1, right_ - left_));
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
    p.setClipRect(QRect(left_, 0, right_ - left_ + 1, height()));
    QFont font = this->font();
    font.setPixelSize(12);
    font.setWeight(QFont::Medium);
    p.setFont(font);
    const QFontMetrics metrics(font);
    for (std::size_t k = 0; k < steps_.list.size(); ++k) {
        const Step& s = steps_.list[k];
        if (s.end_s < low_ || s.start_s > high_) continue;
        const double a = std::max<double>(xOf(s.start_s), left_ - 4);
        const double b = std::min<double>(xOf(s.end_s), right_ + 4);
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
    if (hasFocus()) {
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(t.accent, 1, Qt::DotLine));
        p.drawRect(QRect(left_, 0, right_ - left_, height() - 1));
    }
}

void Ribbon::mousePressEvent(QMouseEvent* event) {
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
