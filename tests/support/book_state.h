// A bench book as one text, to compare states, and a small log to put into it.
#pragma once

#include <fmt/format.h>

#include <string>

#include "book/bench_book.h"
#include "formats/text_table.h"

namespace nk::test {

/// A small log, the same each time.
inline const Imported& smallLog() {
    static const Imported log = [] {
        std::string text = "Time (s),Voltage (V),Current (A)\n";
        for (int k = 0; k < 400; ++k) text += fmt::format("{},{:.6f},1.0\n", k, 3.6 + 0.001 * k);
        return *readTextTable(text, "small.csv");
    }();
    return log;
}

/// Numbers that read back as the same ones, named, as one text.
class StateText {
  public:
    StateText& add(const char* what, double x) { return add(what, fmt::format("{:.17g}", x)); }
    StateText& add(const char* what, const std::string& text) {
        out_ += fmt::format(" {}={}", what, text);
        return *this;
    }
    void line(const char* what, std::int64_t id) { out_ += fmt::format("\n{} {}", what, id); }
    const std::string& text() const { return out_; }

  private:
    std::string out_;
};

inline void addLife(StateText& out, const BatteryLife& life) {
    out.add("life", lifeJson(life))
        .add("part_of", static_cast<double>(life.partOf))
        .add("place", static_cast<double>(life.position))
        .add("photo", life.photo);
}

inline void addRecording(StateText& out, BenchBook& book, const RecordingEntry& e) {
    out.line("recording", e.id);
    out.add("battery", static_cast<double>(e.batteryId))
        .add("instrument", static_cast<double>(e.instrumentId))
        .add("charger", static_cast<double>(e.chargerId))
        .add("title", e.title)
        .add("file", e.fileName)
        .add("hash", e.sha256)
        .add("rows", static_cast<double>(e.rowsRead))
        .add("skipped", static_cast<double>(e.rowsSkipped))
        .add("start", e.startEpoch_s)
        .add("bytes", book.original(e.id).value_or("?"));
    if (const auto samples = book.load(e.id)) {
        double sum = 0;
        for (const double x : (*samples)->voltage_V()) sum += x;
        for (const double x : (*samples)->current_A()) sum += x;
        out.add("samples", static_cast<double>((*samples)->size())).add("sum", sum);
    } else {
        out.add("samples", std::string("unreadable"));
    }
    if (const auto edits = book.edits(e.id))
        for (const StepEdit& edit : *edits) {
            out.add("edit", toString(edit.action))
                .add("at", edit.at_s)
                .add("as", toString(edit.kind));
            for (const EditedStep& step : edit.made)
                out.add("from", step.from_s).add("to", step.to_s).add("kind", toString(step.kind));
        }
    else
        out.add("edits", std::string("unreadable"));
    if (const auto corrections = book.corrections(e.id))
        for (const Correction& c : *corrections)
            out.add("correction", toString(c.kind))
                .add("value", c.value)
                .add("u", c.uncertainty)
                .add("from", c.from_s)
                .add("to", c.to_s)
                .add("name", c.name);
}

/// All that can be seen of a book and that a person put there, as one text: cards with all their
/// fields, logs with their bytes, what was edited, read by hand, set and done. Not the revisions,
/// which never go back, nor what the program works out by itself.
inline std::string stateOf(BenchBook& book) {
    StateText out;
    const auto batteries = book.batteries();
    const auto recordings = book.recordings();
    const auto lives = book.lives();
    if (!batteries || !recordings || !lives) return "unreadable";
    for (const BatteryEntry& e : *batteries) {
        out.line("battery", e.id);
        const Battery& b = e.battery;
        out.add("name", b.name)
            .add("chemistry", b.chemistry)
            .add("series", b.series)
            .add("parallel", b.parallel)
            .add("rated", b.rated_Ah)
            .add("mass", b.mass_kg)
            .add("ambient", b.ambient_C)
            .add("label", b.label_C)
            .add("set_A", b.charger.current_A)
            .add("cutoff", b.charger.cutoff_A)
            .add("limit", b.charger.charge_Ah)
            .add("full_V", b.limits().set_V)
            .add("floor_V", b.limits().dischargeFloor_V)
            .add("charge_C", b.limits().chargeC)
            .add("curve", static_cast<double>(b.ownCurve().soc.size()));
        for (const std::string& rule : b.rules) out.add("rule", rule);
        for (const std::string& field : b.assumed) out.add("assumed", field);
        if (const auto life = lives->find(e.id); life != lives->end()) addLife(out, life->second);
        if (const auto spots = book.spotReadings(e.id))
            for (const SpotReading& r : *spots) {
                out.add("by_hand", r.kind)
                    .add("value", r.value)
                    .add("digit", r.resolution)
                    .add("on", r.atEpoch_s)
                    .add("method", r.method)
                    .add("C", r.temperature_C)
                    .add("A", r.current_A)
                    .add("note", r.note);
                for (const double x : r.repeats) out.add("again", x);
            }
    }
    for (const RecordingEntry& e : *recordings) addRecording(out, book, e);
    if (const auto list = book.instruments())
        for (const InstrumentEntry& e : *list) {
            out.line("instrument", e.id);
            out.add("name", e.instrument.name).add("card", instrumentCard(e.instrument));
        }
    if (const auto list = book.chargers())
        for (const ChargerEntry& e : *list) {
            out.line("charger", e.id);
            out.add("name", e.charger.name).add("note", e.charger.note);
        }
    if (const auto list = book.meterChecks())
        for (const MeterCheck& c : *list)
            out.add("check", static_cast<double>(c.instrumentId))
                .add("on", c.at_s)
                .add("kind", toString(c.correction.kind))
                .add("value", c.correction.value);
    if (const auto list = book.tasksDone())
        for (const TaskDone& done : *list)
            out.add("done", done.task)
                .add("of", static_cast<double>(done.batteryId))
                .add("on", done.at_s);
    for (const char* name : {"shelf.columns", "due.periods"})
        out.add(name, book.setting(name).value_or("?"));
    if (const auto usual = book.usualAccuracy()) out.add("usual", accuracyJson(*usual));
    return out.text() + "|undo " + book.undoLabel().value_or("?");
}

}  // namespace nk::test
