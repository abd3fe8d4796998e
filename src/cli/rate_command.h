// narrow-knee-cli rate: the true C rating from several discharges of one battery.
#pragma once

#include <iosfwd>
#include <limits>
#include <string>
#include <vector>

#include "options.h"

namespace nk {

class RateCommand {
  public:
    RateCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::vector<std::string> logs_;
    BatteryOptions battery_;
    ReadingOptions reading_;
    double floor_V_ = std::numeric_limits<double>::quiet_NaN();
    double resistance_ohm_ = std::numeric_limits<double>::quiet_NaN();
    double top_C_ = 60, start_C_ = 25, emptyIn_min_ = 10;
    double label_C_ = 0;
    bool json_ = false;
};

/// narrow-knee-cli compare: two recordings of one battery side by side.
class CompareCommand {
  public:
    CompareCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::vector<std::string> logs_;
    BatteryOptions battery_;
    ReadingOptions reading_;
    bool json_ = false;
};

}  // namespace nk
