// narrow-knee-cli predict --from LOG --do STEP
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class PredictCommand {
  public:
    PredictCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    BatteryOptions battery_;
    ReadingOptions reading_;
    std::vector<std::string> logs_, steps_;
    double startSoc_ = -1;
    bool json_ = false;
};

}  // namespace nk
