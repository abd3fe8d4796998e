#include "app/shell/main_menu.h"

#include <QMenu>

#include "app/shell/main_window.h"
#include "app/shell/window_dialogs.h"

namespace nk {

MainMenu buildMainMenu(MainWindow& window, QMenu& menu) {
    MainMenu out;
    MainWindow* const w = &window;
    WindowParts& p = window.parts();
    QMenu* into = &menu;
    const auto add = [&](const QString& name, const QKeySequence& keys, auto slot) {
        QAction* action = into->addAction(name, w, slot);
        action->setShortcut(keys);
        w->addAction(action);
        return action;
    };
    // These change data at once, without a dialog that could still be left.
    const auto changes = [](QAction* action) { action->setProperty("changes", true); };
    // These concern the recording that is shown.
    const auto addShown = [&](const QString& name, const QKeySequence& keys, auto slot) {
        return add(name, keys, [&p, slot] {
            if (const ShownPtr shown = p.session.shown()) slot(*shown);
        });
    };
    add(MainWindow::tr("Open logs…"), QKeySequence::Open, [w] { w->askForLogs(); });
    changes(add(MainWindow::tr("Paste a table"), QKeySequence::Paste,
                [&p] { p.imports.pasteTable(); }));
    changes(add(MainWindow::tr("Load the demo bench"), {}, [&p] { p.imports.loadDemo(); }));
    menu.addSeparator();
    out.undo = add(MainWindow::tr("Undo"), QKeySequence::Undo, [&p] { p.session.undo(); });
    out.redo =
        add(MainWindow::tr("Redo"), QKeySequence("Ctrl+Shift+Z"), [&p] { p.session.redo(); });
    out.undo->setProperty("takesBack", MainWindow::tr("Undo"));
    out.redo->setProperty("takesBack", MainWindow::tr("Redo"));
    menu.addSeparator();
    into = menu.addMenu(MainWindow::tr("Shelf"));
    addShown(MainWindow::tr("Rename this log…"), QKeySequence("F2"),
             [&p](const ShownRecording& s) { p.shelf.renameRecording(s.id); });
    addShown(MainWindow::tr("Move this log to another battery…"), {},
             [&p](const ShownRecording& s) { p.shelf.moveRecording(s.id); });
    changes(addShown(MainWindow::tr("Take this log off the shelf"), QKeySequence("Ctrl+Del"),
                     [&p](const ShownRecording& s) { p.shelf.takeOff(s.id); }));
    addShown(MainWindow::tr("Save the original file…"), {},
             [&p](const ShownRecording& s) { p.shelf.saveOriginal(s.id); });
    addShown(MainWindow::tr("A load the logger did not see…"), {},
             [&p](const ShownRecording& s) { p.recordings.unseenLoad(s.id); });
    add(MainWindow::tr("Meter check…"), {}, [&p] { p.recordings.meterCheck(); });
    addShown(MainWindow::tr("Instrument and charger of this log…"), {},
             [&p](const ShownRecording& s) { p.recordings.editOrigin(s.id); });
    into->addSeparator();
    add(MainWindow::tr("New battery…"), QKeySequence::New, [&p] { p.shelf.newBattery(); });
    add(MainWindow::tr("Take in many…"), QKeySequence("Ctrl+Shift+N"),
        [&p] { p.life.takeInMany(); });
    add(MainWindow::tr("What is due…"), QKeySequence("Ctrl+D"), [&p] { p.life.showDue(); });
    addShown(MainWindow::tr("Readings pad for this battery…"), QKeySequence("Ctrl+R"),
             [&p](const ShownRecording& s) { p.shelf.openPad(s.batteryId); });
    addShown(MainWindow::tr("Edit the card of this battery…"), {},
             [&p](const ShownRecording& s) { p.shelf.editBattery(s.batteryId); });
    into->addSeparator();
    changes(
        add(MainWindow::tr("Destroy what was taken off…"), {}, [&p] { p.shelf.destroyRemoved(); }));
    into = menu.addMenu(MainWindow::tr("Bench book"));
    add(MainWindow::tr("Open or make a bench book…"), QKeySequence("Ctrl+Shift+O"),
        [&p] { p.books.switchBook(); });
    QMenu* recent = into->addMenu(MainWindow::tr("Recent books"));
    recent->setToolTipsVisible(true);
    QObject::connect(recent, &QMenu::aboutToShow, w,
                     [&p, recent] { p.books.fillRecentBooks(*recent); });
    into->addSeparator();
    add(MainWindow::tr("Rules of verdict and due list…"), {}, [&p] { p.life.editRules(); });
    add(MainWindow::tr("Take in a table of batteries…"), {}, [&p] { p.life.takeTable(); });
    add(MainWindow::tr("Instruments and chargers…"), {}, [&p] { p.books.showThings(); });
    addShown(MainWindow::tr("Hand on this battery with its logs…"), {},
             [&p](const ShownRecording& s) {
                 if (s.batteryId > 0) p.books.handOn(s.batteryId);
             });
    add(MainWindow::tr("Take in another book…"), {}, [&p] { p.books.takeInBook(); });
    into->addSeparator();
    add(MainWindow::tr("Back up now"), {}, [&p] { p.books.backUpNow(); });
    add(MainWindow::tr("Bring a backup back…"), {}, [&p] { p.books.chooseBackup(); });
    add(MainWindow::tr("Check the book"), {}, [&p] { p.books.verifyBook(); });
    into = menu.addMenu(MainWindow::tr("Hand out"));
    add(MainWindow::tr("Bench sheet of this log…"), QKeySequence("Ctrl+P"),
        [&p] { p.handOut.saveSheet(); });
    add(MainWindow::tr("Bench sheet of this battery…"), QKeySequence("Ctrl+Shift+P"),
        [&p] { p.handOut.saveBatterySheet(); });
    add(MainWindow::tr("Print the bench sheet…"), {}, [&p] { p.handOut.printSheet(); });
    into->addSeparator();
    add(MainWindow::tr("Labels for all batteries…"), {}, [&p] { p.life.printLabels(); });
    add(MainWindow::tr("The shelf as a table…"), {}, [&p] { p.life.saveTable(); });
    add(MainWindow::tr("Export the curve…"), {},
        [&p, w] { p.handOut.exportPicture(*w->evidenceStation()); });
    add(MainWindow::tr("Export the data…"), QKeySequence("Ctrl+E"),
        [&p] { p.handOut.exportData(); });
    add(MainWindow::tr("Copy the steps as a table"), {}, [&p] { p.handOut.copySteps(); });
    into = menu.addMenu(MainWindow::tr("View"));
    for (Station* station : w->stations())
        for (StationAction& a : station->menuActions()) add(a.name, {}, std::move(a.run));
    add(MainWindow::tr("Show or hide the shelf"), QKeySequence("Ctrl+B"),
        [w] { w->toggleShelf(); });
    into->addSeparator();
    add(MainWindow::tr("Look: as the system"), {}, [w] { w->setTheme(ThemeChoice::System); });
    add(MainWindow::tr("Look: paper"), {}, [w] { w->setTheme(ThemeChoice::Paper); });
    add(MainWindow::tr("Look: night bench"), {}, [w] { w->setTheme(ThemeChoice::NightBench); });
    into = &menu;
    menu.addSeparator();
    add(MainWindow::tr("Find an action or a log…"), QKeySequence("Ctrl+K"),
        [w] { nk::findAction(*w); });
    add(MainWindow::tr("Preferences…"), QKeySequence("Ctrl+,"), [w] { nk::editPreferences(*w); });
    add(MainWindow::tr("Keys"), QKeySequence("Ctrl+F1"), [w] { nk::showKeys(*w); });
    add(MainWindow::tr("Help for this station"), QKeySequence::HelpContents,
        [w] { nk::showHelp(*w); });
    add(MainWindow::tr("Quit"), QKeySequence::Quit, [w] { w->close(); });
    return out;
}

}  // namespace nk
