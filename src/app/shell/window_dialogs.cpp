#include "app/shell/window_dialogs.h"

#include "app/preferences/preferences_dialog.h"
#include "app/shell/action_finder.h"
#include "app/shell/help_page.h"
#include "app/shell/key_sheet.h"
#include "app/shell/main_window.h"

namespace nk {

void findAction(MainWindow& window) {
    std::vector<FinderEntry> entries;
    for (QAction* action : window.actions())
        if (action->isEnabled()) {
            const QString word = action->property("takesBack").toString();
            entries.push_back({action->text(),
                               action->shortcut().toString(QKeySequence::NativeText),
                               [action] { action->trigger(); },
                               !word.isEmpty()                        ? FinderKind::Undo
                               : action->property("changes").toBool() ? FinderKind::Change
                                                                      : FinderKind::Action,
                               word});
        }
    for (const BatteryEntry& e : window.session().batteries())
        entries.push_back({MainWindow::tr("Battery %1").arg(QString::fromStdString(e.battery.name)),
                           {},
                           [&window, id = e.id] { window.showBattery(id); },
                           FinderKind::Battery});
    for (std::size_t k = 0; k < window.stations().size(); ++k)
        entries.push_back({MainWindow::tr("Station %1").arg(window.stations()[k]->name()),
                           QString("Alt+%1").arg(k + 1),
                           [&window, k] { window.setStation(static_cast<int>(k)); },
                           FinderKind::Station});
    for (const RecordingEntry& e : window.session().recordings()) {
        const std::string owner = window.session().batteryOf(e.batteryId).name;
        entries.push_back({MainWindow::tr("Log %1").arg(QString::fromStdString(
                               owner.empty() ? e.title : owner + " · " + e.title)),
                           {},
                           [&window, id = e.id] { window.chooseRecording(id); },
                           FinderKind::Log});
    }
    auto* finder = new ActionFinder(std::move(entries), &window);
    finder->setAttribute(Qt::WA_DeleteOnClose);
    finder->open();
}

void showKeys(MainWindow& window) {
    std::vector<std::pair<QString, QString>> rows;
    for (const QAction* action : window.actions())
        if (!action->shortcut().isEmpty())
            rows.emplace_back(action->text().section(':', 0, 0),
                              action->shortcut().toString(QKeySequence::NativeText));
    for (std::size_t k = 0; k < window.stations().size(); ++k)
        rows.emplace_back(MainWindow::tr("Station %1").arg(window.stations()[k]->name()),
                          QString("Alt+%1").arg(k + 1));
    auto* sheet = new KeySheet(rows, &window);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->open();
}

void editPreferences(MainWindow& window) {
    auto* dialog = new PreferencesDialog(window.preferences(), &window);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    QObject::connect(dialog, &QDialog::accepted, &window,
                     [&window, dialog] { window.setPreferences(dialog->preferences()); });
    dialog->open();
}

void showHelp(MainWindow& window) {
    auto* help = new HelpPage(window.helpPage(), &window);
    help->setAttribute(Qt::WA_DeleteOnClose);
    help->open();
}

}  // namespace nk
