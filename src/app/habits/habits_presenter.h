// What the Habits station shows, without a window: the fade as a picture, sentences of the record,
// each habit with its years.
#pragma once

#include <QString>
#include <QStringList>
#include <memory>
#include <optional>
#include <vector>

#include "history/habits_of.h"

namespace nk {

struct FadePicture {
    std::vector<double> at, value;        ///< cycles that were fitted
    std::vector<double> oddAt, oddValue;  ///< set aside
    std::vector<double> x, low, middle, high;
    double end = 0;  ///< value at which it counts as over
    FadeBand crossing;
    double knee = kNaN;
    QString axis, unit, endWords;
    bool empty() const { return x.empty(); }
};

/// What the worker found out of the book; null members where it cannot.
struct HabitsFound {
    std::optional<BatteryHabits> habits;
    std::vector<Habit> kept;  ///< habits kept with this battery
    BetweenLogs between = BetweenLogs::NotKnown;
    FadeQuestion question;  ///< which end was asked for
};

FadePicture fadePicture(const FadeReport& report);
/// The fade in sentences: what is left, when the end comes, a knee, a change of slope, the laws.
QStringList fadeWords(const BatteryHabits& habits);
/// What was assumed and set aside, and the weights of the laws: for "how?".
QStringList fadeCaveats(const BatteryHabits& habits);
/// What it has been through, the costliest first, and what is not known.
QStringList recordWords(const BatteryHabits& habits, BetweenLogs between);

/// One habit beside others.
struct HabitFigures {
    QStringList lines;  ///< under the bar
    struct Mark {
        QString school;
        double years = kNaN, low = kNaN, high = kNaN;
        bool extrapolated = false;
    };
    std::vector<Mark> marks;
    QString years;  ///< "6 to 12 years" in words
    QString why;    ///< assumptions and caveats, for "how?"
    double low = kNaN, high = kNaN;
};
HabitFigures habitFigures(const HabitAnswer& answer, const HabitBattery& battery,
                          const BatteryLife& life);
QString schoolName(School school);
/// Beyond this a law of use alone says only that use is not what ends it.
inline constexpr int kFarYears = 30;
QString yearsWords(double years);

}  // namespace nk
