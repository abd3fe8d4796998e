// A bench book as one text, to compare states, and a small log to put into it.
#pragma once

#include <string>

#include "book/bench_book.h"
#include "formats/text_table.h"

namespace nk::test {

/// A small log, the same each time.
inline const Imported& smallLog() {
    static const Imported log = [] {
        std::string text = "Time (s),Voltage (V),Current (A)\n";
        for (int k = 0; k < 400; ++k)
            text += std::to_string(k) + "," + std::to_string(3.6 + 0.001 * k) + ",1.0\n";
        return *readTextTable(text, "small.csv");
    }();
    return log;
}

/// All that can be seen of a book, as one text.
inline std::string stateOf(BenchBook& book) {
    std::string out;
    const auto batteries = book.batteries();
    const auto recordings = book.recordings();
    if (!batteries || !recordings) return "unreadable";
    for (const BatteryEntry& e : *batteries) out += e.battery.name + ";";
    for (const RecordingEntry& e : *recordings) {
        const auto samples = book.load(e.id);
        const auto bytes = book.original(e.id);
        const auto edits = book.edits(e.id);
        out += "|" + e.title + ":" + std::to_string(samples ? (*samples)->size() : 0) + ":" +
               bytes.value_or("?") + ":" + std::to_string(edits ? edits->size() : 99);
        if (const auto corrections = book.corrections(e.id))
            for (const Correction& c : *corrections) out += "+" + c.name;
        out += "@" + std::to_string(e.batteryId);
    }
    for (const BatteryEntry& e : *batteries)
        if (const auto spots = book.spotReadings(e.id))
            for (const SpotReading& r : *spots) out += "=" + std::to_string(r.value);
    out += "|undo " + book.undoLabel().value_or("?");
    return out;
}

}  // namespace nk::test
