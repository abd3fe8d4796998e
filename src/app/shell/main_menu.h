// The menu of the program: every action once, with its key; the finder and the key sheet read it.
#pragma once

#include <QObject>

class QAction;
class QMenu;

namespace nk {

class MainWindow;

/// Fills `menu` and gives its actions to the window. Undo and redo, and the submenu of recent
/// books, are handed back: their words change.
struct MainMenu {
    QAction* undo = nullptr;
    QAction* redo = nullptr;
};
MainMenu buildMainMenu(MainWindow& window, QMenu& menu);

}  // namespace nk
