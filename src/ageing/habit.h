// A charging habit, and what its weeks do to the charge level: the input of the habit schools.
#pragma once

#include <string>
#include <vector>

#include "chemistry/chemistry.h"

namespace nk {

/// Days a year in which the battery lies unused at one level.
struct HabitPause {
    double daysPerYear = 0;
    double soc = 0.5;
    double temperature_C = 20;
};

enum class ChargeWhen { AtOnce, ReadyBy };

/// One week, again and again. Fractions are of the present full charge, rates in C.
struct Habit {
    std::string name;
    double target_V = 0;  ///< a cell; 0: the chemistry's set voltage
    ChargeWhen charge = ChargeWhen::AtOnce;
    double useAt_h = 18;  ///< hour of the day at which a use begins, and for which it is ready
    double usesPerWeek = 5;
    double depth = 0.5;  ///< charge taken by one use
    double discharge_C = 0.5, charge_C = 0.5;
    double parked_C = 20, use_C = 25, charging_C = 25;  ///< °C
    double deviceFloor_V = 0;         ///< a cell at which what it feeds gives up; 0: not known
    double fullChargeEveryWeeks = 0;  ///< 0: never beyond the target
    std::vector<HabitPause> pauses;
};

/// A stretch with one level, warmth and doing, in the order of the week.
struct HabitStretch {
    double minutes = 0;
    double soc = 0, soc_end = 0;  ///< rises or falls evenly
    double temperature_C = 20;
    enum class Doing { Parked, Use, Charge, Pause } doing = Doing::Parked;
};

/// One swing of the charge level, counted for a history that repeats.
struct HabitCycle {
    double depth = 0;  ///< range of the level, 0 … 1
    double meanSoc = 0;
    double count = 1;  ///< full cycles a week
    double temperature_C = 25;
};

/// What a habit does in a mean week of a mean year, in one-minute steps.
struct HabitLoad {
    /// Minutes a week at a level and warmth: one entry a minute of the period, or a pause.
    struct Minute {
        double soc, voltage_V, temperature_C, weight;  ///< weight: minutes a week
    };
    std::vector<Minute> minutes;
    std::vector<HabitCycle> cycles;
    double equivalentsPerWeek = 0;  ///< equivalent full cycles
    double usesPerWeek = 0;
    double hoursAbove4V1 = 0;  ///< a week, above 4.10 V a cell
    double meanUse_V = 0;      ///< open-circuit voltage while in use
    double targetSoc = 1, highestSoc = 1;
    std::vector<HabitStretch> week;  ///< the first week, to be drawn
    std::vector<std::string> caveats;
};

/// Errors: a target above the chemistry's set voltage or under its floor, figures out of range,
/// pauses over a year, nickel. Charging is taken as even; a use that finds too little charge takes
/// what is there, a charge that is not done when the next use begins is left unfinished (caveats).
Expected<HabitLoad> loadOf(const Habit& habit, const Chemistry& chemistry);

}  // namespace nk
