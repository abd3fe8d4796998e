// Rows from a serial line: printed by the device on its own, or asked for in the manner of SCPI.
#pragma once

#include "watch_source.h"

namespace nk {

/// "/dev/ttyUSB0@9600:2" in its parts; without a speed those usual are tried.
struct SerialAddress {
    std::string path;
    int baud = 0;     ///< 0: guessed
    int channel = 1;  ///< of an instrument
};
SerialAddress serialAddress(const std::string& text);

/// An instrument that answers *IDN? and MEAS? (@n) is asked once a second (oftener when it is a
/// simulated one that runs fast); everything else is listened to. A line that is lost is opened
/// again every two seconds. Errors: as SerialLine::open.
Expected<std::unique_ptr<WatchSource>> openSerialSource(const SerialAddress& address);

}  // namespace nk
