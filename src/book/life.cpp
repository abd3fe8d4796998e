#include "life.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "bench_book.h"
#include "guard.h"
#include "hash.h"
#include "journal.h"
#include "quantity/harmless.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

using nlohmann::json;

constexpr std::size_t kLongestText = 10'000;
/// A picture of a battery, not an archive.
constexpr std::size_t kLargestPhoto = std::size_t{16} << 20;

constexpr std::pair<const char*, std::string BatteryLife::*> kTexts[] = {
    {"serial", &BatteryLife::serial},       {"used_in", &BatteryLife::usedIn},
    {"notes", &BatteryLife::notes},         {"worth_unit", &BatteryLife::worthUnit},
    {"out_of_use", &BatteryLife::outOfUse},
};
constexpr std::pair<const char*, double BatteryLife::*> kFigures[] = {
    {"in_use_since_s", &BatteryLife::inUseSince_s},
    {"bought_s", &BatteryLife::bought_s},
    {"worth", &BatteryLife::worth},
    {"retired_s", &BatteryLife::retired_s},
};

bool same(double a, double b) {
    return a == b || (!std::isfinite(a) && !std::isfinite(b));
}

void put(SQLite::Statement& q, int index, std::int64_t id) {
    if (id > 0)
        q.bind(index, id);
    else
        q.bind(index);
}

std::map<std::int64_t, BatteryLife> readLives(SQLite::Database& db) {
    std::map<std::int64_t, BatteryLife> out;
    SQLite::Statement q(db,
                        "SELECT battery_id, part_of, position, details, photo FROM battery_life");
    while (q.executeStep()) {
        BatteryLife life;
        life.partOf = q.getColumn(1).isNull() ? 0 : q.getColumn(1).getInt64();
        life.position = std::max(0, q.getColumn(2).getInt());
        readLife(q.getColumn(3).getString(), life);
        life.photo = q.getColumn(4).getString();
        out[q.getColumn(0).getInt64()] = std::move(life);
    }
    return out;
}

/// Whether `id` is `whole` or, by any number of steps, holds it as a part.
bool holds(const std::map<std::int64_t, BatteryLife>& lives, std::int64_t id, std::int64_t whole) {
    std::size_t steps = 0;
    while (whole > 0 && steps++ <= lives.size()) {
        if (whole == id) return true;
        const auto at = lives.find(whole);
        whole = at == lives.end() ? 0 : at->second.partOf;
    }
    return whole > 0;
}

}  // namespace

bool BatteryLife::operator==(const BatteryLife& other) const {
    for (const auto& [key, text] : kTexts)
        if (this->*text != other.*text) return false;
    for (const auto& [key, figure] : kFigures)
        if (!same(this->*figure, other.*figure)) return false;
    return partOf == other.partOf && boughtNew == other.boughtNew && position == other.position &&
           tags == other.tags && photo == other.photo;
}

Expected<void> BatteryLife::check() const {
    const auto wrong = [](const std::string& what, const std::string& where,
                          const std::string& accepted) -> Expected<void> {
        return fail(ErrorKind::InvalidArgument, what, where, accepted);
    };
    for (const auto& [key, text] : kTexts)
        if ((this->*text).size() > kLongestText)
            return wrong(phrase("This text is too long."), key, phrase("10,000 bytes at most."));
    for (const std::string& tag : tags)
        if (tag.empty() || tag.size() > 100 || tag.find(',') != std::string::npos)
            return wrong(phrase("This is no tag: {}", harmless(tag, 40)), "tags",
                         phrase("a word or a few, without a comma."));
    if (position < 0)
        return wrong(phrase("A position in a battery counts from 1."), "position",
                     phrase("1 and more, or nothing."));
    if (std::isfinite(worth) && (worth <= 0 || worthUnit.empty()))
        return wrong(phrase("What a charge is worth needs a positive number and a unit."), "worth",
                     phrase("such as 42 km."));
    return {};
}

std::string lifeJson(const BatteryLife& life) {
    json j = json::object();
    for (const auto& [key, text] : kTexts)
        if (!(life.*text).empty()) j[key] = life.*text;
    for (const auto& [key, figure] : kFigures)
        if (std::isfinite(life.*figure)) j[key] = life.*figure;
    if (life.boughtNew >= 0) j["bought_new"] = life.boughtNew > 0;
    if (!life.tags.empty()) j["tags"] = life.tags;
    return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

void readLife(const std::string& text, BatteryLife& life) {
    const json j = json::parse(text, nullptr, false);
    if (j.is_discarded() || !j.is_object()) return;
    if (j.contains("bought_new") && j["bought_new"].is_boolean())
        life.boughtNew = j["bought_new"].get<bool>() ? 1 : 0;
    for (const auto& [key, member] : kTexts)
        if (j.contains(key) && j[key].is_string())
            life.*member = harmless(j[key].get<std::string>(), kLongestText, true);
    for (const auto& [key, figure] : kFigures)
        if (j.contains(key) && j[key].is_number()) life.*figure = j[key].get<double>();
    if (j.contains("tags") && j["tags"].is_array())
        for (const auto& tag : j["tags"])
            if (tag.is_string() && life.tags.size() < 100)
                life.tags.push_back(harmless(tag.get<std::string>(), 100));
    // Of another hand: what check() refuses counts as not given.
    std::erase_if(life.tags, [](const std::string& tag) {
        return tag.empty() || tag.size() > 100 || tag.find(',') != std::string::npos;
    });
    if (!(life.worth > 0) || std::isinf(life.worth) || life.worthUnit.empty()) life.worth = kNaN;
}

Expected<std::map<std::int64_t, BatteryLife>> BenchBook::lives() {
    return guarded(
        path_.string(), phrase("The batteries could not be read"),
        [&]() -> Expected<std::map<std::int64_t, BatteryLife>> { return readLives(*db_); });
}

Expected<void> BenchBook::setLife(std::int64_t batteryId, const BatteryLife& life) {
    if (auto ok = life.check(); !ok) return ok;
    return guarded(path_.string(), phrase("The battery could not be changed"), [&] {
        return journaled(*db_, {"life"}, [&]() -> Expected<void> {
            if (life.partOf > 0 && holds(readLives(*db_), batteryId, life.partOf))
                return fail(ErrorKind::InvalidArgument,
                            phrase("A battery cannot be a part of itself or of one of its parts."),
                            "part_of", phrase("another battery, or none."));
            SQLite::Statement q(*db_,
                                "INSERT INTO battery_life(battery_id, part_of, position, details, "
                                "photo) VALUES (?,?,?,?,?) ON CONFLICT(battery_id) DO UPDATE SET "
                                "part_of=excluded.part_of, position=excluded.position, "
                                "details=excluded.details, photo=excluded.photo");
            q.bind(1, batteryId);
            put(q, 2, life.partOf);
            q.bind(3, life.position);
            q.bind(4, lifeJson(life));
            q.bind(5, life.photo);
            q.exec();
            return {};
        });
    });
}

Expected<std::string> BenchBook::addPhoto(std::string_view bytes) {
    const bool png = bytes.starts_with("\x89PNG\r\n\x1A\n");
    const bool jpeg = bytes.starts_with("\xFF\xD8\xFF");
    if ((!png && !jpeg) || bytes.size() > kLargestPhoto)
        return fail(ErrorKind::InvalidArgument, phrase("This is no picture that a book keeps."),
                    phrase("photo"), phrase("PNG or JPEG, 16 MiB at most."));
    return guarded(path_.string(), phrase("The picture could not be stored"),
                   [&]() -> Expected<std::string> {
                       const std::string hash = sha256(bytes);
                       SQLite::Statement q(*db_,
                                           "INSERT OR IGNORE INTO photo(sha256, bytes) VALUES "
                                           "(?,?)");
                       q.bind(1, hash);
                       q.bind(2, bytes.data(), static_cast<int>(bytes.size()));
                       q.exec();
                       return hash;
                   });
}

Expected<std::string> BenchBook::photo(const std::string& hash) {
    return guarded(
        path_.string(), phrase("The picture could not be read"), [&]() -> Expected<std::string> {
            SQLite::Statement q(*db_, "SELECT bytes FROM photo WHERE sha256=?");
            q.bind(1, hash);
            if (!q.executeStep()) return std::string();
            std::string bytes = q.getColumn(0).getString();
            if (sha256(bytes) != hash)
                return tl::unexpected<Error>(storageError(phrase("The picture is damaged.")));
            return bytes;
        });
}

Expected<std::vector<TaskDone>> BenchBook::tasksDone() {
    return guarded(
        path_.string(), phrase("The due list could not be read"),
        [&]() -> Expected<std::vector<TaskDone>> {
            std::vector<TaskDone> out;
            SQLite::Statement q(*db_,
                                "SELECT id, battery_id, task, at_epoch_s FROM task_done "
                                "ORDER BY at_epoch_s, id");
            while (q.executeStep())
                out.push_back({q.getColumn(0).getInt64(), q.getColumn(1).getInt64(),
                               harmless(q.getColumn(2).getString()), q.getColumn(3).getDouble()});
            return out;
        });
}

Expected<std::int64_t> BenchBook::addTaskDone(const TaskDone& done) {
    return guarded(path_.string(), phrase("The due list could not be changed"), [&] {
        return journaled(*db_, {"task_done"}, [&]() -> Expected<std::int64_t> {
            SQLite::Statement q(
                *db_, "INSERT INTO task_done(battery_id, task, at_epoch_s) VALUES (?,?,?)");
            q.bind(1, done.batteryId);
            q.bind(2, done.task);
            q.bind(3, done.at_s);
            q.exec();
            return static_cast<std::int64_t>(db_->getLastInsertRowid());
        });
    });
}

Expected<std::string> BenchBook::setting(const std::string& name) {
    return guarded(path_.string(), phrase("The book's settings could not be read"),
                   [&]() -> Expected<std::string> {
                       SQLite::Statement q(*db_, "SELECT value FROM setting WHERE name=?");
                       q.bind(1, name);
                       return q.executeStep() ? q.getColumn(0).getString() : std::string();
                   });
}

namespace {
Expected<void> writeSetting(SQLite::Database& db, const std::string& name,
                            const std::string& value) {
    SQLite::Statement q(db,
                        "INSERT INTO setting(name, value) VALUES (?, ?) ON CONFLICT(name) "
                        "DO UPDATE SET value=excluded.value");
    q.bind(1, name);
    q.bind(2, value);
    q.exec();
    return {};
}
}  // namespace

Expected<void> BenchBook::setSetting(const std::string& name, const std::string& value) {
    return guarded(path_.string(), phrase("The book's settings could not be written"), [&] {
        return journaled(*db_, {"setting", {name}},
                         [&] { return writeSetting(*db_, name, value); });
    });
}

Expected<void> BenchBook::keepComputed(const std::string& name, const std::string& value) {
    return guarded(path_.string(), phrase("The book's settings could not be written"),
                   [&] { return writeSetting(*db_, name, value); });
}

}  // namespace nk
