#include "app/theme/word_label.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cstring>

namespace nk {

namespace {

/// Wraps as QLabel does, but asks for no more room than a sentence needs, however long its longest
/// word is.
class WordLabel : public QLabel {
  public:
    using QLabel::QLabel;
    QSize minimumSizeHint() const override {
        const QSize hint = QLabel::minimumSizeHint();
        constexpr int kMost_px = 180;
        return {std::min(hint.width(), kMost_px), hint.height()};
    }
};

}  // namespace

NameLabel::NameLabel(const QString& text, QWidget* parent) : QLabel(text, parent) {
    setTextFormat(Qt::PlainText);
    setProperty("elides", true);
}

QSize NameLabel::minimumSizeHint() const {
    constexpr int kLeast_px = 40;
    const QSize hint = QLabel::minimumSizeHint();
    return {std::min(hint.width(), kLeast_px), hint.height()};
}

void NameLabel::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setPen(palette().color(foregroundRole()));
    const QRect room = contentsRect();
    p.drawText(
        room, static_cast<int>(alignment() | Qt::TextSingleLine),
        fontMetrics().elidedText(QString(text()).replace('\n', ' '), Qt::ElideRight, room.width()));
}

bool NameLabel::event(QEvent* event) {
    // The whole, where it does not stand there anyway and nothing else is to be said.
    if (event->type() == QEvent::ToolTip && toolTip().isEmpty() &&
        fontMetrics().horizontalAdvance(text()) > contentsRect().width()) {
        const auto* help = static_cast<QHelpEvent*>(event);
        QToolTip::showText(help->globalPos(),
                           "<span>" + breakable(text().left(1000)).toHtmlEscaped() + "</span>",
                           this);
        return true;
    }
    return QLabel::event(event);
}

QString keepFigures(QString words) {
    for (qsizetype at = words.indexOf(" %"); at > 0; at = words.indexOf(" %", at + 1))
        if (words[at - 1].isDigit()) words[at] = QChar(0x202F);
    return words;
}

QString breakable(const QString& words) {
    constexpr int kLong = 40;
    QString out;
    int run = 0;
    for (const QChar c : words) {
        run = c.isSpace() ? 0 : run + 1;
        // Not within a pair of surrogates.
        if (run > kLong && !c.isLowSurrogate()) out += QChar(0x200B), run = 1;
        out += c;
    }
    return out;
}

QLabel* wordLabel(QWidget* parent, const char* name, const char* role) {
    auto* label = new WordLabel(parent);
    label->setObjectName(name);
    label->setTextFormat(Qt::PlainText);
    label->setWordWrap(true);
    label->setAlignment(Qt::AlignTop);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    if (std::strlen(role) > 0) label->setProperty("role", role);
    return label;
}

}  // namespace nk
