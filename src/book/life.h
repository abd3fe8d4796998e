// What a battery is beyond its card: where it belongs, what it is used for, whether it is used at
// all. Nothing of it decides a number; a change of it makes no reading stale.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "quantity/error.h"
#include "quantity/reading.h"

namespace nk {

struct BatteryLife {
    std::int64_t partOf = 0;  ///< the battery it is a part of; 0: of none
    int position = 0;         ///< in it, from 1; 0: not said
    std::string serial;
    std::vector<std::string> tags;  ///< no commas, none twice
    std::string usedIn;             ///< where it is used
    double inUseSince_s = kNaN;     ///< seconds since 1970 UTC
    double bought_s = kNaN;
    std::string notes;
    double worth = kNaN;      ///< what one charge is worth in its use, in `worthUnit`
    std::string worthUnit;    ///< km, flights, min: a word of the user's
    double retired_s = kNaN;  ///< since when it lies in the drawer; NaN: it does not
    int boughtNew = -1;       ///< 1 new, 0 used, −1: not said
    std::string outOfUse;     ///< why it must not be used, until a person says otherwise
    std::string photo;        ///< SHA-256 of its picture in the book; empty: none

    bool retired() const { return std::isfinite(retired_s); }
    bool operator==(const BatteryLife& other) const;

    /// Errors: a worth that is no positive number or without its unit, a position under 0, a
    /// text over 10,000 bytes, a tag with a comma.
    Expected<void> check() const;
};

/// Something on the due list that was done (history/due.h).
struct TaskDone {
    std::int64_t id = 0;
    std::int64_t batteryId = 0;
    std::string task;  ///< its identifier
    double at_s = kNaN;
};

/// As it is stored, without what has a column of its own (`partOf`, `position`, `photo`).
std::string lifeJson(const BatteryLife& life);
/// Unknown fields are passed over; damaged ones count as not given.
void readLife(const std::string& json, BatteryLife& life);

}  // namespace nk
