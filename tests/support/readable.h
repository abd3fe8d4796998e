// Whether every word in a window has its room: no label, button or box shows less than it says, and
// none lies over another.
#pragma once

#include <gtest/gtest.h>

#include <QAbstractButton>
#include <QCheckBox>
#include <QComboBox>
#include <QCoreApplication>
#include <QHeaderView>
#include <QLabel>
#include <QTableWidget>
#include <QTest>
#include <set>

namespace nk::test {

inline QString placeOf(const QWidget* w) {
    QStringList out;
    for (; w != nullptr; w = w->parentWidget())
        if (!w->objectName().isEmpty()) out.prepend(w->objectName());
    return out.join("/");
}

inline int widestLine(const QString& text, const QFontMetrics& metrics) {
    int widest = 0;
    for (const QString& line : text.split('\n'))
        widest = std::max(widest, metrics.horizontalAdvance(line));
    return widest;
}

/// What shows less than it says; empty: all of it can be read.
inline QString shortOf(const QWidget* w) {
    if (const auto* label = qobject_cast<const QLabel*>(w)) {
        if (label->text().isEmpty() || label->textFormat() == Qt::RichText) return {};
        // These are cut on purpose, with their whole text elsewhere.
        if (label->sizePolicy().horizontalPolicy() == QSizePolicy::Ignored) return {};
        if (label->property("elides").toBool()) return {};
        const QRect room = label->contentsRect();
        if (label->wordWrap()) {
            const int need = label->heightForWidth(label->width());
            if (need > label->height() + 2)
                return QString("%1 px high, %2 wanted").arg(label->height()).arg(need);
            return {};
        }
        const int need = widestLine(label->text(), label->fontMetrics());
        if (need > room.width() + 1)
            return QString("%1 px wide, %2 wanted").arg(room.width()).arg(need);
        return {};
    }
    if (const auto* box = qobject_cast<const QComboBox*>(w)) {
        const int edges = box->property("role") == "compact" ? 28 : 34;  // and the arrow
        const int need = box->fontMetrics().horizontalAdvance(box->currentText()) + edges;
        if (need > box->width())
            return QString("%1 px wide, %2 wanted").arg(box->width()).arg(need);
        return {};
    }
    if (const auto* button = qobject_cast<const QAbstractButton*>(w)) {
        if (button->text().isEmpty() ||
            button->sizePolicy().horizontalPolicy() == QSizePolicy::Ignored)
            return {};
        const int need = widestLine(button->text(), button->fontMetrics());
        if (need > button->width() - 2)
            return QString("%1 px wide, %2 wanted").arg(button->width()).arg(need);
    }
    return {};
}

/// Looks at windows and tells each fault once.
class Reader {
  public:
    /// Layouts are done when two rounds of the event loop move nothing.
    static void lie(const QWidget& window) {
        std::size_t before = 0;
        int still = 0;
        ASSERT_TRUE(QTest::qWaitFor(
            [&] {
                QCoreApplication::sendPostedEvents();
                std::size_t now = 0;
                for (const QWidget* w : window.findChildren<QWidget*>())
                    if (w->isVisible())
                        now = now * 31 + qHash(w->geometry().topLeft()) +
                              static_cast<std::size_t>(w->width() * 4099 + w->height());
                still = now == before ? still + 1 : 0;
                before = now;
                return still >= 3;
            },
            5000));
    }
    void look(const QWidget& window, const QString& where) {
        lie(window);
        std::vector<const QWidget*> words;
        for (const QWidget* w : window.findChildren<QWidget*>()) {
            if (!w->isVisible() || w->visibleRegion().isEmpty()) continue;
            const bool says = qobject_cast<const QLabel*>(w) != nullptr ||
                              qobject_cast<const QAbstractButton*>(w) != nullptr ||
                              qobject_cast<const QComboBox*>(w) != nullptr;
            if (!says) continue;
            const QString problem = shortOf(w);
            if (!problem.isEmpty()) {
                QString text;
                if (const auto* l = qobject_cast<const QLabel*>(w)) text = l->text();
                if (const auto* b = qobject_cast<const QAbstractButton*>(w)) text = b->text();
                if (const auto* b = qobject_cast<const QComboBox*>(w)) text = b->currentText();
                if (seen_.insert(placeOf(w) + text).second)
                    ADD_FAILURE() << where.toStdString() << ": " << placeOf(w).toStdString()
                                  << " \"" << text.toStdString() << "\" is "
                                  << problem.toStdString();
            }
            words.push_back(w);
        }
        for (std::size_t a = 0; a < words.size(); ++a)
            for (std::size_t b = a + 1; b < words.size(); ++b) {
                if (words[a]->parentWidget() != words[b]->parentWidget()) continue;
                const QRect over = words[a]->geometry() & words[b]->geometry();
                if (over.width() > 1 && over.height() > 1 &&
                    seen_.insert(placeOf(words[a]) + placeOf(words[b])).second)
                    ADD_FAILURE() << where.toStdString() << ": " << placeOf(words[a]).toStdString()
                                  << " lies over " << placeOf(words[b]).toStdString();
            }
        for (const QTableWidget* t : window.findChildren<QTableWidget*>()) {
            if (!t->isVisible()) continue;
            for (int c = 0; c < t->columnCount(); ++c) {
                const QTableWidgetItem* head = t->horizontalHeaderItem(c);
                if (head == nullptr || t->isColumnHidden(c) || t->horizontalHeader()->isHidden())
                    continue;
                const int need =
                    t->horizontalHeader()->fontMetrics().horizontalAdvance(head->text()) + 6;
                if (need > t->columnWidth(c) && seen_.insert(placeOf(t) + head->text()).second)
                    ADD_FAILURE() << where.toStdString() << ": column \""
                                  << head->text().toStdString() << "\" of "
                                  << placeOf(t).toStdString() << " is " << t->columnWidth(c)
                                  << " px wide, " << need << " wanted";
            }
        }
    }

  private:
    std::set<QString> seen_;
};

}  // namespace nk::test
