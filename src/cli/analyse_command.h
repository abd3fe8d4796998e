// narrow-knee-cli analyse LOG …, or analyse --book BOOK RECORDING
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class AnalyseCommand {
  public:
    AnalyseCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();
    int runInBook();

    std::ostream& out_;
    std::ostream& err_;
    BatteryOptions battery_;
    ReadingOptions reading_;
    CLI::App* command_ = nullptr;
    std::string log_, book_;
    bool json_ = false, full_ = false, sha256_ = false, failOnHazard_ = false;
};

}  // namespace nk
