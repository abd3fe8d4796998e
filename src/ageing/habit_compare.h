// Habits beside one another: years by every school, what they give and cost, and what changes most.
#pragma once

#include "schools.h"

namespace nk {

/// What the battery is and what is known of its own ageing.
struct HabitBattery {
    const Chemistry* chemistry = nullptr;
    int series = 1;
    double rated_Ah = 0;          ///< 0: not known, energies are left out
    std::vector<School> schools;  ///< empty: those made for the chemistry
    double baseCycles = 500;      ///< of the table of practice
    double ownScale = 1;          ///< its own loss over the law's, where the book shows it
    double driftPerMonth = 0;     ///< fraction of the charge that cells drift apart; 0: not known
};

struct HabitAnswer {
    Habit habit;
    HabitLoad load;
    std::vector<SchoolAnswer> schools;  ///< the default first
    double range = 1;                   ///< charge per full charge over that of the set voltage
    double left = 0;                    ///< charge under the floor of what it feeds
    double unused = 0;  ///< charge carried and never used, fraction of the full charge
    double lifetimeEnergy_Wh = std::numeric_limits<double>::quiet_NaN();
    double driftLoss = 0;  ///< range given up to cells that drift apart, fraction
    std::vector<std::string> caveats;
};

/// Errors: as loadOf.
Expected<HabitAnswer> answerHabit(const Habit& habit, const HabitBattery& battery);

/// Capacity over the years by one school, at `points` evenly spaced places from 0.
std::vector<double> capacityOver(const Habit& habit, const HabitAnswer& answer,
                                 const HabitBattery& battery, School school, double years,
                                 int points);

/// A change of a habit and the years to 80 % that it wins by the schools that can speak of it.
struct HabitChange {
    std::string id;     ///< stable: target, ready_by, parked, depth, rate, pause, full_charge
    std::string words;  ///< "charge to 4.10 V instead of 4.20 V"
    Habit habit;        ///< as changed
    double low = 0, high = 0;         ///< years won, over the schools; negative: lost
    double range = 0;                 ///< change of the range, fraction
    std::vector<std::string> silent;  ///< schools that have no term for it
};

/// The usual changes that this habit leaves open, the one that wins most first; changes that no
/// school can speak of are left out.
std::vector<HabitChange> whatChangesMost(const HabitAnswer& answer, const HabitBattery& battery);

/// The sentences of plain answers, each of one change with its range.
std::string plainAnswer(const HabitChange& change);

}  // namespace nk
