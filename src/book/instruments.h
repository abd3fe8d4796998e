// What logs were taken with, and what charged the batteries: things in the book, with what is known
// of them.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "quantity/uncertainty.h"
#include "recording/correction.h"

namespace nk {

/// An instrument that writes logs.
struct Instrument {
    std::string name;
    InstrumentAccuracy accuracy;
    std::vector<std::string>
        shapes;  ///< header lines of the logs it writes (formats/table_shape.h)
    std::string note;
    bool operator==(const Instrument&) const = default;
};

struct InstrumentEntry {
    std::int64_t id = 0, revision = 0;
    Instrument instrument;
};

/// What an independent meter showed of an instrument on a day: it holds for its later logs as far
/// as the user says so.
struct MeterCheck {
    std::int64_t id = 0, instrumentId = 0;
    double at_s = 0;        ///< seconds since 1970, UTC
    Correction correction;  ///< voltage offset or lead resistance
};

struct Charger {
    std::string name;
    std::string note;
    bool operator==(const Charger&) const = default;
};

struct ChargerEntry {
    std::int64_t id = 0, revision = 0;
    Charger charger;
};

std::string instrumentCard(const Instrument& instrument);
void readInstrumentCard(const std::string& json, Instrument& instrument);
/// The accuracy as it is stored, and back; what cannot be is left at the usual figures.
std::string accuracyJson(const InstrumentAccuracy& accuracy);
InstrumentAccuracy readAccuracy(const std::string& json);

}  // namespace nk
