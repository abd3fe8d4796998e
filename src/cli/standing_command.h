// narrow-knee-cli standing BOOK BATTERY
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class StandingCommand {
  public:
    StandingCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::string book_, battery_, at_;
    bool json_ = false;
};

}  // namespace nk
