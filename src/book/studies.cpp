// Stored readings and findings, with the fingerprint of what made them.
#include <SQLiteCpp/SQLiteCpp.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "bench_book.h"
#include "condition_fields.h"
#include "convert_edits.h"
#include "guard.h"
#include "notes.h"
#include "quantity/harmless.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

using nlohmann::json;

std::string conditionsJson(const ReadingConditions& c) {
    json j = json::object();
    for (const auto& [key, value] : kConditions)
        if (std::isfinite(c.*value)) j[key] = c.*value;
    if (c.beganFull) j["began_full"] = *c.beganFull;
    return j.dump();
}

ReadingConditions readConditions(const std::string& text) {
    ReadingConditions c;
    const json j = json::parse(text, nullptr, false);
    if (!j.is_object()) return c;
    for (const auto& [key, value] : kConditions)
        if (j.contains(key) && j[key].is_number()) c.*value = j[key].get<double>();
    if (j.contains("began_full") && j["began_full"].is_boolean())
        c.beganFull = j["began_full"].get<bool>();
    return c;
}

void bindReal(SQLite::Statement& q, int index, double x) {
    if (std::isfinite(x))
        q.bind(index, x);
    else
        q.bind(index);
}

double real(const SQLite::Column& c) {
    return c.isNull() ? kNaN : c.getDouble();
}

constexpr const char* kReadingColumns =
    "recording_id, name, step, value, uncertainty, low, high, unit, method, from_s, to_s, quoted, "
    "conditions";

StoredReading readReading(SQLite::Statement& q) {
    StoredReading r;
    r.recordingId = q.getColumn(0).getInt64();
    r.name = harmless(q.getColumn(1).getString());
    r.step = q.getColumn(2).isNull() ? -1 : q.getColumn(2).getInt();
    r.value = q.getColumn(3).getDouble();
    r.uncertainty = real(q.getColumn(4));
    r.low = real(q.getColumn(5));
    r.high = real(q.getColumn(6));
    r.unit = harmless(q.getColumn(7).getString());
    r.method = harmless(q.getColumn(8).getString());
    r.from_s = real(q.getColumn(9));
    r.to_s = real(q.getColumn(10));
    r.quoted = q.getColumn(11).getInt() != 0;
    r.conditions = readConditions(q.getColumn(12).getString());
    return r;
}

StoredFinding readFinding(SQLite::Statement& q) {
    StoredFinding f;
    f.recordingId = q.getColumn(0).getInt64();
    const std::string severity = q.getColumn(1).getString();
    f.severity = severity == toString(Severity::Hazard)    ? Severity::Hazard
                 : severity == toString(Severity::Verdict) ? Severity::Verdict
                                                           : Severity::Note;
    f.code = harmless(q.getColumn(2).getString());
    f.text = harmless(retold(q.getColumn(3).getString()));
    f.from_s = real(q.getColumn(4));
    f.to_s = real(q.getColumn(5));
    return f;
}

/// The rows of a list that `sql` selects for one identifier.
template <class Row, class Read>
std::vector<Row> rowsOf(SQLite::Database& db, const std::string& sql, std::int64_t id, Read read) {
    std::vector<Row> out;
    SQLite::Statement q(db, sql);
    q.bind(1, id);
    while (q.executeStep()) out.push_back(read(q));
    return out;
}

}  // namespace

Expected<void> BenchBook::setStudy(std::int64_t id, const StoredStudy& study,
                                   const RecordingSummary& summary) {
    return guarded(
        path_.string(), phrase("The readings could not be stored"), [&]() -> Expected<void> {
            // A part of whatever is open, or a transaction of its own; no step of undo either way.
            SQLite::Database& db = *db_;
            db.exec("SAVEPOINT study");
            struct Release {
                SQLite::Database& db;
                bool kept = false;
                ~Release() {
                    (void)db.tryExec(kept ? "RELEASE study" : "ROLLBACK TO study; RELEASE study");
                }
            } release{db};
            SQLite::Statement told(db, "UPDATE recording SET summary=? WHERE id=?");
            told.bind(1, summaryJson(summary));
            told.bind(2, id);
            if (told.exec() == 0) return {};
            for (const char* sql : {"DELETE FROM reading WHERE recording_id=?",
                                    "DELETE FROM finding WHERE recording_id=?"}) {
                SQLite::Statement clear(db, sql);
                clear.bind(1, id);
                clear.exec();
            }
            SQLite::Statement head(
                db,
                "INSERT OR REPLACE INTO study(recording_id, fingerprint, problem, strength) VALUES "
                "(?,?,?,?)");
            head.bind(1, id);
            head.bind(2, study.fingerprint);
            head.bind(3, study.problem);
            head.bind(4, study.strength.data(), static_cast<int>(study.strength.size()));
            head.exec();
            SQLite::Statement reading(db, std::string("INSERT INTO reading(") + kReadingColumns +
                                              ", position) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
            std::int64_t position = 0;
            for (const StoredReading& r : study.readings) {
                reading.reset();
                reading.bind(1, id);
                reading.bind(2, r.name);
                if (r.step >= 0)
                    reading.bind(3, r.step);
                else
                    reading.bind(3);
                reading.bind(4, r.value);
                bindReal(reading, 5, r.uncertainty);
                bindReal(reading, 6, r.low);
                bindReal(reading, 7, r.high);
                reading.bind(8, r.unit);
                reading.bind(9, r.method);
                bindReal(reading, 10, r.from_s);
                bindReal(reading, 11, r.to_s);
                reading.bind(12, r.quoted ? 1 : 0);
                reading.bind(13, conditionsJson(r.conditions));
                reading.bind(14, position++);
                reading.exec();
            }
            SQLite::Statement finding(
                db,
                "INSERT INTO finding(recording_id, position, severity, code, text, from_s, to_s) "
                "VALUES (?,?,?,?,?,?,?)");
            position = 0;
            for (const StoredFinding& f : study.findings) {
                finding.reset();
                finding.bind(1, id);
                finding.bind(2, position++);
                finding.bind(3, toString(f.severity));
                finding.bind(4, f.code);
                finding.bind(5, f.text);
                bindReal(finding, 6, f.from_s);
                bindReal(finding, 7, f.to_s);
                finding.exec();
            }
            release.kept = true;
            return {};
        });
}

Expected<void> BenchBook::storeStudies(const std::function<Expected<void>()>& work) {
    return guarded(
        path_.string(), phrase("The readings could not be stored"), [&]() -> Expected<void> {
            SQLite::Transaction transaction(*db_, SQLite::TransactionBehavior::IMMEDIATE);
            auto done = work();
            if (done) transaction.commit();
            return done;
        });
}

Expected<std::string> BenchBook::studyProblem(std::int64_t id) {
    return guarded(
        path_.string(), phrase("The readings could not be read"), [&]() -> Expected<std::string> {
            SQLite::Statement q(*db_, "SELECT problem FROM study WHERE recording_id=?");
            q.bind(1, id);
            return q.executeStep() ? harmless(retold(q.getColumn(0).getString())) : std::string();
        });
}

Expected<std::vector<StoredReading>> BenchBook::readings(std::int64_t id) {
    return guarded(path_.string(), phrase("The readings could not be read"),
                   [&]() -> Expected<std::vector<StoredReading>> {
                       return rowsOf<StoredReading>(
                           *db_,
                           std::string("SELECT ") + kReadingColumns +
                               " FROM reading WHERE recording_id=? ORDER BY position",
                           id, readReading);
                   });
}

Expected<std::vector<StoredReading>> BenchBook::readingsOfBattery(std::int64_t id) {
    return guarded(path_.string(), phrase("The readings could not be read"),
                   [&]() -> Expected<std::vector<StoredReading>> {
                       return rowsOf<StoredReading>(
                           *db_,
                           std::string("SELECT ") + kReadingColumns +
                               " FROM reading WHERE recording_id IN (SELECT id FROM recording "
                               "WHERE battery_id=? AND removed=0) ORDER BY recording_id, position",
                           id, readReading);
                   });
}

Expected<std::vector<StoredFinding>> BenchBook::findings(std::int64_t id) {
    return guarded(path_.string(), phrase("The findings could not be read"),
                   [&]() -> Expected<std::vector<StoredFinding>> {
                       return rowsOf<StoredFinding>(
                           *db_,
                           "SELECT recording_id, severity, code, text, from_s, to_s FROM finding "
                           "WHERE recording_id=? ORDER BY position",
                           id, readFinding);
                   });
}

Expected<std::vector<StoredFinding>> BenchBook::findingsOfCharger(std::int64_t id) {
    return guarded(path_.string(), phrase("The findings could not be read"),
                   [&]() -> Expected<std::vector<StoredFinding>> {
                       return rowsOf<StoredFinding>(
                           *db_,
                           "SELECT recording_id, severity, code, text, from_s, to_s FROM finding "
                           "WHERE recording_id IN (SELECT id FROM recording WHERE charger_id=? AND "
                           "removed=0) ORDER BY recording_id, position",
                           id, readFinding);
                   });
}

Expected<std::vector<std::int64_t>> BenchBook::recordingsWith(const std::string& reading) {
    return guarded(path_.string(), phrase("The readings could not be read"),
                   [&]() -> Expected<std::vector<std::int64_t>> {
                       std::vector<std::int64_t> out;
                       SQLite::Statement q(*db_,
                                           "SELECT DISTINCT recording_id FROM reading WHERE name=? "
                                           "ORDER BY recording_id");
                       q.bind(1, reading);
                       while (q.executeStep()) out.push_back(q.getColumn(0).getInt64());
                       return out;
                   });
}

Expected<std::string> BenchBook::strengthOf(std::int64_t id) {
    return guarded(path_.string(), phrase("The readings could not be read"),
                   [&]() -> Expected<std::string> {
                       SQLite::Statement q(*db_, "SELECT strength FROM study WHERE recording_id=?");
                       q.bind(1, id);
                       if (!q.executeStep() || q.getColumn(0).isNull()) return std::string();
                       const auto blob = q.getColumn(0);
                       return std::string(static_cast<const char*>(blob.getBlob()),
                                          static_cast<std::size_t>(blob.getBytes()));
                   });
}

Expected<std::map<std::int64_t, std::vector<StepEdit>>> BenchBook::allEdits() {
    return guarded(path_.string(), phrase("The edits could not be read"),
                   [&]() -> Expected<std::map<std::int64_t, std::vector<StepEdit>>> {
                       std::map<std::int64_t, std::vector<StepEdit>> out;
                       std::vector<std::int64_t> ids;
                       {
                           SQLite::Statement q(*db_, "SELECT DISTINCT recording_id FROM step_edit");
                           while (q.executeStep()) ids.push_back(q.getColumn(0).getInt64());
                       }
                       for (const std::int64_t id : ids) out[id] = readEdits(*db_, id);
                       return out;
                   });
}

Expected<std::map<std::int64_t, std::vector<Correction>>> BenchBook::allCorrections() {
    std::map<std::int64_t, std::vector<Correction>> out;
    std::vector<std::int64_t> ids;
    const auto listed = guarded(
        path_.string(), phrase("The corrections could not be read"), [&]() -> Expected<void> {
            SQLite::Statement q(*db_, "SELECT DISTINCT recording_id FROM correction");
            while (q.executeStep()) ids.push_back(q.getColumn(0).getInt64());
            return {};
        });
    if (!listed) return tl::unexpected<Error>(listed.error());
    for (const std::int64_t id : ids) {
        auto list = corrections(id);
        if (list) out[id] = std::move(*list);  // of a later version: its recording is not studied
    }
    return out;
}

}  // namespace nk
