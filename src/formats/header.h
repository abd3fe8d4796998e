// What a column holds, from its header words and units, in several languages.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "quantity/units.h"

namespace nk {

enum class Role {
    Ignore,
    Time,
    Date,
    Voltage,
    Current,
    Temperature,
    Cell,
    CounterAh,
    CounterWh,
    Power,
    Mode,
    SampleNumber,
    Step,
    ChargeCurrent,     ///< only what goes in, unsigned, beside a column of what comes out
    DischargeCurrent,  ///< only what comes out
    Resistance
};

std::string toString(Role role);
std::optional<Role> roleFrom(std::string_view name);

struct Column {
    std::string title;  ///< as written, trimmed
    std::optional<Unit> unit;
    std::string unitText;
    Role role = Role::Ignore;
    double score = 0;      ///< how sure the words are of the role, 0 … 10
    int number = 0;        ///< the number in the name ("Cell 3"), 0 when none
    int direction = 0;     ///< a current named after charging (+1) or discharging (−1)
    bool current = false;  ///< named as a current, though another may be taken for it
};

/// A word in lower case without its accents, as the tables of words hold it; '?' stands for a
/// letter that an encoding has lost.
std::string folded(std::string_view word);

/// Splits "Voltage [V]", "I/mA", "temp_degC" into name and unit and finds the role by words.
Column readHeaderCell(std::string_view title);

/// Where two columns claim one role, keeps the surer one; spare voltages named like cells become
/// cells, spare temperatures stay temperatures.
void settleRoles(std::vector<Column>& columns);

/// A word of a mode column: +1 charging, −1 discharging, 0 resting, nothing when unknown.
std::optional<int> modeSign(std::string_view word);

/// What loggers write where they have no value: NaN, #N/A, -, ---, OL, null, or nothing.
bool isMissing(std::string_view cell);

}  // namespace nk
