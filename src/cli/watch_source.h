// Where rows come from while they are made: a file that another program writes, the simulated cell,
// the computer's own battery.
#pragma once

#include <memory>
#include <string>

#include "quantity/error.h"

namespace nk {

class WatchSource {
  public:
    virtual ~WatchSource() = default;
    virtual std::string name() const = 0;
    /// Bytes that are there now; also takes a row where the source is asked for it.
    virtual std::size_t size() = 0;
    /// The whole log so far, as text of any dialect.
    virtual Expected<std::string> bytes() = 0;
    /// Nothing will come any more.
    virtual bool ended() { return false; }
    /// Another file stands in its place since the last bytes().
    virtual bool replaced() { return false; }
};

/// A path, `sim:SCENARIO[@60x]` (real time, or up to 600 times faster), `own-battery[:FOLDER]` (the
/// kernel's power-supply files). Errors: none of these, no such file, no battery.
Expected<std::unique_ptr<WatchSource>> openWatchSource(const std::string& source);

}  // namespace nk
