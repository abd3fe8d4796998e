// What is done with a battery or a recording on the shelf: their menus, cards, renaming, moving,
// taking off, and destroying what was taken off.
#pragma once

#include "app/session/dialogs.h"
#include "app/session/session.h"
#include "app/shelf/recording_actions.h"

class QMenu;

namespace nk {

class ShelfActions : public QObject {
    Q_OBJECT
  public:
    ShelfActions(Session& session, Dialogs& dialogs, RecordingActions& recordings, QWidget* window);

    void newBattery();
    /// Readings without a log, one line of a display.
    void openPad(std::int64_t batteryId);
    void editBattery(std::int64_t id);
    void removeBattery(std::int64_t id);
    void batteryMenu(std::int64_t id, const QPoint& at);
    void recordingMenu(std::int64_t id, const QPoint& at);
    void renameRecording(std::int64_t id);
    void setDay(std::int64_t id);
    void moveRecording(std::int64_t id);
    void moveAll(std::int64_t batteryId);
    void saveOriginal(std::int64_t id);
    void takeOff(std::int64_t id);
    /// Destroys what was taken off the shelf, after a question.
    void destroyRemoved();

  Q_SIGNALS:
    void handOnRequested(qlonglong batteryId);
    /// A menu of a battery is about to be shown: others add what they can do.
    void menuOpening(QMenu* menu, qlonglong batteryId);

  private:
    Session& session_;
    Dialogs& dialogs_;
    RecordingActions& recordings_;
    QWidget* window_;
};

}  // namespace nk
