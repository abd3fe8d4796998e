// A table of one battery's cycles, one a row, as people and test benches keep it.
#pragma once

#include <string>
#include <vector>

#include "ageing/fade.h"
#include "formats/plain_table.h"

namespace nk {

/// Columns of equal length in the order of the cycles; NaN where nothing is known. A column that
/// the table does not have is empty.
struct CycleTable {
    std::vector<double> cycle;        ///< rising
    std::vector<double> capacity_Ah;  ///< or in `unit`
    std::vector<double> resistance_ohm;
    std::vector<double> temperature_C;
    std::vector<double> rate;           ///< of the discharge, A or C
    std::vector<double> day;            ///< since 1970 when `dated`, else as counted by the table
    std::vector<double> throughput_Ah;  ///< moved since the first cycle
    std::vector<std::size_t> lines;     ///< of the file, for messages
    std::string unit = "Ah";            ///< of the capacities: Ah, % or Wh
    double resolution = 0;              ///< step of the printed capacities
    bool dated = false;
    std::vector<std::string> notes;  ///< what was assumed, passed over or mended
};

/// Finds the columns by their titles in several languages, by their units, and where the titles do
/// not tell by what stands in them. Cycle numbers that begin again go on where the capacity goes
/// on; where it jumps the table holds two batteries and is refused. `rated_Ah`: settles the unit;
/// 0: not known. `cell`: which battery of a table that names several; empty: the only one.
/// Errors: no capacity, two batteries in one table, no rows, units that cannot be.
Expected<CycleTable> readCycles(const PlainTable& table, double rated_Ah = 0,
                                const std::string& cell = {});

enum class FadeAxis { Cycles, Throughput, Days };
enum class FadeOf { Capacity, Resistance };

/// One series of the table, ready to be fitted; rows without a figure are left out, and `rows` says
/// which rows of the table it holds. A temperature or rate that changes is a condition. Errors: the
/// table has no such column.
struct CycleSeries {
    FadeSeries series;
    std::vector<std::size_t> rows;
};
Expected<CycleSeries> cycleSeries(const CycleTable& table, FadeOf of, FadeAxis against);

/// The day on which a cycle is reached at the pace of the last half of the table; the quickest and
/// slowest third of that half are the range. NaN without days.
struct DayRange {
    double low = kNaN, middle = kNaN, high = kNaN;
};
DayRange dayOf(const CycleTable& table, double cycleLow, double cycle, double cycleHigh);

}  // namespace nk
