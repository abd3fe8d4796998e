// Options that several commands share, and how they turn into core types.
#pragma once

#include <CLI/CLI.hpp>
#include <cmath>
#include <string>

#include "chemistry/chemistry.h"
#include "formats/text_table.h"
#include "quantity/uncertainty.h"

namespace nk {

/// A number from `low` to `high`, both allowed, and no "nan", which a comparison alone lets pass.
template <class T>
CLI::Validator within(T low, T high) {
    const CLI::Range range(low, high);
    return CLI::Validator(
        [range](std::string& text) {
            double value = 0;
            if (CLI::detail::lexical_cast(text, value) && !std::isfinite(value))
                return "Value " + text + " is no finite number";
            return range(text);
        },
        range.get_description());
}

struct BatteryOptions {
    std::string chemistry;
    int series = 0;
    int parallel = 1;
    double rated_Ah = 0;
    double measured_Ah = 0;
    double mass_kg = 0;
    double ambient_C = Battery::kUnknown;
    double setCurrent_A = 0;

    void addTo(CLI::App& command);
    Expected<Battery> battery() const;
};

struct ReadingOptions {
    std::string sign = "auto";
    std::string map;
    std::string dateOrder, decimal, load, accuracyText;
    std::vector<std::string> units;
    double interval_s = 0;
    unsigned threads = 0;

    void addTo(CLI::App& command);
    /// `battery`: what is known of it helps to tell readings of a log apart.
    Expected<ReadOptions> options(const Battery& battery) const;
    /// The accuracy of the instrument, default or as given.
    Expected<InstrumentAccuracy> accuracy() const;
};

/// What a command is told of battery, log and instrument. Errors are of wrong usage.
struct CommandInput {
    Battery battery;
    ReadOptions options;
    InstrumentAccuracy accuracy;
};
Expected<CommandInput> commandInput(const BatteryOptions& battery, const ReadingOptions& reading);

}  // namespace nk
