// narrow-knee-cli replay LOG --rule RULE …
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class ReplayCommand {
  public:
    ReplayCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    BatteryOptions battery_;
    ReadingOptions reading_;
    std::string log_;
    std::vector<std::string> rules_;
    bool json_ = false;
};

/// "--rule -dv:5mV" becomes "--rule=-dv:5mV": a value that starts with a dash is no option.
std::vector<std::string> joinRuleValues(const std::vector<std::string>& args);

}  // namespace nk
