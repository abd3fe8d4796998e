// A disk that fails on demand, under SQLite: full, failing to sync, refusing to open, or losing
// power. Everything goes to real files below; what was not synced is remembered, so that a loss of
// power can keep any part of it, in pieces of 512 bytes, as a real disk may.
//
// A file that is deleted is gone at once, and its directory entry with it; the order of the two is
// not played through.
#pragma once

#include <cstdint>
#include <functional>
#include <string>

namespace nk::test {

enum class Fault {
    None,
    Full,      ///< writes end with "no space left"
    Sync,      ///< fsync fails
    Open,      ///< no file can be opened for writing
    PowerLoss  ///< everything fails from then on
};

class FaultDisk {
  public:
    /// Is the disk of all books opened while it lives; one at a time.
    FaultDisk();
    ~FaultDisk();
    FaultDisk(const FaultDisk&) = delete;
    FaultDisk& operator=(const FaultDisk&) = delete;

    /// From the operation `at` on (counted from 0; writes, truncations and syncs count).
    void failFrom(std::int64_t at, Fault fault);
    void heal();
    std::int64_t operations() const;
    /// Each write waits this long, ms.
    void slow(int each_ms);

    /// The state a disk may be in after the power came back: of what was not synced, a part chosen
    /// by `seed` has arrived. All books must be closed.
    void powerBack(std::uint64_t seed);
};

}  // namespace nk::test
