// What is handed out: bench sheets as files and on paper, curves and tables.
#pragma once

#include "app/session/dialogs.h"
#include "app/session/session.h"

namespace nk {

class Station;

class HandOut : public QObject {
    Q_OBJECT
  public:
    HandOut(Session& session, Dialogs& dialogs, QWidget* window);

    void saveSheet();
    void saveBatterySheet();
    void printSheet();
    /// The picture of a station, where it has one.
    void exportPicture(Station& station);
    void exportData();
    void copySteps();

  private:
    /// Written beside the window; what came of it is said.
    void write(const QString& target, std::function<Expected<void>()> work, const QString& done);

    Session& session_;
    Dialogs& dialogs_;
    QWidget* window_;
};

}  // namespace nk
