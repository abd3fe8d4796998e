// narrow-knee-cli shelf BOOK, narrow-knee-cli due BOOK
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

/// The shelf as a table, out and in.
class ShelfCommand {
  public:
    ShelfCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::string book_, target_, source_;
    bool force_ = false;
};

/// What is due.
class DueCommand {
  public:
    DueCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int run();

    std::ostream& out_;
    std::ostream& err_;
    std::string book_, at_, calendar_;
    bool json_ = false, force_ = false;
};

}  // namespace nk
