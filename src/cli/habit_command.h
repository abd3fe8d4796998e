// narrow-knee-cli habit HABIT.json [HABIT.json …] --chemistry C
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class HabitCommand {
  public:
    HabitCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::vector<std::string> files_;
    std::string chemistry_;
    std::vector<std::string> schools_;
    int series_ = 1;
    double rated_Ah_ = 0;
    double years_ = 10;
    double drift_ = 0;
    double base_ = 500;
    bool json_ = false;
};

}  // namespace nk
