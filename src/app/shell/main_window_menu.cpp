// The menu, and what finds its actions: the finder, the sheet of keys, the preferences.
#include <QApplication>
#include <QClipboard>
#include <QMenu>
#include <QPushButton>
#include <QSettings>

#include "app/curve/curve_station.h"
#include "app/preferences/preferences_dialog.h"
#include "app/shelf/shelf.h"
#include "app/shell/action_finder.h"
#include "app/shell/data_export.h"
#include "app/shell/key_sheet.h"
#include "app/shell/main_window.h"
#include "app/shell/station_bar.h"

namespace nk {

void MainWindow::buildMenu() {
    auto* menu = new QMenu(this);
    QMenu* into = menu;
    const auto add = [&](const QString& name, const QKeySequence& keys, auto slot) {
        QAction* action = into->addAction(name, this, slot);
        action->setShortcut(keys);
        addAction(action);
        return action;
    };
    add(tr("Open logs…"), QKeySequence::Open, [this] { openFiles(dialogs_.openLogs(this)); });
    add(tr("Paste a table"), QKeySequence::Paste, [this] { pasteTable(); });
    add(tr("Load the demo bench"), {}, [this] { loadDemo(); });
    menu->addSeparator();
    undo_ = add(tr("Undo"), QKeySequence::Undo, [this] { undo(); });
    redo_ = add(tr("Redo"), QKeySequence("Ctrl+Shift+Z"), [this] { redo(); });
    menu->addSeparator();
    into = menu->addMenu(tr("Shelf"));
    // These concern the recording that is shown.
    const auto addShown = [&](const QString& name, const QKeySequence& keys, auto slot) {
        add(name, keys, [this, slot] {
            if (shown_) slot(shown_->id);
        });
    };
    addShown(tr("Rename this log…"), QKeySequence("F2"),
             [this](std::int64_t id) { renameRecording(id); });
    addShown(tr("Move this log to another battery…"), {},
             [this](std::int64_t id) { moveRecording(id); });
    addShown(tr("Take this log off the shelf"), QKeySequence("Ctrl+Del"),
             [this](std::int64_t id) { takeOff(id); });
    addShown(tr("Save the original file…"), {}, [this](std::int64_t id) { saveOriginal(id); });
    addShown(tr("A load the logger did not see…"), {}, [this](std::int64_t id) { unseenLoad(id); });
    add(tr("Meter check…"), {}, [this] { meterCheck(); });
    into->addSeparator();
    add(tr("New battery…"), QKeySequence::New, [this] { newBattery(); });
    add(tr("Edit the card of this battery…"), {}, [this] {
        if (shown_) editBattery(shown_->batteryId);
    });
    into->addSeparator();
    add(tr("Destroy what was taken off…"), {}, [this] { destroyRemoved(); });
    into = menu->addMenu(tr("Bench book"));
    add(tr("Open or make a bench book…"), QKeySequence("Ctrl+Shift+O"), [this] { switchBook(); });
    recent_ = into->addMenu(tr("Recent books"));
    recent_->setToolTipsVisible(true);
    connect(recent_, &QMenu::aboutToShow, this, &MainWindow::fillRecentBooks);
    into->addSeparator();
    add(tr("Back up now"), {}, [this] { backUpNow(); });
    add(tr("Bring a backup back…"), {}, [this] { chooseBackup(); });
    add(tr("Check the book"), {}, [this] { verifyBook(); });
    into = menu->addMenu(tr("Hand out"));
    add(tr("Bench sheet of this log…"), QKeySequence("Ctrl+P"), [this] { saveSheet(); });
    add(tr("Bench sheet of this battery…"), QKeySequence("Ctrl+Shift+P"),
        [this] { saveBatterySheet(); });
    add(tr("Print the bench sheet…"), {}, [this] { printSheet(); });
    into->addSeparator();
    add(tr("Export the curve…"), {}, [this] { exportCurve(); });
    add(tr("Export the data…"), QKeySequence("Ctrl+E"), [this] { exportData(); });
    add(tr("Copy the steps as a table"), {}, [this] {
        if (shown_) QApplication::clipboard()->setText(stepsTable(*shown_));
    });
    into = menu->addMenu(tr("View"));
    add(tr("Time or charge across"), {}, [this] {
        curve_->setAcross(curve_->across() == AxisKind::Time ? AxisKind::Charge : AxisKind::Time);
    });
    add(tr("Charge lane"), {}, [this] { curve_->setChargeLane(!curve_->chargeLane()); });
    add(tr("Show or hide the shelf"), QKeySequence("Ctrl+B"),
        [this] { shelf_->setVisible(!shelf_->isVisible()); });
    into->addSeparator();
    add(tr("Look: as the system"), {}, [this] { setTheme(ThemeChoice::System); });
    add(tr("Look: paper"), {}, [this] { setTheme(ThemeChoice::Paper); });
    add(tr("Look: night bench"), {}, [this] { setTheme(ThemeChoice::NightBench); });
    into = menu;
    menu->addSeparator();
    add(tr("Find an action or a log…"), QKeySequence("Ctrl+K"), [this] { findAction(); });
    add(tr("Preferences…"), QKeySequence("Ctrl+,"), [this] { editPreferences(); });
    add(tr("Keys"), QKeySequence("Ctrl+F1"), [this] { showKeys(); });
    add(tr("Help for this station"), QKeySequence::HelpContents, [this] { showHelp(); });
    add(tr("Quit"), QKeySequence::Quit, [this] { close(); });
    bar_->menuButton()->setMenu(menu);
}

void MainWindow::findAction() {
    std::vector<FinderEntry> entries;
    for (QAction* action : actions())
        if (action->isEnabled())
            entries.push_back({action->text(),
                               action->shortcut().toString(QKeySequence::NativeText),
                               [action] { action->trigger(); }});
    for (std::size_t k = 0; k < stations_.size(); ++k)
        entries.push_back({tr("Station %1").arg(bar_->stationName(static_cast<int>(k))),
                           QString("Alt+%1").arg(k + 1),
                           [this, k] { setStation(static_cast<int>(k)); }});
    for (const RecordingEntry& e : recordings_) {
        const std::string owner = batteryOf(e.batteryId).name;
        entries.push_back({tr("Log %1").arg(QString::fromStdString(
                               owner.empty() ? e.title : owner + " · " + e.title)),
                           {},
                           [this, id = e.id] { chooseRecording(id); }});
    }
    auto* finder = new ActionFinder(std::move(entries), this);
    finder->setAttribute(Qt::WA_DeleteOnClose);
    finder->open();
}

void MainWindow::showKeys() {
    std::vector<std::pair<QString, QString>> rows;
    for (const QAction* action : actions())
        if (!action->shortcut().isEmpty())
            rows.emplace_back(action->text().section(':', 0, 0),
                              action->shortcut().toString(QKeySequence::NativeText));
    for (std::size_t k = 0; k < stations_.size(); ++k)
        rows.emplace_back(tr("Station %1").arg(bar_->stationName(static_cast<int>(k))),
                          QString("Alt+%1").arg(k + 1));
    auto* sheet = new KeySheet(rows, this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->open();
}

void MainWindow::editPreferences() {
    auto* dialog = new PreferencesDialog(preferences_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this,
            [this, dialog] { setPreferences(dialog->preferences()); });
    dialog->open();
}

void MainWindow::setPreferences(const Preferences& preferences) {
    const bool words = preferences.spoken() != preferences_.spoken();
    preferences_ = preferences;
    preferences_.save();
    present(preferences_);
    setTheme(preferences_.look);
    if (shown_) chooseRecording(shown_->id);  // numbers and words are made anew
    backUpWhenDue();
    if (words) Q_EMIT reopenRequested();
}

void MainWindow::setTheme(ThemeChoice choice) {
    preferences_.look = choice;
    preferences_.save();
    applyTheme(*qApp, choice);
    for (Station* s : stations_) s->applyColours();
    refreshShelf();
    showCards();
}

}  // namespace nk
