// Published laws of ageing, applied to a habit: each a school of its own, none the truth.
#pragma once

#include <optional>

#include "habit.h"

namespace nk {

enum class School { Table, Nmc, Lmo, Lfp };
/// table, nmc, lmo, lfp.
std::string toString(School school);
std::optional<School> schoolOf(const std::string& id);

/// Schmalstieg, Käbitz, Ecker, Sauer, J. Power Sources 257 (2014) 325–334 (memory). Loss and growth
/// as fractions; V a cell, T in K, t in days, Q in Ah moved of a 2.05 Ah cell.
double nmcCalendarRate(double voltage_V, double temperature_K);        ///< α of α·t^0.75
double nmcCycleRate(double meanVoltage_V, double depth);               ///< β of β·√Q
double nmcCalendarResistance(double voltage_V, double temperature_K);  ///< α_R of α_R·t^0.75
double nmcCycleResistance(double meanVoltage_V, double depth);         ///< β_R of β_R·Q
/// Xu, Oudalov, Ulbig, Andersson, Kirschen, IEEE Trans. Smart Grid 9 (2018) 1131–1140 (memory).
double lmoCalendarStress(double seconds, double soc, double temperature_K);
double lmoCycleStress(double depth, double soc, double temperature_K);  ///< of one full cycle
double lmoLoss(double stress);                                          ///< L of f, a fraction
/// Wang et al., J. Power Sources 196 (2011) 3942–3948 (memory): factor of Ah^0.55, a fraction; Ah
/// of a 2.2 Ah cell, one way. Between the published rates log B is straight, beyond them held.
double lfpRate(double c_rate, double temperature_K);

/// What one school says of one habit.
struct SchoolAnswer {
    School school = School::Table;
    double years = kUnknownYears;  ///< to 80 %; NaN: the law cannot say, a caveat why
    double yearsLow = kUnknownYears, yearsHigh = kUnknownYears;  ///< of the table's own range
    double cycles = kUnknownYears;                               ///< equivalent full cycles to 80 %
    double calendarShare = kUnknownYears;     ///< of the loss at 80 % that time alone took
    double resistanceGrowth = kUnknownYears;  ///< at 80 %, fraction; only NMC has such a law
    bool extrapolated = false;
    std::vector<std::string> caveats;

    static constexpr double kUnknownYears = std::numeric_limits<double>::quiet_NaN();
};

/// Damage of a mean week in the form in which weeks add up, so that any number of them is one sum.
class SchoolLaw {
  public:
    /// `baseCycles`: full equivalents of the table at the usual set voltage.
    SchoolLaw(School school, const Habit& habit, const HabitLoad& load, const Chemistry& chemistry,
              double baseCycles = 500);
    /// Loss after so many years, as a fraction; NaN where the law cannot say. `scale`: a battery's
    /// own loss over the law's.
    double loss(double years, double scale = 1) const;
    double calendarLoss(double years) const;
    double resistanceGrowth(double years) const;
    /// Years to a loss; NaN where the law cannot say, infinite where it never comes.
    double yearsTo(double loss, double scale = 1) const;
    SchoolAnswer answer() const;

  private:
    School school_;
    double calendar_ = 0, cycling_ = 0;  ///< a week
    double calendarR_ = 0, cyclingR_ = 0;
    double tableCycles_ = 0, tableLow_ = 0, tableHigh_ = 0;
    double equivalents_ = 0;  ///< a week
    bool silent_ = false;
    bool extrapolated_ = false;
    std::vector<std::string> caveats_;
};

/// The table and the laws that were made for a chemistry; the first is the default, with the
/// reason.
std::vector<School> schoolsFor(const Chemistry& chemistry);
std::string whySchool(const Chemistry& chemistry);

}  // namespace nk
