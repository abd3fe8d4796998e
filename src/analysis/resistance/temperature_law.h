// Resistance over temperature, and readings that were repeated by hand.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "quantity/error.h"
#include "quantity/reading.h"

namespace nk {

/// R(T) = R25·exp(Ea/Rg·(1/T − 1/298.15)), T in kelvin.
struct TemperatureLaw {
    double r25_ohm = kNaN;
    double r25Uncertainty_ohm = kNaN;
    double activation_J_mol = kNaN;
    double activationUncertainty_J_mol = kNaN;
    bool fitted = false;  ///< false: the activation energy is the chemistry's default

    double resistance_ohm(double temperature_C) const;
};

struct ResistanceAt {
    double temperature_C = 0;
    double resistance_ohm = 0;
    double uncertainty_ohm = 0;
};

/// Weighted straight line through ln R over 1/T. Needs two or more temperatures that lie 5 K apart;
/// else the default activation energy is taken and R25 is the weighted mean of the readings.
/// Nothing without a usable reading.
std::optional<TemperatureLaw> fitTemperatureLaw(std::span<const ResistanceAt> readings,
                                                double defaultActivation_J_mol);

/// Repeated readings of one meter (methods.md §6): the first is dropped as contact when it lies
/// over 10 % above the median of the others.
struct RepeatedReading {
    double median = kNaN;
    double uncertainty = kNaN;  ///< standard, of the median: 1.2533·s/√n
    double spread = 0;          ///< largest minus smallest of those that count
    bool firstDropped = false;
    std::size_t used = 0;
    std::string words;
};
Expected<RepeatedReading> summariseRepeats(std::span<const double> readings_ohm);

}  // namespace nk
