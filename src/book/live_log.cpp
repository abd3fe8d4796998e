// Recordings that are still made: their lines in the book as they come.
#include <SQLiteCpp/SQLiteCpp.h>

#include "bench_book.h"
#include "guard.h"
#include "quantity/phrase.h"

namespace nk {

namespace {
void bindBattery(SQLite::Statement& q, int place, std::int64_t battery) {
    if (battery > 0)
        q.bind(place, battery);
    else
        q.bind(place);
}
}  // namespace

Expected<std::int64_t> BenchBook::beginLive(const LiveEntry& live) {
    return guarded(path_.string(), phrase("The recording could not be begun"),
                   [&]() -> Expected<std::int64_t> {
                       SQLite::Statement q(*db_,
                                           "INSERT INTO live(battery_id, title, source, "
                                           "started_at_s, header, details) VALUES (?,?,?,?,?,?)");
                       bindBattery(q, 1, live.batteryId);
                       q.bind(2, live.title);
                       q.bind(3, live.source);
                       q.bind(4, live.startedAt_s);
                       q.bind(5, live.header);
                       q.bind(6, live.details.empty() ? "{}" : live.details);
                       q.exec();
                       return db_->getLastInsertRowid();
                   });
}

Expected<void> BenchBook::appendLive(std::int64_t id, const std::string& lines) {
    if (lines.empty()) return {};
    return guarded(path_.string(), phrase("The rows could not be written"),
                   [&]() -> Expected<void> {
                       SQLite::Statement q(
                           *db_,
                           "INSERT INTO live_part(live_id, part, lines) VALUES (?1, (SELECT "
                           "coalesce(max(part), 0) + 1 FROM live_part WHERE live_id = ?1), ?2)");
                       q.bind(1, id);
                       q.bind(2, lines);
                       q.exec();
                       return {};
                   });
}

Expected<std::vector<LiveEntry>> BenchBook::unfinished() {
    return guarded(path_.string(), phrase("The book could not be read"),
                   [&]() -> Expected<std::vector<LiveEntry>> {
                       std::vector<LiveEntry> out;
                       SQLite::Statement q(*db_,
                                           "SELECT id, coalesce(battery_id, 0), title, source, "
                                           "started_at_s, header, details FROM live ORDER BY id");
                       while (q.executeStep())
                           out.push_back({q.getColumn(0).getInt64(), q.getColumn(1).getInt64(),
                                          q.getColumn(2).getString(), q.getColumn(3).getString(),
                                          q.getColumn(4).getDouble(), q.getColumn(5).getString(),
                                          q.getColumn(6).getString()});
                       return out;
                   });
}

Expected<std::string> BenchBook::liveText(std::int64_t id) {
    return guarded(path_.string(), phrase("The book could not be read"),
                   [&]() -> Expected<std::string> {
                       std::string out;
                       SQLite::Statement head(*db_, "SELECT header FROM live WHERE id = ?");
                       head.bind(1, id);
                       if (!head.executeStep())
                           throw Refused{{ErrorKind::NotFound,
                                          phrase("There is no such live recording."),
                                          std::to_string(id),
                                          {}}};
                       out = head.getColumn(0).getString() + "\n";
                       SQLite::Statement q(
                           *db_, "SELECT lines FROM live_part WHERE live_id = ? ORDER BY part");
                       q.bind(1, id);
                       while (q.executeStep()) out += q.getColumn(0).getString();
                       return out;
                   });
}

Expected<void> BenchBook::dropLive(std::int64_t id) {
    return guarded(path_.string(), phrase("The live recording could not be closed"),
                   [&]() -> Expected<void> {
                       SQLite::Statement q(*db_, "DELETE FROM live WHERE id = ?");
                       q.bind(1, id);
                       q.exec();
                       return {};
                   });
}

}  // namespace nk
