// What the title of a column in a table of cycles says: which figure it is, in which unit.
#pragma once

#include <string>
#include <vector>

namespace nk {

enum class CycleRole {
    None,
    Cell,
    Cycle,
    Capacity,
    Charge,
    Energy,
    Resistance,
    Temperature,
    Rate,
    Day,
    Throughput
};

/// What a title says of its column.
struct CycleColumn {
    CycleRole role = CycleRole::None;
    int sure = 0;       ///< the surer column of a role is taken
    double factor = 1;  ///< to Ah, ohm, days
    std::string unit;   ///< of a capacity
    bool said = false;  ///< the title says the unit
};

/// Lower case, accents of Latin letters taken off, words split at what is neither letter nor digit
/// and where a capital follows a small letter.
std::vector<std::string> titleWords(const std::string& title);

/// By the beginnings of its words in several languages; `sure` −1: something that is known to be of
/// no use here.
CycleColumn recogniseCycleColumn(const std::string& title);

}  // namespace nk
