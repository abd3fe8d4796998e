#include "rescue.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>
#include <unistd.h>

#include <algorithm>

#include "bench_book.h"
#include "confirm.h"
#include "connection.h"
#include "copy_value.h"
#include "guard.h"
#include "quantity/harmless.h"

namespace nk {

namespace fs = std::filesystem;

namespace {

struct KnownTable {
    const char* name;
    std::vector<const char*> columns;
};

/// In the order in which one refers to the other.
const std::vector<KnownTable>& knownTables() {
    static const std::vector<KnownTable> list = {
        {"battery",
         {"id", "revision", "name", "chemistry", "series", "parallel", "rated_Ah", "mass_kg",
          "card"}},
        {"instrument", {"id", "revision", "name", "card"}},
        {"charger", {"id", "revision", "name", "card"}},
        {"meter_check",
         {"id", "instrument_id", "at_epoch_s", "kind", "value", "uncertainty", "name"}},
        {"setting", {"name", "value"}},
        {"recording",
         {"id", "battery_id", "title", "file_name", "sha256", "imported_at_s", "start_epoch_s",
          "rows_read", "rows_skipped", "samples", "duration_s", "notes", "summary", "removed",
          "instrument_id", "charger_id"}},
        {"original", {"recording_id", "size", "bytes"}},
        {"sample_chunk", {"recording_id", "channel", "chunk", "data", "checksum"}},
        {"step_edit", {"recording_id", "position", "action", "at_s", "kind", "made"}},
        {"correction",
         {"id", "recording_id", "kind", "value", "uncertainty", "from_s", "to_s", "name"}},
        {"spot_reading",
         {"id", "battery_id", "kind", "value", "resolution", "at_epoch_s", "details"}},
        {"photo", {"sha256", "bytes"}},
        {"battery_life", {"battery_id", "part_of", "position", "details", "photo"}},
        {"task_done", {"id", "battery_id", "task", "at_epoch_s"}},
        {"live", {"id", "battery_id", "title", "source", "started_at_s", "header", "details"}},
        {"live_part", {"live_id", "part", "lines"}},
    };
    return list;
}

void leaveOut(RescueReport& report, std::string words) {
    constexpr std::size_t kNamed = 10;
    if (report.leftOut.size() < kNamed) report.leftOut.push_back(std::move(words));
}

/// Columns of an ordinary table that hold what was written to them: no generated ones, whose
/// expressions would run.
std::vector<std::string> plainColumns(SQLite::Database& db, const char* table) {
    std::vector<std::string> out;
    SQLite::Statement type(
        db, "SELECT type, sql FROM main.sqlite_master WHERE name=? AND type='table'");
    type.bind(1, table);
    if (!type.executeStep()) return out;
    std::string sql = type.getColumn(1).getString();
    std::ranges::transform(sql, sql.begin(),
                           [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
    if (sql.find("VIRTUAL") != std::string::npos) return out;
    SQLite::Statement q(db, std::string("PRAGMA table_xinfo(") + table + ")");
    while (q.executeStep())
        if (q.getColumn(6).getInt() == 0) out.push_back(q.getColumn(1).getString());
    return out;
}

std::int64_t copyTable(SQLite::Database& from, SQLite::Database& to, const KnownTable& table,
                       RescueReport& report) {
    const auto there = plainColumns(from, table.name);
    std::string names;
    std::string places;
    int columns = 0;
    for (const char* c : table.columns)
        if (std::ranges::find(there, c) != there.end()) {
            names += (columns > 0 ? ", " : "") + std::string(c);
            places += columns > 0 ? ", ?" : "?";
            ++columns;
        }
    if (columns == 0) {
        leaveOut(report, phrase("the table {}: it is not there, or no plain table", table.name));
        return 0;
    }
    std::int64_t copied = 0;
    std::int64_t refused = 0;
    SQLite::Statement insert(
        to, std::string("INSERT INTO ") + table.name + "(" + names + ") VALUES (" + places + ")");
    try {
        SQLite::Statement q(from, std::string("SELECT ") + names + " FROM main." + table.name);
        while (q.executeStep()) {
            insert.reset();
            for (int k = 0; k < columns; ++k) copyValue(q.getColumn(k), insert, k + 1);
            try {
                insert.exec();
                ++copied;
            } catch (const SQLite::Exception& e) {
                if ((e.getErrorCode() & 0xFF) == SQLITE_FULL ||
                    (e.getErrorCode() & 0xFF) == SQLITE_IOERR)
                    throw;
                ++refused;
            }
        }
    } catch (const SQLite::Exception& e) {
        if ((e.getErrorCode() & 0xFF) == SQLITE_FULL) throw;
        leaveOut(report, phrase("the rest of the table {}: {}", table.name, plainReason(e)));
    }
    if (refused > 0)
        leaveOut(report, phrase("{} rows of {} that break the book's rules", refused, table.name));
    return copied;
}

}  // namespace

Expected<RescueReport> rescueBook(const fs::path& damaged, const fs::path& target) {
    std::error_code ec;
    if (noFileName(target) || fs::exists(target, ec))
        return fail(ErrorKind::InvalidArgument,
                    phrase("There is a file of this name already; it was not changed."),
                    target.string(), phrase("a new file name."));
    if (!fs::is_regular_file(damaged, ec) || fs::file_size(damaged, ec) == 0)
        return fail(ErrorKind::Unreadable, phrase("There are no rows in this file."),
                    damaged.string(), phrase("the path of a .nkbook file."));
    if (auto made = makeBook(target); !made) return tl::unexpected<Error>(made.error());
    auto done = guarded(
        target.string(), phrase("The rows could not be copied"), [&]() -> Expected<RescueReport> {
            RescueReport report;
            const auto from = connect(
                damaged,
                ::access(damaged.parent_path().empty() ? "." : damaged.parent_path().c_str(),
                         W_OK) == 0
                    ? Access::Write
                    : Access::Frozen);
            from->exec("PRAGMA query_only = ON");
            const auto to = connect(target, Access::Write);
            SQLite::Transaction transaction(*to, SQLite::TransactionBehavior::IMMEDIATE);
            for (const KnownTable& table : knownTables()) {
                const std::int64_t rows = copyTable(*from, *to, table, report);
                const std::string name = table.name;
                (name == "battery"     ? report.batteries
                 : name == "recording" ? report.recordings
                                       : report.others) += rows;
            }
            // A book without checksums, or with foreign ones, is compared with its originals.
            const auto sums = plainColumns(*from, "sample_chunk");
            if (std::ranges::find(sums, "checksum") == sums.end()) confirmSamples(*to);
            transaction.commit();
            return report;
        });
    if (!done)
        for (const char* ending : {"", "-wal", "-shm"}) fs::remove(target.string() + ending, ec);
    return done;
}

}  // namespace nk
