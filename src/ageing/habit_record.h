// What a battery has been through, from its logs: hours in bands, swings, what is bad for it; and
// what is not known because nobody logged it.
#pragma once

#include <array>
#include <span>
#include <string>
#include <vector>

#include "rainflow.h"
#include "schools.h"

namespace nk {

/// One log as the record needs it. Columns of equal length; temperature may be empty.
struct RecordedUse {
    std::span<const double> time_s, voltage_V, current_A, temperature_C;
    double begins_s = 0;  ///< since 1970
    double cells = 1;
    double rated_Ah = 0;  ///< of the whole battery; 0: not known
    double startSoc = std::numeric_limits<double>::quiet_NaN();  ///< 0 … 1 where it is known
};

/// What the user says of the time between logs; nothing is assumed in its place.
enum class BetweenLogs { NotKnown, StoredHalf, LeftFull, UsedDaily };

struct HabitRecord {
    double logged_h = 0;
    double equivalentFullCycles = 0;
    std::vector<CountedCycle> swings;  ///< of the charge level, where it is known
    std::array<double, 12> volts_h{};  ///< bands of 0.1 V a cell from `volts_from`
    double volts_from = 3.2;
    std::array<double, 14> warmth_h{};  ///< bands of 5 °C from −10 °C; the ends hold the rest
    std::array<double, 10> level_h{};   ///< tenths of the full charge
    double high_V = 4.1;                ///< what counts as high
    double high_h = 0;
    double warm_C = 45;
    double hot_h = 0;  ///< above warm_C
    bool warmthKnown = false;
    int deepDischarges = 0;              ///< under the chemistry's floor
    int coldCharges = 0;                 ///< begun under the chemistry's least warmth for charging
    double charged_Ah = 0, fast_Ah = 0;  ///< charge put in, and of it at over `fast_C`
    double fast_C = 0.7;
    struct Gap {
        double from_s = 0, days = 0;
        double levelBefore = std::numeric_limits<double>::quiet_NaN();
    };
    std::vector<Gap> gaps;  ///< over a day, between logs
    double unknownDays = 0;
    double leftFull_days = 0;  ///< days in gaps that began over 0.9 full: as far as is known

    /// Damage by the chemistry's own law of time, in the form that adds up: of the logged hours,
    /// and how much of it high voltage and warmth added over half charge at 20 °C. NaN without a
    /// law.
    double calendarDamage = 0, calendarOfVoltage = 0, calendarOfWarmth = 0;
};

/// A record over all logs of a battery, in the order of their time.
class HabitRecorder {
  public:
    HabitRecorder(const Chemistry& chemistry, double high_V);
    void add(const RecordedUse& log);
    HabitRecord done();

  private:
    const Chemistry& chemistry_;
    HabitRecord record_;
    std::vector<double> levels_;
    double lastEnd_s_ = std::numeric_limits<double>::quiet_NaN();
    double lastLevel_ = std::numeric_limits<double>::quiet_NaN();
};

/// What of the record costs most, as sentences with their figures, the worst first; at most five.
std::vector<std::string> whatCostMost(const HabitRecord& record, const Chemistry& chemistry);
/// What is not known, in a sentence; empty where the logs hold everything.
std::string whatIsNotKnown(const HabitRecord& record, BetweenLogs said);

}  // namespace nk
