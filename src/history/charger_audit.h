// What a charger does, told by all the charges it has made.
#pragma once

#include <string>
#include <vector>

#include "book/bench_book.h"

namespace nk {

/// One thing that a charger did in some of its charges.
struct ChargerHabit {
    std::string code;  ///< finding, or "set_voltage"
    std::size_t times = 0, of = 0;
    std::string words;  ///< "In 6 of 9 charges it held 4.24 V a cell."
    bool hazard = false;
    std::vector<std::int64_t> recordings;  ///< the evidence
};

struct ChargerAudit {
    ChargerEntry charger;
    std::size_t charges = 0;           ///< logs with a charge by it
    std::vector<ChargerHabit> habits;  ///< hazards first, then the most frequent
};

/// From the stored findings and readings; nothing is analysed again. Errors: the book cannot be
/// read, no such charger.
Expected<ChargerAudit> auditCharger(BenchBook& book, std::int64_t chargerId);

}  // namespace nk
