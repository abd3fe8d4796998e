// A made-up bench instrument of four channels that charges and discharges simulated cells, with
// faults on demand. Speaks lines in the manner of SCPI-99 and IEEE 488.2 (docs/formats.md); knows
// no terminal and no clock.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "quantity/error.h"

namespace nk {

class SimulatedInstrument {
  public:
    static constexpr int kChannels = 4;
    enum class Fault { None, DropOut, Noise, Clock, Hot, NeverStops, Garbage };

    explicit SimulatedInstrument(std::uint64_t seed = 1);
    ~SimulatedInstrument();
    SimulatedInstrument(const SimulatedInstrument&) = delete;
    SimulatedInstrument& operator=(const SimulatedInstrument&) = delete;

    /// Moves all channels on by so many seconds of their own time.
    void advance(double seconds);
    double speed() const { return speed_; }
    double time_s() const { return time_s_; }

    /// The answer to one line, without its end; empty: there is none (a command, a channel that
    /// dropped out). What is not understood goes into the queue that SYST:ERR? reads.
    std::string answer(const std::string& line);

    /// drop_out, noise, clock, hot, never_stops, garbage, none.
    static Expected<Fault> faultOf(const std::string& name);
    void setFault(int channel, Fault fault);
    void setSpeed(double speed);  ///< 1 to 600

  private:
    struct Channel;
    std::string answerOne(const std::string& line);
    std::string refuse(int code, const std::string& words);
    std::string measure(Channel& c, int number);

    std::vector<std::unique_ptr<Channel>> channels_;
    std::vector<std::string> errors_;
    double speed_ = 1, time_s_ = 0, left_s_ = 0;
    std::uint64_t seed_;
};

}  // namespace nk
