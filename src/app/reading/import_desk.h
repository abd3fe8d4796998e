// How logs come in: opened, dropped or pasted, one after the other; each is read, its battery is
// asked for, and it is stored.
#pragma once

#include <QObject>
#include <QStringList>
#include <memory>

#include "app/session/book_work.h"
#include "app/session/session.h"

class QMimeData;
class QWidget;

namespace nk {

class ImportDesk : public QObject {
    Q_OBJECT
  public:
    /// Dialogs belong to `window`, which outlives this.
    ImportDesk(Session& session, QWidget* window);

    void openFiles(const QStringList& paths);
    void pasteTable();
    /// Files that were dropped on the window; false when there is nothing to take.
    bool drop(const QMimeData& data);
    void loadDemo();
    /// Files that wait are not read any more, and the one that is being read is not asked about.
    void leave();

  Q_SIGNALS:
    void finished(bool stored);

  private:
    void nextFile();
    /// The log that was asked about is stored, or left.
    void answered(bool stored);
    void takePending(Expected<std::shared_ptr<PendingLog>> pending);
    void askBattery(std::shared_ptr<PendingLog> pending);
    QString importIntro(const PendingLog& log) const;
    void store(std::shared_ptr<PendingLog> pending, std::int64_t batteryId, const Battery& battery,
               const LogOrigin& origin);
    /// The first log and all files that wait, into one battery, with a result a file.
    void storeAll(std::shared_ptr<PendingLog> first, std::int64_t batteryId, const Battery& battery,
                  const LogOrigin& origin);

    Session& session_;
    QWidget* window_;
    QStringList queue_;
    bool asking_ = false;  ///< a log is being read, asked about or stored
    bool left_ = false;    ///< the user has left it
    Job reading_{this};    ///< the same log read with other choices
};

}  // namespace nk
