// narrow-knee-cli simulate SCENARIO -o LOG [--seed N]
#pragma once

#include <cstdint>
#include <iosfwd>
#include <optional>

#include "options.h"

namespace nk {

class SimulateCommand {
  public:
    SimulateCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::string scenario_, output_;
    std::optional<std::uint64_t> seed_;
    bool list_ = false, force_ = false;
};

}  // namespace nk
