#include "convert_edits.h"

#include <SQLiteCpp/SQLiteCpp.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "bench_book.h"
#include "guard.h"
#include "notes.h"
#include "samples.h"

namespace nk {

namespace {

Battery batteryOf(SQLite::Database& db, std::int64_t recordingId) {
    Battery b;
    SQLite::Statement q(db,
                        "SELECT chemistry, series, parallel, rated_Ah, mass_kg, card FROM battery "
                        "JOIN recording ON battery_id=battery.id WHERE recording.id=?");
    q.bind(1, recordingId);
    if (!q.executeStep()) return b;
    b.chemistry = q.getColumn(0).getString();
    b.series = q.getColumn(1).getInt();
    b.parallel = q.getColumn(2).getInt();
    b.rated_Ah = q.getColumn(3).getDouble();
    b.mass_kg = q.getColumn(4).getDouble();
    readCard(q.getColumn(5).getString(), b);
    return b;
}

std::vector<Correction> correctionsOf(SQLite::Database& db, std::int64_t recordingId) {
    std::vector<Correction> out;
    SQLite::Statement q(db,
                        "SELECT kind, value, from_s, to_s FROM correction WHERE recording_id=? "
                        "ORDER BY id");
    q.bind(1, recordingId);
    while (q.executeStep()) {
        Correction c;
        if (!correctionKindFrom(q.getColumn(0).getString(), c.kind)) continue;
        c.value = q.getColumn(1).getDouble();
        c.from_s = q.getColumn(2).getDouble();
        c.to_s = q.getColumn(3).isNull() ? kNaN : q.getColumn(3).getDouble();
        out.push_back(c);
    }
    return out;
}

void settle(SQLite::Database& db, std::int64_t id) {
    RecordingData data;
    std::vector<std::string> ignored;
    std::size_t samples = 0;
    {
        SQLite::Statement q(db, "SELECT notes, samples FROM recording WHERE id=?");
        q.bind(1, id);
        if (!q.executeStep()) return;
        samples = static_cast<std::size_t>(std::max<std::int64_t>(0, q.getColumn(1).getInt64()));
        if (!readNotes(q.getColumn(0).getString(), data, ignored)) return;
    }
    (void)readSamples(db, id, samples, data, {});
    if (!consistent(data)) return;
    const auto corrections = correctionsOf(db, id);
    const RecordingPtr recording = applyCorrections(Recording::make(std::move(data)), corrections);
    const Battery battery =
        completeBattery(batteryOf(db, id), recording->voltage_V(), recording->current_A(),
                        static_cast<int>(recording->cells_V().size()));
    writeEdits(db, id,
               settleEdits(*recording, battery, findSteps(*recording, battery), readEdits(db, id)));
}

}  // namespace

std::string madeText(const std::vector<EditedStep>& made) {
    if (made.empty()) return {};
    auto list = nlohmann::json::array();
    for (const EditedStep& e : made) list.push_back({e.from_s, e.to_s, toString(e.kind)});
    return list.dump();
}

std::vector<EditedStep> readMade(const std::string& text) {
    std::vector<EditedStep> out;
    const auto list = nlohmann::json::parse(text, nullptr, false);
    if (list.is_discarded() || !list.is_array()) return out;
    for (const auto& e : list) {
        if (!e.is_array() || e.size() != 3 || !e[0].is_number() || !e[1].is_number() ||
            !e[2].is_string())
            return {};
        const auto kind = stepKindFrom(e[2].get<std::string>());
        const EditedStep step{e[0].get<double>(), e[1].get<double>(),
                              kind.value_or(StepKind::Variable)};
        if (!kind || !(step.from_s <= step.to_s) ||
            (!out.empty() && step.from_s < out.back().from_s))
            return {};
        out.push_back(step);
    }
    return out;
}

std::vector<StepEdit> readEdits(SQLite::Database& db, std::int64_t recordingId) {
    std::vector<StepEdit> out;
    SQLite::Statement q(db,
                        "SELECT action, at_s, kind, made FROM step_edit WHERE recording_id=? "
                        "ORDER BY position");
    q.bind(1, recordingId);
    while (q.executeStep()) {
        StepEdit e;
        e.action = stepActionFrom(q.getColumn(0).getString()).value_or(StepEdit::Action::Rename);
        e.at_s = q.getColumn(1).getDouble();
        e.kind = stepKindFrom(q.getColumn(2).getString()).value_or(StepKind::Variable);
        e.made = readMade(q.getColumn(3).getString());
        out.push_back(std::move(e));
    }
    return out;
}

void writeEdits(SQLite::Database& db, std::int64_t recordingId,
                const std::vector<StepEdit>& edits) {
    SQLite::Statement clear(db, "DELETE FROM step_edit WHERE recording_id=?");
    clear.bind(1, recordingId);
    clear.exec();
    SQLite::Statement insert(db,
                             "INSERT INTO step_edit(recording_id, position, action, at_s, kind, "
                             "made) VALUES (?,?,?,?,?,?)");
    std::int64_t position = 0;
    for (const StepEdit& e : edits) {
        insert.reset();
        insert.bind(1, recordingId);
        insert.bind(2, position++);
        insert.bind(3, toString(e.action));
        insert.bind(4, e.at_s);
        insert.bind(5, toString(e.kind));
        insert.bind(6, madeText(e.made));
        insert.exec();
    }
}

void settleStoredEdits(SQLite::Database& db) {
    std::set<std::int64_t> edited;
    {
        SQLite::Statement q(db, "SELECT DISTINCT recording_id FROM step_edit");
        while (q.executeStep()) edited.insert(q.getColumn(0).getInt64());
    }
    for (const std::int64_t id : edited) {
        try {
            settle(db, id);
        } catch (const Refused&) {
            // Its samples are damaged: the edits stay as they were asked for.
        } catch (const std::logic_error&) {
        }
    }
}

}  // namespace nk
