// narrow-knee-cli fade TABLE | --book BOOK BATTERY
#pragma once

#include <iosfwd>

#include "history/cycle_table.h"
#include "options.h"

namespace nk {

class FadeCommand {
  public:
    FadeCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::string table_, book_, cell_;
    std::string end_ = "80%";
    std::string reference_ = "initial";
    std::string against_ = "cycles";
    std::string of_ = "capacity";
    double rated_Ah_ = 0;
    bool json_ = false;
};

}  // namespace nk
