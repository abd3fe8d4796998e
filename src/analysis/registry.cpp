// The registry of everything that is computed. The findings panel, the command line's JSON and the
// bench sheet are all generated from these two lists; a new reading is a new file, its test and a
// line here.
#include "analysis.h"
#include "capacity/capacity.h"
#include "finish/finish.h"
#include "log/log_quality.h"
#include "safety/safety.h"

namespace nk {

const std::vector<Metric>& metrics() {
    static const std::vector<Metric> list = {
        {"delivered_capacity", "Delivered capacity",
         "The current is summed over time by the trapezoid rule on the log's own time stamps, from "
         "the sample before the load came on to the one after it went off. "
         "The uncertainty combines the instrument's gain and offset, its resolution, noise, and "
         "what gaps and jumps between two samples leave open (GUM, JCGM 100:2008).",
         1, computeDeliveredCapacity},
        {"delivered_energy", "Delivered energy",
         "Voltage times current, summed over time by the trapezoid rule.", 1,
         computeDeliveredEnergy},
        {"mean_voltage", "Mean voltage",
         "Delivered energy divided by delivered charge. The clock and the ammeter's gain cancel; "
         "the voltmeter's do not.",
         1, computeMeanVoltage},
        {"charge_in", "Charge put in",
         "The charging current summed over time by the trapezoid rule.", 1, computeChargeIn},
        {"coulombic_efficiency", "Charge returned",
         "Charge taken out divided by the charge put in before. Only a closed cycle, from empty to "
         "empty, gives a true efficiency.",
         1, computeCoulombicEfficiency},
        {"energy_efficiency", "Energy returned",
         "Energy taken out divided by the energy put in before.", 1, computeEnergyEfficiency},
        {"health_capacity", "Health by capacity",
         "Delivered capacity divided by the rated one. Ratings are given for 0.2C at 20 ± 5 °C "
         "(IEC 61960-3 for lithium, IEC 61951-2 for nickel metal hydride); other conditions give "
         "other numbers, and are named.",
         1, computeHealth},
        {"knee_time", "Knee",
         "Where constant current turns into constant voltage: the earliest sample from which the "
         "current stays below its plateau by more than its noise while the voltage holds its band. "
         "On noisy or coarse logs, the break that explains current and voltage together best.",
         1, computeKneeTime},
        {"cv_set_voltage", "Set voltage",
         "Median of the voltage from the knee to the end of the charge.", 1, computeSetVoltage},
        {"taper_end_current", "Current at the stop",
         "Median of the last three samples before the charger stopped.", 1, computeTaperEnd},
        {"charge_in_cv", "Charge at constant voltage",
         "The charging current summed from the knee to the end.", 1, computeChargeInCv},
        {"max_temperature", "Highest temperature",
         "The highest sample of the battery's temperature column, single outliers left aside.", 1,
         computeMaxTemperature},
    };
    return list;
}

const std::vector<Check>& checks() {
    static const std::vector<Check> list = {
        {"overvoltage",
         "Running median of the voltage per cell against the fault limit of the chemistry; every "
         "logged cell is looked at.",
         checkOvervoltage},
        {"overdischarge",
         "Running median of the voltage per cell against the lowest voltage the chemistry bears.",
         checkOverdischarge},
        {"charged_cold",
         "Temperature while the current charges, against the chemistry's lower limit (0 °C for the "
         "usual lithium kinds).",
         checkChargedCold},
        {"charged_hot",
         "Temperature while the current charges, against the chemistry's upper limit (45 °C for "
         "most).",
         checkChargedHot},
        {"too_hot", "Temperature at any time against 60 °C.", checkTooHot},
        {"part_charged_start",
         "State of charge from the rested voltage before the discharge, by the chemistry's "
         "open-circuit curve.",
         checkPartChargedStart},
        {"low_voltage_cutouts",
         "Three or more loads of one level that end at the same low voltage with pauses between.",
         checkCutOuts},
        {"power_limited",
         "Current falls as the voltage rises so that their product stays constant.",
         checkPowerLimited},
        {"counter_disagrees",
         "The logger's own counter against the integral of its current, step by step; over 2 % is "
         "a finding.",
         checkCounter},
        {"logger_restart", "The clock of the log goes back and goes on from there.", checkRestarts},
        {"gaps", "Time steps over five usual intervals.", checkGaps},
        {"bad_rows", "Rows that do not read as numbers.", checkBadRows},
    };
    return list;
}

}  // namespace nk
