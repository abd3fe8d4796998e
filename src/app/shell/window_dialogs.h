// Dialogs about the window itself: the finder of actions and logs, the sheet of keys, preferences,
// help.
#pragma once

namespace nk {

class MainWindow;

void findAction(MainWindow& window);
void showKeys(MainWindow& window);
void editPreferences(MainWindow& window);
void showHelp(MainWindow& window);

}  // namespace nk
