// Where rows come from while they are made: a file that another program writes, a line of an
// instrument, the simulated cell, the computer's own battery. How to add one: docs/sources.md.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "chemistry/chemistry.h"
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
    /// Bytes [from, to) of it, fewer where there are no more.
    virtual Expected<std::string> part(std::size_t from, std::size_t to);
    /// Nothing will come any more.
    virtual bool ended() { return false; }
    /// Another file stands in its place since the last bytes().
    virtual bool replaced() { return false; }
    /// The text has one title line, seconds, V, A, °C: it can be read line by line as it grows.
    virtual bool plain() const { return false; }
    /// What is wrong with it at the moment, as a sentence; empty: nothing.
    virtual std::string trouble() { return {}; }
    /// The battery on it, where the instrument says so.
    virtual std::optional<Battery> battery() const { return std::nullopt; }
    /// Only the simulated instrument can be stopped from here.
    virtual bool canStop() const { return false; }
    virtual Expected<void> stop();
};

/// A path, `/dev/ttyUSB0[@9600][:2]` (a serial line, its speed, the channel of an instrument),
/// `sim:SCENARIO[@60x]` (real time, or up to 600 times faster), `own-battery[:FOLDER]` (the
/// kernel's power-supply files). Errors: none of these, no such file, no battery, a line that
/// cannot be opened.
Expected<std::unique_ptr<WatchSource>> openWatchSource(const std::string& source);

/// What openWatchSource takes, for help and errors.
extern const char* const kWatchSources;

}  // namespace nk
