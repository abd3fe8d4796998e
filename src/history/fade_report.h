// The fade of one battery, from a table or its book, with its end as a cycle and a day.
#pragma once

#include "battery_history.h"
#include "cycle_table.h"
#include "standing.h"

namespace nk {

/// What is asked: of capacity or resistance, against what, and which end.
struct FadeQuestion {
    FadeOf of = FadeOf::Capacity;
    FadeAxis against = FadeAxis::Cycles;
    double fraction = 0.8;  ///< of the reference
    bool ofLabel = false;   ///< the reference is the rating, not the first cycle
    double figure = kNaN;   ///< Ah or ohm; counts when finite
    double rated_Ah = 0;
};

/// "80%", "0.8", "2.0Ah", "1900mAh", "150%", "30mohm". Errors: anything else, a share that no
/// ageing reaches (capacity 1 to 99 %, resistance 101 to 1,000 %).
Expected<void> readEnd(const std::string& text, FadeQuestion& into);

struct FadeReport {
    FadeQuestion question;
    CycleTable table;
    CycleSeries used;
    FadeResult result;
    FadeEnd end;
    /// The figure of today: of a book's capacity what the standing says, else the curve at the last
    /// row; with its 95 % interval.
    FadeBand today;
    DayRange day;  ///< when the end comes at the pace so far; days since 1970 when dated
    std::vector<double> oddCycles, runInCycles;
    std::vector<std::string> caveats;
};

/// Errors as fitFade, cycleSeries; label asked for without a rating.
Expected<FadeReport> fadeOf(CycleTable table, const FadeQuestion& question);

/// A battery's capacity of today is what its standing says, not what a law makes of it.
void quoteStanding(FadeReport& report, const Standing& standing);

/// The cycles of a battery as its book holds them: its largest group of comparable capacities over
/// equivalent full cycles, resistances of their recordings beside them. Errors: none comparable.
Expected<CycleTable> cyclesOf(const BatteryHistory& history, FadeOf of);

}  // namespace nk
