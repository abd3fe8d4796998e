// Widgets that are replaced by others while events for them may still be on their way.
#pragma once

#include <QLayout>
#include <QWidget>

namespace nk {

/// Takes a widget out of use: it is not to be seen or pressed any more and nobody hears from it; it
/// is gone once the event that is being answered is through. (Deleting it at once would take it
/// from under the feet of its own signal.)
inline void letGo(QWidget* widget) {
    widget->disconnect();
    widget->hide();
    widget->deleteLater();
}

/// Lets go of everything that a layout holds.
inline void letGoOf(QLayout* layout) {
    while (QLayoutItem* item = layout->takeAt(0)) {
        if (item->widget() != nullptr) letGo(item->widget());
        delete item;
    }
}

}  // namespace nk
