// One battery on the shelf: its name, what it is, its state at a glance, and its newest recordings.
#pragma once

#include <QFrame>
#include <vector>

#include "book/bench_book.h"
#include "history/kept_standing.h"

namespace nk {

class RecordingRow;

class BatteryBlock : public QFrame {
    Q_OBJECT
  public:
    /// Recordings are shown this many at a time.
    static constexpr std::size_t kBatch = 12;

    /// `entry` is null for the recordings without a battery. `recordings` are those of the battery
    /// that match the search, newest first; the first `shown` of them get a row. `outOfUse`: said
    /// before all else.
    BatteryBlock(const BatteryEntry* entry, std::vector<const RecordingEntry*> recordings,
                 std::size_t shown, bool outOfUse, QWidget* parent,
                 const KeptStanding* standing = nullptr);

    std::int64_t batteryId() const { return id_; }
    std::size_t shown() const { return rows_.size(); }
    /// Marks the row of a recording; false when none of the rows is its.
    bool select(std::int64_t recordingId);

  Q_SIGNALS:
    void recordingChosen(qlonglong id);
    void recordingMenuRequested(qlonglong id, const QPoint& globalPos);
    void batteryChosen(qlonglong id);
    void batteryMenuRequested(qlonglong id, const QPoint& globalPos);
    void moreRequested();

  private:
    void addHead(const BatteryEntry* entry);
    void addState(const BatteryEntry* entry, const std::vector<const RecordingEntry*>& recordings,
                  const KeptStanding* standing);
    void addRow(const RecordingEntry& recording);

    std::int64_t id_ = 0;
    std::vector<RecordingRow*> rows_;
};

}  // namespace nk
