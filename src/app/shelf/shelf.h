// The shelf: batteries with their state at a glance, and under each its recordings, newest first.
#pragma once

#include <QWidget>
#include <map>
#include <vector>

#include "book/bench_book.h"
#include "history/kept_standing.h"

class QLineEdit;
class QPushButton;
class QScrollArea;
class QVBoxLayout;

namespace nk {

class BatteryBlock;

class Shelf : public QWidget {
    Q_OBJECT
  public:
    explicit Shelf(QWidget* parent = nullptr);

    void setContents(std::vector<BatteryEntry> batteries, std::vector<RecordingEntry> recordings,
                     std::map<std::int64_t, BatteryLife> lives = {});
    /// What is known of the batteries: each block quotes it.
    void setStandings(std::map<std::int64_t, KeptStanding> standings);
    /// Recordings whose figures are being computed anew: marked until they are done.
    void setOutOfDate(const std::vector<std::int64_t>& recordings);
    /// Marks a recording, shows its row when it was among the older ones, and scrolls to it.
    void select(std::int64_t recordingId);
    std::int64_t selected() const { return selected_; }

  Q_SIGNALS:
    void recordingChosen(qlonglong id);
    void batteryChosen(qlonglong id);
    void recordingMenuRequested(qlonglong id, const QPoint& globalPos);
    void batteryMenuRequested(qlonglong id, const QPoint& globalPos);
    void addRequested();

  private:
    /// Batteries are shown this many at a time: a book may hold hundreds.
    static constexpr std::size_t kBatteries = 25;

    void rebuild();
    void addBlock(const BatteryEntry* entry, std::vector<const RecordingEntry*> recordings,
                  bool named);
    /// Marks the selected recording's row; false when it has none.
    bool mark();
    /// Asks for so many rows that the selected recording has one; false when that changes nothing.
    bool askForRow();
    /// Lets the list lay out rows that are new, before one is scrolled to.
    void placeRows();

    void addDrawer(std::size_t count);
    void addMore(std::size_t left);
    /// The battery of the marked recording; −1: none is marked.
    std::int64_t selectedBattery() const;
    bool inDrawer(std::int64_t batteryId) const;

    std::vector<BatteryEntry> batteries_;
    std::map<std::int64_t, BatteryLife> lives_;
    std::map<std::int64_t, KeptStanding> standings_;
    bool drawerOpen_ = false;
    std::vector<RecordingEntry> recordings_;  ///< newest first
    std::int64_t selected_ = 0;
    std::map<std::int64_t, std::size_t> wanted_;  ///< rows asked for, by battery
    std::size_t wantedBlocks_ = kBatteries;       ///< batteries asked for
    QLineEdit* search_ = nullptr;
    QScrollArea* scroll_ = nullptr;
    QVBoxLayout* list_ = nullptr;
    std::vector<BatteryBlock*> blocks_;
    QPushButton* drawer_ = nullptr;  ///< opens the drawer of retired batteries; null: it is empty
    QPushButton* more_ = nullptr;    ///< shows more batteries; null: all are shown
};

}  // namespace nk
