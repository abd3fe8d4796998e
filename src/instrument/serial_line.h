// A serial line, read and written without an event loop; of the header nothing is Qt.
#pragma once

#include <memory>
#include <string>

#include "quantity/error.h"

namespace nk {

class SerialLine {
  public:
    /// Errors: no such device, in use, no right to it.
    static Expected<std::unique_ptr<SerialLine>> open(const std::string& path, int baud);
    ~SerialLine();

    /// What came meanwhile; waits up to so long for the first of it.
    std::string read(int wait_ms);
    bool write(const std::string& bytes);
    /// False: the device is gone.
    bool alive() const;

  private:
    struct Port;
    explicit SerialLine(std::unique_ptr<Port> port);
    std::unique_ptr<Port> port_;
};

}  // namespace nk
