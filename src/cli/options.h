// Options that several commands share, and how they turn into core types.
#pragma once

#include <CLI/CLI.hpp>
#include <string>

#include "chemistry/chemistry.h"
#include "formats/text_table.h"

namespace nk {

struct BatteryOptions {
    std::string chemistry;
    int series = 0;
    int parallel = 1;
    double rated_Ah = 0;
    double mass_kg = 0;
    double ambient_C = Battery::kUnknown;
    double setCurrent_A = 0;

    void addTo(CLI::App& command);
    Expected<Battery> battery() const;
};

struct ReadingOptions {
    std::string sign = "auto";
    std::string map;
    double interval_s = 0;
    unsigned threads = 0;

    void addTo(CLI::App& command);
    Expected<ReadOptions> options() const;
};

}  // namespace nk
