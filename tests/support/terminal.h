// Whether this machine has pseudo-terminals: a bare root without /dev/pts has none.
#pragma once

#include <fcntl.h>
#include <stdlib.h>
#include <unistd.h>

namespace nk::test {

inline bool hasTerminals() {
    const int master = ::posix_openpt(O_RDWR | O_NOCTTY);
    if (master < 0) return false;
    ::close(master);
    return true;
}

}  // namespace nk::test
