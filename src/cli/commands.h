// The commands of narrow-knee-cli. Each returns the exit status: 0 done, 1 input cannot be read,
// 2 wrong usage, 3 done with a hazard and --fail-on-hazard.
#pragma once

#include <iosfwd>
#include <string>
#include <vector>

namespace nk {

/// Runs the command line. `args` are without the program's name.
int runCommandLine(std::vector<std::string> args, std::ostream& out, std::ostream& err);

}  // namespace nk
