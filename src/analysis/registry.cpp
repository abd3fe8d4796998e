// The registry of everything that is computed. The findings panel, the command line's JSON and the
// bench sheet are all generated from these two lists; a new reading is a new file, its test and a
// line here.
#include "analysis.h"
#include "capacity/capacity.h"
#include "card_lines.h"
#include "finish/audit.h"
#include "finish/charge_left.h"
#include "finish/finish.h"
#include "finish/nickel.h"
#include "finish/relaxation.h"
#include "finish/taper.h"
#include "log/log_quality.h"
#include "pack/pack.h"
#include "rating/rating_readings.h"
#include "resistance/current_step.h"
#include "resistance/load_regression.h"
#include "resistance/resistance_findings.h"
#include "resistance/standard.h"
#include "safety/safety.h"

namespace nk {

namespace {

std::vector<Metric> ownMetrics() {
    return {
        {"delivered_capacity",
         "Delivered capacity",
         "The current is summed over time by the trapezoid rule on the log's own time stamps, from "
         "the sample before the load came on to the one after it went off. "
         "The uncertainty combines the instrument's gain and offset, its resolution, noise, and "
         "what gaps and jumps between two samples leave open (GUM, JCGM 100:2008).",
         2,
         computeDeliveredCapacity,
         Question::Curve,
         {.rank = 10,
          .topic = Topic::Capacity,
          .label = "CAPACITY",
          .alsoUnmeasurable = true,
          .words = deliveredWords,
          .under = underCapacity}},
        {"delivered_energy", "Delivered energy",
         "Voltage times current, summed over time by the trapezoid rule.", 2,
         computeDeliveredEnergy},
        {"mean_voltage", "Mean voltage",
         "Delivered energy divided by delivered charge. The clock and the ammeter's gain cancel; "
         "the voltmeter's do not.",
         1, computeMeanVoltage},
        {"charge_in", "Charge put in",
         "The charging current summed over time by the trapezoid rule.", 2, computeChargeIn},
        {"coulombic_efficiency",
         "Charge returned",
         "Charge taken out divided by the charge put in before. Only a closed cycle, from empty to "
         "empty, gives a true efficiency.",
         1,
         computeCoulombicEfficiency,
         Question::Curve,
         {.rank = 30,
          .topic = Topic::Capacity,
          .label = "EFFICIENCY",
          .sentence = "Of the charge put in, the battery gave back",
          .under = underEfficiency}},
        {"energy_efficiency", "Energy returned",
         "Energy taken out divided by the energy put in before.", 1, computeEnergyEfficiency},
        {"health_capacity", "Health by capacity",
         "Delivered capacity divided by the rated one. Ratings are given for 0.2C at 20 ± 5 °C "
         "(IEC 61960-3 for lithium, IEC 61951-2 for nickel metal hydride); other conditions give "
         "other numbers, and are named.",
         2, computeHealth},
        {"knee_time",
         "Knee",
         "Where constant current turns into constant voltage: the middle of the stretch before the "
         "first sample from which the current stays below its plateau by more than its noise while "
         "the voltage holds its band. On noisy or coarse logs, the break that explains current and "
         "voltage together best, joined with the moment at which the rising voltage meets the set "
         "voltage.",
         2,
         computeKneeTime,
         Question::Curve,
         {.rank = 20,
          .topic = Topic::Voltage,
          .label = "KNEE",
          .sentence = "Constant current turned into constant voltage at",
          .atFinish = true,
          .under = underKnee}},
        {"cv_set_voltage", "Set voltage",
         "Median of the voltage from the knee to the end of the charge.", 1, computeSetVoltage},
        {"taper_end_current", "Current at the stop",
         "A parabola through the last samples of the taper, at least ten, read at the moment of "
         "the stop, which lies between two rows.",
         2, computeTaperEnd, Question::Finish},
        {"charge_in_cv", "Charge at constant voltage",
         "The charging current summed from the knee to the stop.", 2, computeChargeInCv,
         Question::Finish},
        {"taper_time_constant", "Time constant of the taper",
         "The part of the tail under half of its first current is fitted with one exponential and, "
         "where the data show one, a floor current (variable projection). In theory it is 3600·R/k "
         "seconds for a resistance R and an open-circuit slope k in V/Ah.",
         1, computeTaperTimeConstant, Question::Finish},
        {"charge_left_at_stop", "Charge still missing at the stop",
         "Over the charge that entered, the current of a late taper is a straight line: it is "
         "carried "
         "on from the stop to a thousandth of the rating, at the voltage of the stop. A shorter "
         "line "
         "and a parabola through more of the tail tell how far to trust it; a charger whose "
         "voltage "
         "gives way is accounted for.",
         2, computeChargeLeft, Question::Finish},
        {"fullness_at_stop",
         "Fullness at the stop",
         "D/(D + missing charge), D what a slow discharge from the stop gives: from a discharge in "
         "the "
         "log, or the charge counted up from the floor, else from what the rating and the charge "
         "put "
         "in allow.",
         2,
         computeFullness,
         Question::Finish,
         {.rank = 40,
          .topic = Topic::Voltage,
          .label = "FULLNESS",
          .sentence = "When the charge stopped, it was full to",
          .under = underFullness}},
        {"rested_voltage",
         "Rested voltage",
         "The voltage of the rest after a charge or discharge, fitted with one exponential and "
         "carried on to its end. The beginning, where quick processes count, is left out as far as "
         "a later part contradicts it; every time constant that fits about as well, and what the "
         "next later part would say, count in the uncertainty.",
         1,
         computeRestedVoltage,
         Question::Finish,
         {.rank = 40,
          .topic = Topic::Voltage,
          .label = "AT REST",
          .sentence = "After the charge the voltage settles at",
          .applies = afterCharge}},
        {"peak_time",
         "Voltage peak",
         "The top of a cubic through all rows near the highest smoothed voltage after a hold-off "
         "of ten minutes that is followed by a fall of 1 mV a cell or more. −ΔV as described in "
         "Linden, Handbook of Batteries (from memory).",
         2,
         computePeakTime,
         Question::Curve,
         {.rank = 40,
          .topic = Topic::Voltage,
          .label = "PEAK",
          .sentence = "The voltage peaked at",
          .atFinish = true,
          .under = underPeak}},
        {"peak_drop_per_cell", "Drop after the peak",
         "The height of that top minus the voltage at the stop, read on a line through the last "
         "rows, per cell.",
         2, computePeakDrop, Question::Finish},
        {"end_dtdt", "Warming at the stop",
         "Straight line through the temperature of the last 120 seconds of the charge.", 1,
         computeEndDtdt, Question::Finish},
        {"resistance_ohmic", "Resistance, first sample",
         "The voltage step over the current step, at the first sample that shows the new current. "
         "Before: the mean of up to five samples. How fast that is depends on the logger.",
         1, computeResistanceOhmic, Question::Strength},
        {"resistance_1s", "Resistance after 1 s",
         "The answer of the voltage, fitted over the logarithm of the time since the edge and read "
         "at one second while the current holds, over the step of the current. The edge lies half "
         "an interval before the first row that shows it.",
         2, computeResistance1s, Question::Strength},
        {"resistance_10s", "Resistance after 10 s",
         "The answer of the voltage, fitted over the logarithm of the time since the edge and read "
         "at ten seconds while the current holds, over the step of the current. The edge lies half "
         "an interval before the first row that shows it.",
         2, computeResistance10s, Question::Strength},
        {"resistance_30s", "Resistance after 30 s",
         "The answer of the voltage, fitted over the logarithm of the time since the edge and read "
         "at thirty seconds while the current holds, over the step of the current. The edge lies "
         "half an interval before the first row that shows it.",
         2, computeResistance30s, Question::Strength},
        {"resistance_iec61960",
         "Resistance by IEC 61960-3",
         "0.2 It for 10 s, then 1.0 It for 1 s: R = (U1 − U2)/(I2 − I1), the d.c. method of IEC "
         "61960-3.",
         1,
         computeResistanceIec61960,
         Question::Strength,
         {.rank = 50,
          .topic = Topic::Capacity,
          .label = "RESISTANCE",
          .sentence = "By the standard's two levels"}},
        {"resistance_iec61951",
         "Resistance by IEC 61951-2",
         "Two levels by cell type, 10 s then 3 s: R = (U1 − U2)/(I2 − I1). Levels from memory, "
         "uncertain.",
         1,
         computeResistanceIec61951,
         Question::Strength,
         {.rank = 50,
          .topic = Topic::Capacity,
          .label = "RESISTANCE",
          .sentence = "By the standard's two levels"}},
        {"resistance_load", "Resistance under a varying load",
         "Voltage against current after the running mean of a minute is taken off both, by robust "
         "regression (Tukey's bisquare).",
         2, computeResistanceLoad, Question::Strength},
        {"true_c_sag", "True C by sag",
         "Each discharge tells the charge at which the loaded voltage meets a floor (3.3 V a cell "
         "lithium polymer, 3.0 others, 2.5 LFP, 1.0 nickel; common practice); over the current "
         "that is a curve, and where it passes 80 % of the rating is the limit. Far beyond the "
         "fastest discharge, or from one rate and a resistance, extrapolated.",
         2, computeTrueCSag, Question::Strength},
        {"true_c_heat", "True C by heat",
         "m·cp·dT/dt = I²R(T) + |I|·v − h(T − Ta) fitted to the temperature, R falling with "
         "temperature after Arrhenius; the current that ends at 60 °C from 25 °C with the charge "
         "it still delivers.",
         2, computeTrueCHeat, Question::Strength},
        {"true_c_adiabatic", "Adiabatic bound",
         "All loss stays in the cell: I = m·cp·ΔT/(3600·R·Q), cp about 1000 J/(kg·K) (from "
         "memory).",
         1, computeTrueCAdiabatic, Question::Strength},
        {"weakest_cell", "Weakest cell",
         "The first cell to reach the discharge floor, in column order from 1.", 1,
         computeWeakestCell, Question::Strength},
        {"imbalance_loss",
         "Charge lost to imbalance",
         "The other cells' voltage curves are laid over the weakest one's, with what rest and the "
         "first sample of the load tell beforehand: the capacity ratio, offset and shift that fit "
         "say what each still held when the first was at its floor.",
         2,
         computeImbalanceLoss,
         Question::Strength,
         {.rank = 50,
          .topic = Topic::Capacity,
          .label = "IMBALANCE",
          .sentence = "When the first cell was at its floor, each other one still held"}},
        {"max_temperature",
         "Highest temperature",
         "The highest sample of the battery's temperature column, single outliers left aside.",
         1,
         computeMaxTemperature,
         Question::Curve,
         {.rank = 60,
          .topic = Topic::Temperature,
          .label = "TEMPERATURE",
          .sentence = "Warmest",
          .under = underTemperature}},
    };
}

std::vector<Check> ownChecks() {
    return {
        {"overvoltage",
         "Running median of the voltage per cell against the fault limit of the chemistry; every "
         "logged cell is looked at.",
         checkOvervoltage, Question::Curve, false, 2},
        {"near_fault_voltage",
         "Over the fault limit of the chemistry by less than the doubt of the meter (gain and "
         "offset).",
         checkNearFault},
        {"out_of_use",
         "Grossly overcharged (0.05 V over the fault limit), reversed, driven under the voltage at "
         "which a cell is ruined, or resting ten minutes under the out-of-use voltage; the value "
         "less the meter's doubt.",
         checkOutOfUse},
        {"overdischarge",
         "Running median of the voltage per cell against the lowest voltage the chemistry bears.",
         checkOverdischarge, Question::Curve, false, 2},
        {"charged_cold",
         "Temperature while the current charges, against the chemistry's lower limit (0 °C for the "
         "usual lithium kinds).",
         checkChargedCold, Question::Curve, false, 2},
        {"charged_hot",
         "Temperature while the current charges, against the chemistry's upper limit (45 °C for "
         "most).",
         checkChargedHot},
        {"too_hot", "Temperature at any time against 60 °C.", checkTooHot},
        {"overdrained_start", "Rested voltage before a charge against what the chemistry bears.",
         checkOverdrainedStart, Question::Finish, false, 2},
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
        {"high_resistance",
         "The sag that 1C makes within ten seconds, over the nominal voltage: over 10 % for "
         "lithium "
         "or 15 % for nickel, warm and over a fifth charged (common practice)."
         " Of cells with their own columns: half as much again as the middle one at the first "
         "sample of "
         "the load, and more than the resolution could make up.",
         [](const AnalysisInput& in, std::vector<Finding>& out) {
             checkHighResistance(in, out);
             checkResistiveCell(in, out);
         },
         Question::Strength},
        {"weak_cell",
         "The first cell at its floor while the others still hold more than 3 % of what was "
         "delivered.",
         checkWeakCell, Question::Strength},
        {"imbalance",
         "Cells over 20 mV apart at rest or 30 mV at the end of a charge (100 mV for LFP; common "
         "practice).",
         checkImbalance, Question::Strength},
        {"warm_connector",
         "The pack's voltage minus the sum of its cells, against the current: over 2 W is felt.",
         checkWarmConnector, Question::Strength},
        {"which_resistance",
         "Schools of resistance measure different delays. The standard's two-level method compares "
         "with data sheets; a fixed delay follows ageing.",
         checkWhichResistance, Question::Strength},
        {"part_charged_start",
         "State of charge from the rested voltage before the discharge, by the chemistry's "
         "open-circuit curve.",
         checkPartChargedStart},
        {"low_voltage_cutouts",
         "Three or more loads of one level that end at the same low voltage with pauses between.",
         checkCutOuts},
        {"power_limited",
         "Current changes against the voltage so that their product stays constant.",
         checkPowerLimited},
        {"counter_disagrees",
         "The logger's own counter against the integral of its current, step by step; over 2 % is "
         "a finding.",
         checkCounter, Question::Curve, true},
        {"frozen_channel",
         "A run of equal voltages under load in which it should have moved by six steps of its "
         "resolution.",
         checkFrozen},
        {"coarse_log",
         "Resolution against what is asked: 2 mV a cell for a nickel peak, C/50 for a taper.",
         checkCoarse, Question::Curve, true},
        {"slow_log", "A usual interval of 15 s and more.", checkSlow, Question::Curve, true},
        {"logger_restart", "The clock of the log goes back and goes on from there.", checkRestarts,
         Question::Curve, true},
        {"gaps", "Time steps over five usual intervals.", checkGaps, Question::Curve, true},
        {"derived_current", "A current that was not logged follows from a given load.",
         checkDerived, Question::Curve, true},
        {"damaged_samples", "Blocks of stored samples whose checksum does not agree are left out.",
         checkDamage, Question::Curve, true},
        {"bad_rows", "Rows that do not read as numbers.", checkBadRows, Question::Curve, true},
    };
}

}  // namespace

const Registry& ownRegistry() {
    static const Registry own{ownMetrics(), ownChecks()};
    return own;
}

}  // namespace nk
