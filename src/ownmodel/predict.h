// What a battery would do by its own model: steps, minutes, charge, warmth, each with an interval.
#pragma once

#include <string>

#include "own_model.h"

namespace nk {

struct PredictStep {
    /// PeakCharge is nickel's: at constant current to its peak, or by the clock.
    enum class Kind { Charge, PeakCharge, Discharge, Power, Rest } kind = Kind::Rest;
    std::string text;  ///< as given
    double value = 0;  ///< A or W
    double volts = 0;  ///< a cell: set voltage or floor
    double cutoff_A = 0;
    double duration_s = 0;       ///< of a rest, or of a charge by the clock (0: to the peak)
    double drop_V = 0;           ///< a cell, under the peak at which a charge ends
    double on_s = 0, off_s = 0;  ///< a load that pulses: on and off in turn; 0: it does not
    double ease_s = 0;           ///< a load that grows evenly from nothing over so long
    bool charges() const { return kind == Kind::Charge || kind == Kind::PeakCharge; }
};

/// `charge:2A:4.20V:0.1A`; nickel `charge:1A:peak`, `charge:1A:peak-5mV` (a cell),
/// `charge:0.2A:14h`; `discharge:5A:3.0V`, `power:20W:3.0V`, `rest:30min`; loads may add
/// `pulse:10s:20s` (on, off; a second or more) and `ease:60s`. Errors: anything else, figures that
/// cannot be.
Expected<PredictStep> readPredictStep(const std::string& text);

struct PredictedStep {
    PredictStep step;
    double duration_s = kNaN, uncertainty_s = kNaN;
    double knee_s = kNaN;
    double charge_Ah = kNaN, uncertainty_Ah = kNaN;
    double maxTemperature_C = kNaN;
    double endVoltage_V = kNaN;  ///< a cell
    /// After it, as startSoc of the setting counts.
    double endSoc = kNaN, endSocUncertainty = kNaN;
    bool extrapolated = false;
    std::vector<std::string> caveats;
    std::vector<double> time_s, voltage_V;  ///< a cell; for the picture
};

struct PredictSetting {
    double startSoc = 1;  ///< 1 is full at the set voltage and rested
    double ambient_C = 25;
};

/// Steps one after the other. Uncertainty: the same run with the voltage off by the left-out error,
/// the resistances by their share, every charge by the instrument's gain, nickel's overcharge to
/// the peak and the fall behind it by theirs; squared and added. Outside the evidence (rate,
/// warmth, level) twice as wide, and marked. Errors: nickel charged to a voltage, lithium to a peak
/// or by the clock, a set voltage above the chemistry's fault limit, no steps.
Expected<std::vector<PredictedStep>> predict(const OwnModel& model,
                                             const std::vector<PredictStep>& steps,
                                             const PredictSetting& setting);

}  // namespace nk
