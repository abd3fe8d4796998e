// One way to read a table: which column is what, in which units, with which decimal sign and time.
// Several are proposed (candidates.cpp), each is judged by how its samples fit one another and a
// battery (judges.cpp), and the best is taken when it is clearly better (dialect.cpp).
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "column_facts.h"
#include "header.h"

namespace nk {

struct Hypothesis {
    char decimal = '.';
    std::vector<Column> columns;  ///< with roles and units
    TimeStyle time;
    double timeFactor = 1;
    double prior = 0;  ///< how likely it is before the samples are looked at, a log-likelihood
    std::vector<std::string> said;  ///< assumptions in plain words
};

/// The samples under a hypothesis, in inside units. NaN where a row has no value.
struct Probe {
    std::vector<double> time_s, voltage_V, current_A, power_W, temperature_C, counter_Ah,
        counter_Wh;
    std::vector<std::vector<double>> cells_V;
    std::vector<bool> follows;  ///< the row follows the one before it directly
    bool unsignedCurrent = false;
};

/// What a hypothesis would mean for the answers: two of them that mean the same are no question.
struct Meaning {
    double moved_Ah = 0, net_Ah = 0, energy_Wh = 0, lasts_s = 0, warmest_C = 0;
    std::size_t cells = 0;
};

Probe probeOf(const SampledTable& table, const std::vector<ColumnFacts>& facts, const Hypothesis& h,
              const ReadOptions& options);
Meaning meaningOf(const Probe& probe);
bool sameMeaning(const Meaning& a, const Meaning& b);

/// All ways worth looking at. Empty when a needed column cannot be found; `missing` then says
/// which.
std::vector<Hypothesis> candidates(const SampledTable& table, const std::vector<ColumnFacts>& facts,
                                   const std::vector<Column>& named, const ReadOptions& options,
                                   std::string& missing);

/// A judge looks at one aspect and gives a log-likelihood, 0 when it has nothing to say.
struct Judge {
    const char* name;
    double (*judge)(const Probe& probe, const BatteryHint& hint);
};
const std::vector<Judge>& judges();

/// The prior and all judges together.
double judged(const Hypothesis& h, const Probe& probe, const BatteryHint& hint);

}  // namespace nk
