#include "app/theme/plain_words.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QHelpEvent>
#include <QLabel>
#include <QToolTip>

namespace nk {

namespace {

/// The tooltip that a widget would show at this place.
QString tipOf(QWidget* widget, const QPoint& at) {
    if (const auto* view = qobject_cast<QAbstractItemView*>(widget->parentWidget());
        view != nullptr && view->viewport() == widget)
        return view->indexAt(at).data(Qt::ToolTipRole).toString();
    return widget->toolTip();
}

}  // namespace

void PlainWords::install() {
    if (qApp->findChild<PlainWords*>(QString(), Qt::FindDirectChildrenOnly) != nullptr) return;
    qApp->installEventFilter(new PlainWords(qApp));
}

bool PlainWords::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Polish) {
        if (auto* label = qobject_cast<QLabel*>(watched);
            label != nullptr && label->textFormat() == Qt::AutoText)
            label->setTextFormat(Qt::PlainText);
    } else if (event->type() == QEvent::ToolTip) {
        auto* widget = qobject_cast<QWidget*>(watched);
        if (widget == nullptr) return false;
        const auto* help = static_cast<QHelpEvent*>(event);
        const QString tip = tipOf(widget, help->pos());
        if (Qt::mightBeRichText(tip)) {
            QToolTip::showText(
                help->globalPos(),
                tip.toHtmlEscaped().replace('\n', "<br>").prepend("<span>") + "</span>", widget);
            return true;
        }
    }
    return QObject::eventFilter(watched, event);
}

}  // namespace nk
