// Logs into the book: one act each, with what it makes of them.
#pragma once

#include <optional>

#include "open_recording.h"

namespace nk {

struct NewLog {
    std::string title, fileName;
    std::string_view bytes;
    const Imported* imported = nullptr;
    double at_s = 0;  ///< now
    /// Of which day it is, where its rows do not say so: 2026-05-01 and where that is from;
    /// "unknown" where nobody knows. Empty: as its words or its name say, else unknown.
    std::string day, dayFrom = "hand";
    std::int64_t batteryId = 0;
    std::optional<Battery> newBattery;  ///< where batteryId is 0: added with the log
    std::int64_t instrumentId = 0;
    std::optional<Instrument> newInstrument;
    std::int64_t chargerId = 0;
    std::optional<Charger> newCharger;
};

struct TakenIn {
    std::int64_t recordingId = 0, batteryId = 0, instrumentId = 0, chargerId = 0;
    bool dayKnown = false;
};

/// Stores a log with its readings; a new battery, instrument or charger comes in with it: one
/// change, one step of undo. Cancelling leaves no trace.
Expected<TakenIn> takeIn(BenchBook& book, const NewLog& log, std::stop_token stop = {});

/// The shape of a log's table: the same for all logs of one program with the same columns. Empty
/// for a table without a header.
std::string shapeOf(const Dialect& dialect);
/// The instrument that is known to write logs of this shape.
std::optional<InstrumentEntry> instrumentOfShape(const std::vector<InstrumentEntry>& all,
                                                 const std::string& shape);

/// The checks of an instrument that may hold for a log of a later time: of each kind the last one
/// on or before it.
std::vector<MeterCheck> checksFor(const std::vector<MeterCheck>& checks, double at_s);

}  // namespace nk
