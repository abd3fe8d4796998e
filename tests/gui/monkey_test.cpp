// Somebody who presses everything: random clicks, drags and keys on whatever is visible. The window
// must neither crash nor hang, and the book must still be whole, with every change undoable.
#include <QAbstractButton>
#include <QClipboard>
#include <QDialog>
#include <QMenu>
#include <QPointer>
#include <QTimer>
#include <random>

#include "app/shell/station_bar.h"
#include "tests/gui/window.h"

namespace nk {
namespace {

class Monkey : public test::Window, public testing::WithParamInterface<unsigned> {
  protected:
    /// Top-level windows that take input now: the innermost dialog or menu, else the window.
    QWidget* stage() const {
        if (QWidget* popup = QApplication::activePopupWidget()) return popup;
        QWidget* top = window_.get();
        for (QDialog* dialog : window_->findChildren<QDialog*>())
            if (dialog->isVisible()) top = dialog;
        return top;
    }
    std::vector<QWidget*> targets(QWidget* in) const {
        std::vector<QWidget*> out;
        for (QWidget* w : in->findChildren<QWidget*>())
            if (w->isVisible() && w->isEnabled() && w->width() > 2 && w->height() > 2 &&
                w->window() == in->window())
                out.push_back(w);
        return out;
    }
    QPoint somewhere(const QWidget* w) {
        return {static_cast<int>(random() % static_cast<unsigned>(w->width())),
                static_cast<int>(random() % static_cast<unsigned>(w->height()))};
    }
    /// A menu that is open takes an action or is closed; some wait for that in a loop of their own.
    void answerMenu() {
        QWidget* popup = QApplication::activePopupWidget();
        auto* menu = qobject_cast<QMenu*>(popup);
        if (menu == nullptr) {
            if (popup != nullptr) popup->close();
            return;
        }
        // Printing asks the system, and quitting would end the fun.
        QList<QAction*> actions;
        for (QAction* a : menu->actions())
            if (a->isEnabled() && !a->isSeparator() && a->menu() == nullptr &&
                !a->text().startsWith("Quit") && !a->text().startsWith("Print"))
                actions << a;
        QPointer<QAction> chosen;
        if (!actions.isEmpty() && random() % 3 != 0)
            chosen =
                actions[static_cast<qsizetype>(random() % static_cast<unsigned>(actions.size()))];
        menu->close();
        if (chosen) chosen->trigger();
    }
    void act() {
        QWidget* in = stage();
        const auto all = targets(in);
        if (all.empty()) return;
        QWidget* w = all[random() % all.size()];
        static const Qt::Key keys[] = {
            Qt::Key_Left,  Qt::Key_Right,  Qt::Key_Up,     Qt::Key_Down,   Qt::Key_Return,
            Qt::Key_Tab,   Qt::Key_Escape, Qt::Key_Home,   Qt::Key_Plus,   Qt::Key_Minus,
            Qt::Key_A,     Qt::Key_B,      Qt::Key_S,      Qt::Key_J,      Qt::Key_T,
            Qt::Key_C,     Qt::Key_Comma,  Qt::Key_Period, Qt::Key_F2,     Qt::Key_Delete,
            Qt::Key_Space, Qt::Key_5,      Qt::Key_PageUp, Qt::Key_Period, Qt::Key_Backspace};
        switch (random() % 12) {
            case 0:
            case 1:
            case 2:
            case 3:
                QTest::mouseClick(w, Qt::LeftButton, {}, somewhere(w));
                break;
            case 4: {
                QTest::mousePress(w, Qt::LeftButton, {}, somewhere(w));
                QTest::mouseMove(w, somewhere(w));
                QTest::mouseMove(w, somewhere(w));
                QTest::mouseRelease(w, Qt::LeftButton, {}, somewhere(w));
                break;
            }
            case 5:
                QTest::mouseDClick(w, Qt::LeftButton, {}, somewhere(w));
                break;
            case 6: {
                const QPoint at = somewhere(w);
                QContextMenuEvent asked(QContextMenuEvent::Mouse, at, w->mapToGlobal(at));
                QApplication::sendEvent(w, &asked);
                break;
            }
            case 7: {
                const QPointF at = somewhere(w);
                QWheelEvent turned(at, w->mapToGlobal(at), {}, {0, random() % 2 == 0 ? 120 : -120},
                                   Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
                QApplication::sendEvent(w, &turned);
                break;
            }
            case 8:
                if (random() % 2 == 0)
                    window_->undo();
                else
                    window_->redo();
                break;
            case 9:
                window_->setStation(static_cast<int>(random() % window_->stations().size()));
                break;
            default:
                w->setFocus();
                for (unsigned n = random() % 3; n < 3; ++n)
                    QTest::keyClick(w, keys[random() % std::size(keys)]);
        }
    }
    std::mt19937 random{GetParam()};
};

TEST_P(Monkey, BreaksNothing) {
    importCycle();
    dialogs_.save = path("handed out.svg");
    dialogs_.logs = {cycleLog()};
    dialogs_.book = path("bench.nkbook");
    QApplication::clipboard()->setText("no table at all");
    QTimer menus;
    QObject::connect(&menus, &QTimer::timeout, [this] { answerMenu(); });
    menus.start(10);
    for (int n = 0; n < 250; ++n) {
        act();
        if (!window_->isVisible()) {
            window_->show();
            QTest::qWait(5);
        }
        if (n % 10 == 0) QTest::qWait(5);
    }
    menus.stop();
    // Whatever is open is closed; whatever runs comes to its end.
    for (int n = 0; n < 10; ++n) {
        if (QWidget* popup = QApplication::activePopupWidget()) popup->close();
        for (QDialog* dialog : window_->findChildren<QDialog*>())
            if (dialog->isVisible()) dialog->reject();
        QTest::qWait(5);
    }
    settle();
    const auto report = window_->book().verify();
    ASSERT_TRUE(report) << report.error().text();
    EXPECT_TRUE(report->faults.empty()) << report->faults.front();
    // Back to the empty book, and forward again.
    int back = 0;
    while (!window_->book().undoLabel().value_or("").empty() && back < 400) {
        const auto undone = window_->book().undo();
        ASSERT_TRUE(undone) << undone.error().text();
        ++back;
    }
    EXPECT_TRUE(window_->book().recordings()->empty());
    EXPECT_TRUE(window_->book().batteries()->empty());
    for (int n = 0; n < back; ++n) {
        const auto redone = window_->book().redo();
        ASSERT_TRUE(redone) << redone.error().text();
    }
    EXPECT_TRUE(window_->book().verify()->faults.empty());
}
unsigned monkeys() {
    const char* wanted = std::getenv("NK_MONKEYS");  // 60 in ./run-tests --all
    return wanted != nullptr ? static_cast<unsigned>(std::max(1, std::atoi(wanted))) : 6;
}
INSTANTIATE_TEST_SUITE_P(Gui, Monkey, testing::Range(1U, 1 + monkeys()));

}  // namespace
}  // namespace nk
