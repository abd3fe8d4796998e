// The window: station bar, shelf, station, findings, status line. It shows and asks; computing is
// done by the core in workers, storing by the bench book.
#pragma once

#include <QMainWindow>
#include <deque>
#include <memory>

#include "app/job/job.h"
#include "app/preferences/preferences.h"
#include "app/shell/book_work.h"
#include "app/shell/dialogs.h"
#include "app/shell/station.h"
#include "app/theme/theme.h"
#include "book/backups.h"
#include "book/bench_book.h"
#include "report/cards.h"

class QLabel;
class QMenu;
class QProgressBar;
class QPushButton;
class QStackedWidget;
class QTimer;

namespace nk {

class FindingsPanel;
class Shelf;
class StartScreen;
class StationBar;
class BatteryCard;
class CurveStation;
class FinishStation;

class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    /// Takes the opened book. `dialogs` may be a test's stand-in and must outlive the window.
    MainWindow(std::unique_ptr<BenchBook> book, Dialogs& dialogs, QWidget* parent = nullptr);
    ~MainWindow() override;

    void openFiles(const QStringList& paths);
    void pasteTable();
    void loadDemo();
    void chooseRecording(std::int64_t id);
    ShownPtr shown() const { return shown_; }
    bool busy() const;
    void setTheme(ThemeChoice choice);
    void setStation(int index);
    Station* station() const;
    /// Puts preferences in force and keeps them. A new language asks for the window to be made
    /// anew.
    void setPreferences(const Preferences& preferences);
    const Preferences& preferences() const { return preferences_; }
    /// Opens another book in this window; its errors are shown.
    void openBook(const QString& path);
    void undo();
    void redo();
    BenchBook& book() { return *book_; }

  Q_SIGNALS:
    void recordingShown(qlonglong id);
    void importFinished(bool stored);
    /// The words have changed: this window should be closed and made again on the same book.
    void reopenRequested();

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void closeEvent(QCloseEvent* event) override;

  private:
    void buildMenu();
    void bindBook();
    void addStation(Station* station, const QString& name, const QString& question);
    void showCards();
    void takeAction(int index);
    void keepRules(const std::vector<std::string>& rules);
    void keepOwnCurve(const OwnCurve& curve);
    /// Changes the card of the shown recording's battery and analyses anew when asked to.
    void changeBattery(const std::function<void(Battery&)>& change, bool reload);
    void meterCheck();
    void enterResistance();
    void unseenLoad(std::int64_t recordingId);
    /// Makes a change to the book in a worker, one after the other in the order they were asked
    /// for; errors are said, `then` runs after success, and the shown recording is made anew.
    using BookWork = std::function<Expected<void>(BenchBook&)>;
    void change(BookWork work, std::function<void()> then = {}, bool reload = true);
    void nextChange();
    /// The shown recording may be gone: shows the newest one then.
    void showAnyRecording();
    void showUndoState();
    void refreshShelf();
    void nextFile();
    void takePending(Expected<std::shared_ptr<PendingLog>> pending);
    void askBattery(std::shared_ptr<PendingLog> pending);
    QString importIntro(const PendingLog& log) const;
    void store(std::shared_ptr<PendingLog> pending, std::int64_t batteryId, const Battery& battery);
    /// The first log and all files that wait, into one battery, with a result a file.
    void storeAll(std::shared_ptr<PendingLog> first, std::int64_t batteryId,
                  const Battery& battery);
    /// The entry of a recording, null when it is no longer on the shelf.
    const RecordingEntry* entryOf(std::int64_t id) const;
    void newBattery();
    void editBattery(std::int64_t id);
    void removeBattery(std::int64_t id);
    void batteryMenu(std::int64_t id, const QPoint& at);
    void recordingMenu(std::int64_t id, const QPoint& at);
    void renameRecording(std::int64_t id);
    void moveRecording(std::int64_t id);
    void saveOriginal(std::int64_t id);
    void takeOff(std::int64_t id);
    /// Destroys what was taken off the shelf, after a question.
    void destroyRemoved();
    void showFinding(int index);
    void saveSheet();
    void saveBatterySheet();
    void printSheet();
    void exportCurve();
    void exportData();
    void switchBook();
    void rememberBook();
    void fillRecentBooks();
    BackupPlan backupPlan() const;
    void backUpWhenDue();
    void backUpNow();
    void chooseBackup();
    void restore(const QString& backup);
    void verifyBook();
    void showReport(const QString& title, const QString& words);
    void editPreferences();
    void findAction();
    void showKeys();
    void say(const QString& words, bool problem = false);
    void hideBar();
    void showHelp();
    Battery batteryOf(std::int64_t id) const;
    void watchBook();

    std::unique_ptr<BenchBook> book_;
    Dialogs& dialogs_;
    Job work_{this};
    Job load_{this};
    std::vector<BatteryEntry> batteries_;
    std::vector<RecordingEntry> recordings_;
    ShownPtr shown_;
    std::vector<Card> cards_;
    std::vector<Station*> stations_;
    int current_ = 0;
    QStringList queue_;
    Preferences preferences_;
    struct PendingChange {
        BookWork work;
        std::function<void()> then;
        bool reload = true;
    };
    Job changer_{this};
    std::deque<PendingChange> changes_;
    Job upkeep_{this};  ///< backups and checks of the book
    QMenu* recent_ = nullptr;

    StationBar* bar_ = nullptr;
    Shelf* shelf_ = nullptr;
    QStackedWidget* middle_ = nullptr;
    StartScreen* start_ = nullptr;
    CurveStation* curve_ = nullptr;
    FindingsPanel* findings_ = nullptr;
    QLabel* ruler_ = nullptr;
    QLabel* pins_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QLabel* task_ = nullptr;
    QPushButton* cancel_ = nullptr;
    QWidget* inline_ = nullptr;
    QLabel* inlineText_ = nullptr;
    QTimer* watch_ = nullptr;
    QAction* undo_ = nullptr;
    QAction* redo_ = nullptr;
};

}  // namespace nk
