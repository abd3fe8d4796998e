// How often the stated intervals held the truth when that was last measured.
#pragma once

#include <string>

namespace nk {

/// Of 100 intervals of this kind of reading how many held the truth on logs of cells, chargers and
/// loggers that share nothing with the program (tests/coverage, docs/methods.md); 0 where that has
/// not been measured.
int measuredCoverage(const std::string& metric);

/// Logs that were played for it.
constexpr int kCoverageLogs = 2000;

}  // namespace nk
