// narrow-knee-cli predict --from LOG --do STEP
#pragma once

#include <iosfwd>

#include "options.h"
#include "ownmodel/predict.h"

namespace nk {

class PredictCommand {
  public:
    PredictCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();
    int tell(const OwnModel& own, std::size_t logs, const Battery& battery,
             const std::vector<PredictStep>& steps);

    std::ostream& out_;
    std::ostream& err_;
    BatteryOptions battery_;
    ReadingOptions reading_;
    std::vector<std::string> logs_, steps_, ofBook_;
    double startSoc_ = -1;
    bool json_ = false;
};

}  // namespace nk
