// What the battery page shows, made from a battery's history and its verdict. Plain: no widget.
#pragma once

#include <QString>
#include <vector>

#include "history/battery_history.h"
#include "history/due.h"
#include "history/self_discharge.h"
#include "history/standing.h"
#include "history/verdict.h"

namespace nk {

struct BatteryPageData {
    BatteryHistory history;
    Verdict verdict;
    BatteryLife life;
    std::string whole;                ///< the name of what it is a part of
    std::vector<BatteryEntry> parts;  ///< in order of their position
    std::vector<DueTask> due;         ///< of this battery
    double now_s = 0;
    std::vector<SelfDischarge> selfDischarges;
    Standing standing;
    std::string photo;  ///< bytes; empty: none
};
/// Read in a worker. Errors: no such battery, the book cannot be read.
Expected<BatteryPageData> readBatteryPage(BenchBook& book, std::int64_t batteryId,
                                          double now_s = 0);

/// One reading of the history, as a row of the table.
struct HistoryRow {
    QString day, reading, value, conditions, standing;
    double at_s = 0, number = kNaN;  ///< what day and value are sorted by
    std::int64_t recording = 0;
    std::int64_t spot = 0;  ///< of a reading by hand
    Evidence evidence;
};

/// One point of the picture.
struct HistoryDot {
    double at_s = 0, efc = kNaN, value = 0, low = kNaN, high = kNaN;
    std::string group;  ///< joined with others of it; empty: apart
    std::int64_t recording = 0;
    Evidence evidence;
    QString words;  ///< the figure
};

struct PageReason {
    QString words;
    std::int64_t recording = 0;  ///< its evidence; 0: none
};

struct BatteryPageView {
    QString name, kind, verdict, next;
    QString change;  ///< what would change the verdict; empty: nothing is near
    QString noDays;  ///< that logs stand apart for want of a day; empty: none
    std::vector<std::int64_t> undated;
    std::vector<PageReason> reasons;
    std::vector<HistoryRow> rows;  ///< newest first
    std::vector<HistoryDot> capacities, resistances, temperatures;
    double label_Ah = kNaN, first_Ah = kNaN, siblings_Ah = kNaN, holds_Ah = kNaN;
    QString leftOut;    ///< recordings that cannot be read
    QString about;      ///< serial, use, tags, worth: one paragraph; empty: nothing is known
    QString outOfUse;   ///< why, as a sentence; empty: it may be used
    QString shelfLoss;  ///< what it loses lying there; empty: not known
    std::vector<std::pair<QString, qlonglong>> parts;  ///< name and battery
    std::vector<std::pair<QString, DueTask>> due;      ///< what is overdue, as a sentence
    QByteArray photo;
};

BatteryPageView batteryPageView(const BatteryPageData& data);

}  // namespace nk
