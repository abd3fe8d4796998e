#include "engine.h"

#include <algorithm>
#include <cmath>

namespace nk {

double Engine::source_V(double current_A) const {
    double v = 0;
    for (const Cell& c : cells_) v += c.sourceVoltage_V(current_A);
    return v;
}

double Engine::resistance_ohm() const {
    double r = 0;
    for (const Cell& c : cells_) r += c.resistance_ohm();
    return r;
}

double Engine::lowestCell_V(double current_A) const {
    double v = 1e9;
    for (const Cell& c : cells_) v = std::min(v, c.voltage_V(current_A));
    return v;
}

double Engine::highest_C() const {
    double t = -1e9;
    for (const Cell& c : cells_) t = std::max(t, c.state().temperature_C);
    return t;
}

double Engine::currentAt_A(double set_V, double softness_ohm) const {
    return (set_V - source_V(1)) / (resistance_ohm() + softness_ohm);
}

void Engine::advance(double current_A, double dt_s) {
    for (Cell& c : cells_) c.step(current_A, dt_s, ambient_C_);
    time_s_ += dt_s;
}

Engine::Ran Engine::run(const Current& current, const Event& over, double most_s, double step_s,
                        const std::stop_token& stop, double tolerance_s) {
    Ran out;
    constexpr unsigned kLook = 4096;
    const double start_s = time_s_;
    double i = current(*this);
    double v = voltage_V(i);
    out.over = over(*this, i);
    for (unsigned steps = 0; !out.over; ++steps) {
        if (steps % kLook == 0 && stop.stop_requested()) {
            out.stopped = true;
            break;
        }
        const double left = most_s - (time_s_ - start_s);
        if (left <= 1e-9) break;
        const double dt = std::min(step_s, left);
        const auto count = [&](double seconds, double after_V) {
            out.charge_Ah += i * seconds / 3600;
            out.energy_Wh += i * 0.5 * (v + after_V) * seconds / 3600;
        };
        before_ = cells_;
        const double began_s = time_s_;
        advance(i, dt);
        const double next = current(*this);
        if (!over(*this, next)) {
            const double after = voltage_V(i);
            count(dt, after);
            v = next == i ? after : voltage_V(next);
            i = next;
            continue;
        }
        // The event came inside this step: half by half back to its first moment.
        double low = 0;
        double high = dt;
        while (high - low > tolerance_s) {
            const double middle = 0.5 * (low + high);
            cells_ = before_;
            time_s_ = began_s;
            advance(i, middle);
            (over(*this, current(*this)) ? high : low) = middle;
        }
        cells_ = before_;
        time_s_ = began_s;
        advance(i, high);
        count(high, voltage_V(i));
        out.over = true;
    }
    out.seconds = time_s_ - start_s;
    return out;
}

}  // namespace nk
