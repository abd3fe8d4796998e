// narrow-knee-cli analyse LOG …
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class AnalyseCommand {
  public:
    AnalyseCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    BatteryOptions battery_;
    ReadingOptions reading_;
    std::string log_;
    bool json_ = false, sha256_ = false, failOnHazard_ = false;
};

}  // namespace nk
