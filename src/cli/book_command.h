// narrow-knee-cli book list|verify|import|export|hand-on|merge|… BOOK
#pragma once

#include <iosfwd>

#include "options.h"

namespace nk {

class BookCommand {
  public:
    BookCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    int list();
    int verify();
    int importLogs();
    int setDay();
    int exportOriginal();
    int backup();
    int rescue();
    int handOn();
    int merge();
    int refresh();
    int instruments();
    int chargers();

    std::ostream& out_;
    std::ostream& err_;
    BatteryOptions battery_;
    ReadingOptions reading_;
    std::string book_, name_, target_, instrument_, charger_, other_, day_;
    std::vector<std::string> logs_;
    long long recording_ = 0;
    bool json_ = false, force_ = false;
};

}  // namespace nk
