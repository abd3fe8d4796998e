// What is done with batteries beyond cards and logs: what else is known of them, a look at the
// skin, the drawer, the due list, the rules, many taken in, labels, the shelf as a table.
#pragma once

#include "app/session/dialogs.h"
#include "app/session/session.h"
#include "history/due.h"

class QMenu;

namespace nk {

struct IntakeItem;

class LifeActions : public QObject {
    Q_OBJECT
  public:
    LifeActions(Session& session, Dialogs& dialogs, QWidget* window);

    /// Adds what can be done with this battery.
    void fillMenu(QMenu& menu, std::int64_t batteryId);
    void editLife(std::int64_t batteryId);
    void look(std::int64_t batteryId);
    void setRetired(std::int64_t batteryId, bool retired);
    void bringBack(std::int64_t batteryId);
    void editReading(std::int64_t batteryId, std::int64_t readingId);
    void showDue();
    /// Once a day, one line of what is due.
    void greet();
    void tick(const DueTask& task);
    void editRules();
    void takeInMany();
    /// Of one battery, or of all that are in use.
    void printLabels(std::int64_t onlyBattery = 0);
    void saveTable();
    void takeTable();

  Q_SIGNALS:
    void batteryChosen(qlonglong id);

  private:
    void saveCalendar();
    void labelsOf(std::vector<std::int64_t> batteries);
    void keepMany(const std::vector<IntakeItem>& items, bool labels);
    const BatteryEntry* entryOf(std::int64_t id) const;

    Session& session_;
    Dialogs& dialogs_;
    QWidget* window_;
    Job job_{this};
};

}  // namespace nk
