// What is done with whole books: another one opened, recent ones, backups, a check, a battery
// handed on, another book taken in, its instruments and chargers.
#pragma once

#include "app/session/dialogs.h"
#include "app/session/session.h"
#include "book/backups.h"

class QMenu;

namespace nk {

class BookActions : public QObject {
    Q_OBJECT
  public:
    BookActions(Session& session, Dialogs& dialogs, const Preferences& preferences,
                QWidget* window);

    void switchBook();
    /// Its errors are said.
    void openBook(const QString& path);
    void fillRecentBooks(QMenu& menu);
    void backUpWhenDue();
    void backUpNow();
    void chooseBackup();
    void verifyBook();
    void handOn(std::int64_t batteryId);
    void takeInBook();
    /// Instruments and chargers of the book.
    void showThings();

  protected:
    void timerEvent(QTimerEvent* event) override;

  private:
    void rememberBook();
    BackupPlan backupPlan() const;
    void restore(const QString& backup);
    void showReport(const QString& title, const QString& words);

    Session& session_;
    Dialogs& dialogs_;
    const Preferences& preferences_;
    QWidget* window_;
    Job upkeep_{this};  ///< backups and checks of the book
};

}  // namespace nk
