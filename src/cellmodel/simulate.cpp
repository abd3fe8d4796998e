#include <algorithm>
#include <cmath>
#include <random>

#include "scenario.h"

namespace nk {

namespace {

constexpr std::size_t kMostRows = 20'000'000;

/// Box and Muller's transform on a fixed generator: the same numbers on every platform.
class Noise {
  public:
    explicit Noise(std::uint64_t seed) : random_(seed) {}
    double normal() {
        if (spare_) {
            spare_ = false;
            return kept_;
        }
        const double u1 = (static_cast<double>(random_() >> 11) + 0.5) * 0x1.0p-53;
        const double u2 = static_cast<double>(random_() >> 11) * 0x1.0p-53;
        const double r = std::sqrt(-2 * std::log(u1));
        kept_ = r * std::sin(6.283185307179586 * u2);
        spare_ = true;
        return r * std::cos(6.283185307179586 * u2);
    }

  private:
    std::mt19937_64 random_;
    bool spare_ = false;
    double kept_ = 0;
};

double rounded(double x, double step) {
    return step > 0 ? std::round(x / step) * step : x;
}

class Run {
  public:
    explicit Run(const Scenario& s) : s_(s), noise_(s.seed), ambient_(s.ambient_C) {
        for (std::size_t n = 0; n < s.cells.size(); ++n)
            cells_.emplace_back(s.cells[n], s.states[n]);
        out_.logged.textStep_V = s.logger.resolution_V;
        out_.logged.textStep_A = s.logger.resolution_A;
        out_.logged.textStep_C = s.logger.resolution_C;
        if (s.logger.cells) out_.logged.cells_V.resize(cells_.size());
    }

    Simulation go() {
        for (const ProgramStep& step : s_.program)
            for (int n = 0; n < step.times && !full(); ++n) {
                if (std::isfinite(step.ambient_C)) ambient_ = step.ambient_C;
                if (step.kind == ProgramStep::Kind::Profile)
                    profile(step);
                else
                    phase(step);
            }
        log(current_);
        return std::move(out_);
    }

  private:
    bool full() const { return out_.logged.time_s.size() >= kMostRows; }

    double source(double current) const {
        double v = 0;
        for (const Cell& c : cells_) v += c.sourceVoltage_V(current);
        return v;
    }
    double resistance() const {
        double r = 0;
        for (const Cell& c : cells_) r += c.resistance_ohm();
        return r;
    }
    double voltage(double current) const { return source(current) + current * resistance(); }
    double lowestCell(double current) const {
        double v = 1e9;
        for (const Cell& c : cells_) v = std::min(v, c.voltage_V(current));
        return v;
    }

    /// Current of a step at this moment; `limited` tells that the set voltage governs.
    double currentOf(const ProgramStep& step, bool& limited) const {
        using Kind = ProgramStep::Kind;
        limited = false;
        switch (step.kind) {
            case Kind::Rest:
                return 0;
            case Kind::Discharge:
                return -step.current_A;
            case Kind::Resistor:
                return -source(-1) / (resistance() + step.resistance_ohm);
            case Kind::Power: {
                // P = (E − I·R)·I, the smaller root.
                const double e = source(-1);
                const double r = resistance();
                const double under = e * e - 4 * r * step.power_W;
                return under > 0 ? -(e - std::sqrt(under)) / (2 * r) : -e / (2 * r);
            }
            case Kind::Charge: {
                double i = step.current_A;
                const double r = resistance();
                const double e = source(i);
                if (step.power_W > 0)
                    i = std::min(i, (-e + std::sqrt(e * e + 4 * r * step.power_W)) / (2 * r));
                if (step.set_V > 0) {
                    // The charger holds the voltage at its own end of the leads.
                    const double atSet = (step.set_V - e) / (r + step.softness_ohm);
                    spare_A_ = atSet - i;
                    if (atSet < i) {
                        i = std::max(0.0, atSet);
                        limited = true;
                    }
                }
                return i;
            }
            case Kind::Profile:
                return 0;
        }
        return 0;
    }

    void phase(const ProgramStep& step) {
        TruePhase truth{step.kind, time_, time_, 0, 0, kNaN, kNaN};
        double peak = -1e9;
        double peakAt = kNaN;
        const double dt = std::min(1.0, s_.logger.interval_s);
        spare_A_ = kNaN;
        while (!full()) {
            bool limited = false;
            const double spareBefore_A = spare_A_;
            const double i = currentOf(step, limited);
            const double v = voltage(i);
            const double elapsed = time_ - truth.start_s;
            if (limited && std::isnan(truth.knee_s)) {
                // Between two ticks, where the current that the set voltage allows crosses.
                truth.knee_s = time_;
                if (spareBefore_A > 0 && spare_A_ < 0)
                    truth.knee_s += dt * spare_A_ / (spareBefore_A - spare_A_);
            }
            if (step.longest_s > 0 && elapsed >= step.longest_s - 1e-9) break;
            if (i < 0 && ((step.floor_V > 0 && v <= step.floor_V) ||
                          (step.cellFloor_V > 0 && lowestCell(i) <= step.cellFloor_V)))
                break;
            if (i >= 0 && step.cutoff_A > 0 && limited && i <= step.cutoff_A) break;
            if (step.charge_Ah > 0 && std::abs(truth.charge_Ah) >= step.charge_Ah) break;
            if (step.kind == ProgramStep::Kind::Charge && step.set_V <= 0 &&
                elapsed >= step.holdOff_s) {
                if (v > peak) peak = v, peakAt = time_;
                if (step.peakDrop_V > 0 &&
                    peak - v >= step.peakDrop_V * static_cast<double>(cells_.size()))
                    break;
            }
            advance(i, dt, truth);
        }
        truth.end_s = time_;
        truth.peak_s = peakAt;
        out_.truth.push_back(truth);
    }

    void profile(const ProgramStep& step) {
        TruePhase truth{step.kind, time_, time_, 0, 0, kNaN, kNaN};
        const double dt = std::min(1.0, s_.logger.interval_s);
        for (const double level : step.levels_A) {
            const double until = time_ + step.longest_s;
            while (time_ < until - 1e-9 && !full()) {
                if (level < 0 && step.floor_V > 0 && voltage(level) <= step.floor_V) break;
                advance(level, dt, truth);
            }
        }
        truth.end_s = time_;
        out_.truth.push_back(truth);
    }

    void advance(double i, double dt, TruePhase& truth) {
        current_ = i;
        if (time_ >= nextLog_ - 1e-9) log(i);
        const double before = voltage(i);
        for (Cell& c : cells_) c.step(i, dt, ambient_);
        truth.charge_Ah += i * dt / 3600;
        truth.energy_Wh += i * 0.5 * (before + voltage(i)) * dt / 3600;
        ++ticks_;
        time_ = static_cast<double>(ticks_) * dt;
    }

    void log(double i) {
        const LoggerSettings& g = s_.logger;
        RecordingData& d = out_.logged;
        if (!d.time_s.empty() && time_ < nextLog_ - 1e-9) return;
        double v = 0;
        double t = -1e9;
        for (std::size_t n = 0; n < cells_.size(); ++n) {
            const double cell = cells_[n].voltage_V(i);
            v += cell;
            t = std::max(t, cells_[n].state().temperature_C);
            if (g.cells)
                d.cells_V[n].push_back(
                    rounded(cell * g.gain_V + g.noise_V * noise_.normal(), g.resolution_V));
        }
        d.time_s.push_back(time_);
        d.voltage_V.push_back(
            rounded(v * g.gain_V + g.offset_V + g.noise_V * noise_.normal(), g.resolution_V));
        d.current_A.push_back(
            rounded(i * g.gain_A + g.offset_A + g.noise_A * noise_.normal(), g.resolution_A));
        if (g.temperature)
            d.temperature_C.push_back(rounded(t + g.noise_C * noise_.normal(), g.resolution_C));
        nextLog_ = static_cast<double>(d.time_s.size()) * g.interval_s;
    }

    const Scenario& s_;
    std::vector<Cell> cells_;
    Noise noise_;
    Simulation out_;
    double time_ = 0;
    std::size_t ticks_ = 0;
    double nextLog_ = 0;
    double ambient_ = 25;
    double current_ = 0;
    mutable double spare_A_ =
        kNaN;  ///< by how much the set voltage allows more than the set current
};

}  // namespace

Simulation simulate(const Scenario& scenario) {
    return Run(scenario).go();
}

}  // namespace nk
