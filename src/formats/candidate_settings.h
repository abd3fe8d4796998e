// What the ways to read a table are made of: settings with how likely each is, and what the numbers
// of a column look like.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "hypothesis.h"

namespace nk {

/// The first column of a role; the number of columns where there is none.
std::size_t indexOf(const std::vector<Column>& columns, Role role);
/// Whether the numbers go up nearly always, as a time does; `counts`: one by one, as row numbers.
bool rises(const std::vector<double>& values, bool& counts);

/// Size of a column's numbers: least, most, median of their sizes, and whether all are whole.
struct Scale {
    double least = 0, most = 0, median = 0;
    bool whole = true;
};
Scale scaleOf(const std::vector<double>& values);

/// One setting that a hypothesis may have, with how likely it is.
struct Setting {
    double prior = 0;
    std::function<void(Hypothesis&)> apply;
};

/// What a time column that was found may mean, each a setting.
void setTime(Hypothesis& h, const std::vector<ColumnFacts>& facts, std::vector<Setting>& settings,
             const ReadOptions& options);
/// The time column: named, or found among those that have no part yet.
std::vector<Setting> findTime(const Hypothesis& h, const std::vector<ColumnFacts>& facts);

/// A current that never turns, and beside it another that flows only while it does not: one is what
/// goes in, the other what comes out. What their names do not say the voltage does.
void splitCurrents(Hypothesis& h, const std::vector<ColumnFacts>& facts);

}  // namespace nk
