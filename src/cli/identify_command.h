// narrow-knee-cli identify
#pragma once

#include <iosfwd>

#include "chemistry/identify.h"
#include "options.h"

namespace nk {

class IdentifyCommand {
  public:
    IdentifyCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    LabelFacts facts_;
    bool json_ = false;
};

}  // namespace nk
