// The window: a frame of station bar, shelf, stations, findings and status line. It owns no book,
// no list and no job: the session does. It knows no station by type.
#pragma once

#include <QMainWindow>
#include <memory>

#include "app/preferences/preferences.h"
#include "app/shell/frame_parts.h"
#include "app/shell/main_menu.h"
#include "app/shell/station.h"
#include "app/shell/window_parts.h"
#include "report/cards.h"

namespace nk {

class BatteryPage;

class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    /// Makes the stations as children of a widget; a test may bring others.
    using StationMaker =
        std::function<std::vector<Station*>(Session&, RecordingActions&, QWidget*)>;

    /// Takes the opened book. `dialogs` may be a test's stand-in and must outlive the window.
    MainWindow(std::unique_ptr<BenchBook> book, Dialogs& dialogs, QWidget* parent = nullptr,
               const StationMaker& maker = {});
    ~MainWindow() override;

    WindowParts& parts() { return *parts_; }
    Session& session() const { return parts_->session; }
    BenchBook& book() const { return session().book(); }
    ShownPtr shown() const { return session().shown(); }
    const std::vector<Station*>& stations() const { return stations_; }
    Station* station() const { return stations_[static_cast<std::size_t>(current_)]; }
    /// The station that shows evidence: the current one, or the first that does.
    Station* evidenceStation() const;
    bool busy() const;
    /// Of what is in front: the battery page or the station.
    QString helpPage() const;

    void openFiles(const QStringList& paths) { parts_->imports.openFiles(paths); }
    void askForLogs();
    void pasteTable() { parts_->imports.pasteTable(); }
    void loadDemo() { parts_->imports.loadDemo(); }
    void chooseRecording(std::int64_t id) { session().choose(id); }
    void openBook(const QString& path) { parts_->books.openBook(path); }
    void undo() { session().undo(); }
    void redo() { session().redo(); }
    void setStation(int index);
    void setTheme(ThemeChoice choice);
    /// Puts preferences in force and keeps them. A new language asks for the window to be made
    /// anew.
    void setPreferences(const Preferences& preferences);
    const Preferences& preferences() const { return preferences_; }
    void toggleShelf();
    /// Opens the page of a battery in the place of the stations.
    void showBattery(std::int64_t id);

  Q_SIGNALS:
    void recordingShown(qlonglong id);
    void importFinished(bool stored);
    /// The words have changed: this window should be closed and made again on the same book.
    void reopenRequested();
    void closed();

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void closeEvent(QCloseEvent* event) override;
    void timerEvent(QTimerEvent* event) override;

  private:
    void connectParts();
    void takeUp();
    void showLists();
    void showShown();
    void showCards();
    void showFinding(int index);
    /// Opens a log at the part that a figure rests on.
    void openEvidence(qlonglong recording, const Evidence& evidence, const QString& words);
    bool onPage() const;

    Preferences preferences_;
    Dialogs& dialogs_;
    std::unique_ptr<WindowParts> parts_;
    std::vector<Station*> stations_;
    std::vector<Card> cards_;
    int current_ = 0;
    MainMenu menu_;
    FrameParts frame_{};
    BatteryPage* page_ = nullptr;
};

}  // namespace nk
