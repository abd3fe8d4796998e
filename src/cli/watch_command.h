// narrow-knee-cli watch SOURCE
#pragma once

#include <iosfwd>
#include <memory>

#include "live/watcher.h"
#include "options.h"

namespace nk {

class WatchCommand {
  public:
    WatchCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();
    void tell(const LiveEvent& event);

    std::ostream& out_;
    std::ostream& err_;
    BatteryOptions battery_;
    ReadingOptions reading_;
    std::string source_, idle_, longest_;
    std::vector<std::string> rules_;
    bool json_ = false, quiet_ = false;
};

}  // namespace nk
