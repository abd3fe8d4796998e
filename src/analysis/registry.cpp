// The registry of everything that is computed. The findings panel, the command line's JSON and the
// bench sheet are all generated from these two lists; a new reading is a new file, its test and a
// line here.
#include "analysis.h"
#include "capacity/capacity.h"
#include "finish/audit.h"
#include "finish/finish.h"
#include "finish/nickel.h"
#include "finish/relaxation.h"
#include "finish/taper.h"
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
         "Median of the last three samples before the charger stopped.", 1, computeTaperEnd,
         Question::Finish},
        {"charge_in_cv", "Charge at constant voltage",
         "The charging current summed from the knee to the end.", 1, computeChargeInCv,
         Question::Finish},
        {"taper_time_constant", "Time constant of the taper",
         "The part of the tail under half of its first current is fitted with one exponential and, "
         "where the data show one, a floor current (variable projection). In theory it is 3600·R/k "
         "seconds for a resistance R and an open-circuit slope k in V/Ah.",
         1, computeTaperTimeConstant, Question::Finish},
        {"charge_left_at_stop", "Charge still missing at the stop",
         "The integral of the fitted tail from the stop until the current would reach zero, or its "
         "floor, at the same set voltage: the current over the floor times the time constant. "
         "Where models that fit alike disagree, their range is in the uncertainty.",
         1, computeChargeLeft, Question::Finish},
        {"fullness_at_stop", "Fullness at the stop",
         "One minus the missing charge over the rated capacity.", 1, computeFullness,
         Question::Finish},
        {"rested_voltage", "Rested voltage",
         "The voltage of the rest after a charge or discharge, fitted with one exponential after "
         "its first tenth and carried on to its end. Every time constant that fits about as well "
         "counts in the uncertainty.",
         1, computeRestedVoltage, Question::Finish},
        {"peak_time", "Voltage peak",
         "Highest point of the smoothed voltage (centred, at most one minute) after a hold-off of "
         "ten minutes that is followed by a fall of 1 mV a cell or more. −ΔV as described in "
         "Linden, Handbook of Batteries (from memory).",
         1, computePeakTime},
        {"peak_drop_per_cell", "Drop after the peak",
         "Smoothed peak voltage minus the voltage at the stop, per cell.", 1, computePeakDrop,
         Question::Finish},
        {"end_dtdt", "Warming at the stop",
         "Straight line through the temperature of the last 120 seconds of the charge.", 1,
         computeEndDtdt, Question::Finish},
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
        {"overdrained_start", "Rested voltage before a charge against what the chemistry bears.",
         checkOverdrainedStart, Question::Finish},
        {"wrong_chemistry",
         "The voltage a charger held against the set voltages of the chemistries.",
         checkWrongChemistry, Question::Finish},
        {"not_terminated",
         "More than an hour at the set voltage with a current that stays in a band above zero.",
         checkNotTerminated, Question::Finish},
        {"stopped_early", "Constant voltage that ended above 1.1 times C/10.", checkStoppedEarly,
         Question::Finish},
        {"tops_up", "Two or more further charges to the set voltage after the end of a charge.",
         checkTopsUp, Question::Finish},
        {"overcharged",
         "Nickel: charge after the peak over a tenth of the rating, or more than 165 % of it put "
         "in.",
         checkOvercharged, Question::Finish},
        {"no_peak", "Nickel: no fall of 1 mV a cell from a maximum after ten minutes.", checkNoPeak,
         Question::Finish},
        {"false_peak", "Nickel: a maximum in the first ten minutes from which the voltage fell.",
         checkFalsePeak, Question::Finish},
        {"worn",
         "Set voltage reached within a minute of the start although the battery was not nearly "
         "full.",
         checkFirstMinute, Question::Finish},
        {"current_not_as_set",
         "The charging current in the log against what was set on the charger, from the battery "
         "card; more than 5 % apart is a finding, with its cause where the log shows one.",
         checkCurrentNotAsSet, Question::Finish},
        {"charger_restarted",
         "A charge that broke off without a sign of its end and went on at the same current within "
         "half an hour.",
         checkChargerRestarted, Question::Finish},
        {"good_finish",
         "A taper to C/10 or less at the chemistry's own set voltage. Schools: C/10 quick, C/20 "
         "usual, C/30 to C/50 patient.",
         checkGoodFinish, Question::Finish},
        {"balancing", "A steady small current at the end while the logged cells come together.",
         checkBalancing, Question::Finish},
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
