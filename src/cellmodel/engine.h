// Cells in series, moved on step by step or to an event between two steps: what the simulator, a
// planner and a live bench run on. Knows no log and no clock.
#pragma once

#include <functional>
#include <stop_token>
#include <vector>

#include "cell.h"

namespace nk {

class Engine {
  public:
    Engine(std::vector<Cell> cells, double ambient_C)
        : cells_(std::move(cells)), ambient_C_(ambient_C) {}

    double time_s() const { return time_s_; }
    const std::vector<Cell>& cells() const { return cells_; }
    double ambient_C() const { return ambient_C_; }
    void setAmbient(double ambient_C) { ambient_C_ = ambient_C; }

    /// Of the whole battery, V: without and with the drop over the series resistance.
    double source_V(double current_A) const;
    double resistance_ohm() const;
    double voltage_V(double current_A) const {
        return source_V(current_A) + current_A * resistance_ohm();
    }
    double lowestCell_V(double current_A) const;
    double highest_C() const;

    /// The current that a source of `set_V` behind `softness_ohm` would drive, A; negative where
    /// the battery stands above it.
    double currentAt_A(double set_V, double softness_ohm = 0) const;

    /// Moves on by dt seconds at constant current.
    void advance(double current_A, double dt_s);

    /// What came of a run.
    struct Ran {
        double seconds = 0;
        double charge_Ah = 0, energy_Wh = 0;  ///< signed: positive into the battery
        bool over = false;                    ///< the event came; false: the time was up
        bool stopped = false;                 ///< the stop token was set
    };
    using Current = std::function<double(const Engine&)>;
    using Event = std::function<bool(const Engine&, double current_A)>;
    /// Moves on with the current that `current` tells before each step of `step_s`, until `over`
    /// holds or `most_s` are gone. The end lies within `tolerance_s` after the moment at which the
    /// event first holds inside its step (bisection of that step). The stop token is looked at
    /// every 4,096 steps.
    Ran run(const Current& current, const Event& over, double most_s, double step_s,
            const std::stop_token& stop = {}, double tolerance_s = 1e-3);

  private:
    std::vector<Cell> cells_;
    std::vector<Cell> before_;  ///< the step's beginning, for bisection
    double ambient_C_;
    double time_s_ = 0;
};

}  // namespace nk
