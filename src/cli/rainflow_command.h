// narrow-knee-cli rainflow: cycles of a column of charge levels.
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class RainflowCommand {
  public:
    RainflowCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::string table_, column_ = "soc";
    double rated_Ah_ = 0;
    bool json_ = false;
};

}  // namespace nk
