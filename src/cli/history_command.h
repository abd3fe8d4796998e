// narrow-knee-cli history BOOK BATTERY
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class HistoryCommand {
  public:
    HistoryCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::string book_, battery_;
    bool json_ = false, csv_ = false;
};

}  // namespace nk
