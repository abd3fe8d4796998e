// narrow-knee-cli group: modules into a pack.
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class GroupCommand {
  public:
    GroupCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::string table_;
    int series_ = 0, parallel_ = 0;
    std::string shape_;
    double weight_ = 0, mostSelfDischarge_ = 10;
    bool json_ = false;
};

}  // namespace nk
