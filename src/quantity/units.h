// Units as they stand in logger headers ("V", "mA", "°F", "min"), converted at the edges:
// inside the program there are only volts, amperes, seconds, °C, Ah, Wh, Ω and W.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace nk {

enum class Quantity { Time, Voltage, Current, Temperature, Charge, Energy, Power, Resistance };

struct Unit {
    Quantity quantity = Quantity::Time;
    double factor = 1;  ///< inside = (raw + offset) · factor
    double offset = 0;

    double toInside(double raw) const { return (raw + offset) * factor; }
};

/// The unit written in `text` (case and µ/u tolerant), or nothing when it is no known unit.
std::optional<Unit> parseUnit(std::string_view text);

/// A number with a unit from the command line, "5mV", "1.5 A", "15C" (°C), "10min", converted to
/// inside units of the wanted quantity. A bare number is taken as already inside.
std::optional<double> parseQuantity(std::string_view text, Quantity wanted);

/// Case-folds ASCII letters and the Latin-1 range of UTF-8 ("Ä" → "ä").
std::string lowered(std::string_view text);
std::string trimmed(std::string_view text);

}  // namespace nk
