#include "predict.h"

#include <algorithm>
#include <cmath>

#include "quantity/number.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr double kLongest_s = 100 * 3600.0;
/// A model is no cell: what its own errors say is widened by this; times of a lithium charge, whose
/// tail is the hardest to tell, by more. Set on tests/coverage/predict.py, seeds 78 and 501; the
/// figures in docs/methods.md are of others.
constexpr double kModelFactor = 1.2, kTailFactor = 3.5;
/// Time step while the voltage is held.
constexpr double kHeldStep_s = 10;
/// A cell, per level below empty.
constexpr double kCliff_V = 10;

struct Off {
    double volts = 0;  ///< times what it misses
    double ohms = 1, charge = 1, start = 0;
    double extra = 0, fall = 0;  ///< nickel: standard uncertainties
};

struct State {
    double z = 0, x1 = 0, x2 = 0, lagging_A = 0, warmth = 25;
};

struct Run {
    double duration_s = 0, knee_s = kNaN, charge_Ah = 0, maxWarmth = 0, endVolts = 0;
    double most_A = 0, lowLevel = 1, highLevel = 0;
    double end_Ah = 0;   ///< missing at its end
    double past_Ah = 0;  ///< put in behind a nickel charge's peak
    bool never = false;  ///< the end was not reached in the longest time
    std::vector<double> time_s, voltage_V;
};

Run runStep(const OwnModel& m, const PredictStep& step, double ambient_C, const Off& off, State& s,
            bool keep) {
    Run out;
    out.maxWarmth = s.warmth;
    const double sign = step.charges() ? 1 : -1;
    bool held = false;
    const bool peaks = step.kind == PredictStep::Kind::PeakCharge;
    const double extra = peaks ? m.nickel.extraAt(step.value, off.extra) : 0;
    double before = peaks ? NickelCharging::before_Ah(s.z * off.charge, extra) : 0;
    const double behind = peaks && step.duration_s <= 0
                              ? m.nickel.fall_Ah * std::sqrt(step.drop_V / 0.005) *
                                    std::exp(off.fall * m.nickel.fallShare)
                              : 0;
    double t = 0;
    double amps = 0;
    double next = 0;
    while (true) {
        const double g = m.warmthFactor(s.warmth) * off.ohms;
        const double r0 = m.r0At(s.z, s.warmth) * off.ohms;
        const double offset = off.volts * m.missesAt_V(s.z);
        double open = m.ocv_V(s.z * off.charge - m.lag_Ah_A * s.lagging_A) + offset + s.x1 + s.x2;
        // Below empty a nickel battery falls off a cliff: what the volts are off by moves it
        // little.
        if (m.nickel.known()) open += kCliff_V * std::min(0.0, m.level(s.z * off.charge));
        const double period = step.on_s + step.off_s;
        const double phase = step.on_s > 0 ? std::fmod(t + 1e-7, period) : 0;
        const bool on = step.on_s <= 0 || phase < step.on_s;
        // Half a second at least: from nothing a power has no current.
        const double eased =
            step.ease_s > 0 && t < step.ease_s ? (t + 0.5) / (step.ease_s + 0.5) : 1;
        if (step.kind == PredictStep::Kind::Rest) {
            amps = 0;
        } else if (!on) {
            amps = 0;
        } else if (step.kind == PredictStep::Kind::Power) {
            // P = n·|I|·(open − |I|·r0): the smaller root; none: it cannot give so much.
            const double per = eased * step.value / m.series;
            const double under = open * open - 4 * r0 * per;
            if (under < 0) break;
            amps = -(open - std::sqrt(under)) / (2 * std::max(r0, 1e-9));
            if (r0 < 1e-8) amps = -per / open;
        } else {
            amps = sign * step.value * eased;
            if (step.kind == PredictStep::Kind::Charge && open + amps * r0 >= step.volts) {
                if (!held) out.knee_s = t;
                held = true;
            }
            if (held) {
                // At the end of the step the voltage is met, with what the fast parts answer within
                // it: stable however fast they are.
                const double f1 = std::exp(-kHeldStep_s / m.tau_s[0]);
                const double f2 = std::exp(-kHeldStep_s / m.tau_s[1]);
                const double fd = std::exp(-kHeldStep_s / m.lag_s);
                const double z = s.z * off.charge - m.lag_Ah_A * s.lagging_A * fd;
                const double hair = 1e-4 * m.scale_Ah;
                const double slope = (m.ocv_V(z - hair) - m.ocv_V(z)) / hair;
                const double ohms =
                    r0 + (m.r_ohm[0] * (1 - f1) + m.r_ohm[1] * (1 - f2)) * g +
                    std::max(0.0, slope) * (m.lag_Ah_A * (1 - fd) + kHeldStep_s / 3600);
                const double rested = m.ocv_V(z) + offset + s.x1 * f1 + s.x2 * f2;
                amps = std::clamp((step.volts - rested) / std::max(ohms, 1e-9), 0.0, step.value);
            }
        }
        double volts = held ? step.volts : open + amps * r0;
        if (peaks) volts += m.nickel.riseAt_V(before / m.scale_Ah) - m.nickel.fallen_V(-before);
        if (keep && t >= next) {
            out.time_s.push_back(t);
            out.voltage_V.push_back(volts);
            next += 60;
        }
        out.endVolts = volts;
        if (step.kind == PredictStep::Kind::Rest ? t >= step.duration_s
            : peaks ? (step.duration_s > 0 ? t >= step.duration_s : before <= -behind + 1e-9)
            : step.kind == PredictStep::Kind::Charge ? held && amps <= step.cutoff_A
                                                     : on && volts <= step.volts)
            break;
        if (t >= kLongest_s) {
            out.never = true;
            break;
        }
        out.most_A = std::max(out.most_A, std::abs(amps));
        const double level = m.level(s.z);
        out.lowLevel = std::min(out.lowLevel, level);
        out.highLevel = std::max(out.highLevel, level);
        // Short at the start and where the curve is steep, long on the plain.
        double dt =
            std::min({t < 60 ? 1.0 : 10.0,
                      std::max(0.5, 0.0015 * m.scale_Ah * 3600 / std::max(std::abs(amps), 1e-6))});
        if (step.kind == PredictStep::Kind::Rest || (peaks && step.duration_s > 0))
            dt = std::min(dt, std::max(1e-3, step.duration_s - t));
        else if (peaks)
            dt = std::min(dt, std::max(1e-3, (before + behind) / amps * 3600));
        if (step.kind == PredictStep::Kind::Discharge || step.kind == PredictStep::Kind::Power)
            if (volts - step.volts < 0.05) dt = std::min(dt, 1.0);
        if (step.on_s > 0) dt = std::min(dt, std::max(1e-3, (on ? step.on_s : period) - phase));
        if (step.ease_s > 0 && t < step.ease_s) dt = std::min(dt, 1.0);
        const double k1 = std::exp(-dt / m.tau_s[0]);
        const double k2 = std::exp(-dt / m.tau_s[1]);
        double lost = amps * (volts - (open - s.x1 - s.x2)) * m.series;
        s.x1 = s.x1 * k1 + amps * m.r_ohm[0] * g * (1 - k1);
        s.x2 = s.x2 * k2 + amps * m.r_ohm[1] * g * (1 - k2);
        const double kd = std::exp(-dt / m.lag_s);
        s.lagging_A = s.lagging_A * kd + amps * (1 - kd);
        if (peaks) {
            // What is not stored becomes oxygen, and warmth where it meets the other electrode.
            const double was = NickelCharging::missing_Ah(before, extra);
            before -= amps * dt / 3600;
            const double taken = was - NickelCharging::missing_Ah(before, extra);
            s.z = std::max(0.0, s.z - taken / off.charge);
            lost += (amps - taken * 3600 / dt) * (open - s.x1 - s.x2) * m.series;
        } else {
            s.z -= amps * dt / 3600;
        }
        const double keepWarm = std::exp(-dt * m.loss_W_K / m.heat_J_K);
        s.warmth = ambient_C + (s.warmth - ambient_C) * keepWarm +
                   std::max(0.0, lost) / m.loss_W_K * (1 - keepWarm);
        out.maxWarmth = std::max(out.maxWarmth, s.warmth);
        out.charge_Ah += amps * dt / 3600;
        t += dt;
    }
    out.duration_s = t;
    out.past_Ah = std::max(0.0, -before);
    out.end_Ah = s.z;
    return out;
}

}  // namespace

Expected<PredictStep> readPredictStep(const std::string& text) {
    PredictStep out;
    out.text = text;
    const auto refuse = [&] {
        return fail(
            ErrorKind::InvalidArgument, phrase("This is no step: {}", text), "--do",
            "charge:2A:4.20V:0.1A, nickel charge:1A:peak, charge:1A:peak-5mV or charge:0.2A:14h; "
            "discharge:5A:3.0V, power:20W:3.0V, rest:30min; loads also with :pulse:10s:20s or "
            ":ease:60s");
    };
    std::vector<std::string> parts(1);
    for (const char c : text) {
        if (c == ':')
            parts.emplace_back();
        else
            parts.back() += c;
    }
    const auto figure = [](const std::string& part, const char* unit, double& value) {
        const std::size_t n = std::char_traits<char>::length(unit);
        if (part.size() <= n || part.substr(part.size() - n) != unit) return false;
        const std::string digits = part.substr(0, part.size() - n);
        if (digits.find_first_not_of("0123456789.") != std::string::npos) return false;
        if (std::ranges::count(digits, '.') > 1 || digits == "." || digits.size() > 12)
            return false;
        value = readNumber(digits).value_or(0);
        return std::isfinite(value) && value > 0;
    };
    const auto current = [&](const std::string& part, double& value) {
        if (figure(part, "mA", value)) return value /= 1000, true;
        return figure(part, "A", value);
    };
    const auto stretch = [&](const std::string& part, double& value) {
        if (figure(part, "min", value)) return value *= 60, true;
        if (figure(part, "h", value)) return value *= 3600, true;
        return figure(part, "s", value);
    };
    if (parts[0] == "charge" && parts.size() == 3 && current(parts[1], out.value)) {
        const bool peak = parts[2].starts_with("peak");
        const bool under = parts[2].starts_with("peak-");
        if (under && !figure(parts[2].substr(5), "mV", out.drop_V)) return refuse();
        if (peak && !under && parts[2] != "peak") return refuse();
        if (peak || stretch(parts[2], out.duration_s)) {
            out.kind = PredictStep::Kind::PeakCharge;
            out.drop_V /= 1000;
            if (out.drop_V > 0.05 || out.duration_s > kLongest_s) return refuse();
            return out;
        }
    }
    if (parts[0] == "charge" && (parts.size() == 4 || parts.size() == 3)) {
        out.kind = PredictStep::Kind::Charge;
        if (!current(parts[1], out.value) || !figure(parts[2], "V", out.volts)) return refuse();
        out.cutoff_A = out.value / 20;
        if (parts.size() == 4 && !current(parts[3], out.cutoff_A)) return refuse();
        return out;
    }
    if (parts[0] == "discharge" || parts[0] == "power") {
        while (parts.size() > 3) {
            const std::size_t n = parts.size();
            if (n >= 6 && parts[n - 3] == "pulse" && out.on_s == 0) {
                if (!stretch(parts[n - 2], out.on_s) || !stretch(parts[n - 1], out.off_s) ||
                    out.on_s < 1 || out.off_s < 1 || out.on_s + out.off_s > kLongest_s)
                    return refuse();
                parts.resize(n - 3);
            } else if (n >= 5 && parts[n - 2] == "ease" && out.ease_s == 0) {
                if (!stretch(parts[n - 1], out.ease_s) || out.ease_s > kLongest_s) return refuse();
                parts.resize(n - 2);
            } else {
                return refuse();
            }
        }
    }
    if (parts[0] == "discharge" && parts.size() == 3) {
        out.kind = PredictStep::Kind::Discharge;
        if (!current(parts[1], out.value) || !figure(parts[2], "V", out.volts)) return refuse();
        return out;
    }
    if (parts[0] == "power" && parts.size() == 3) {
        out.kind = PredictStep::Kind::Power;
        if (!figure(parts[1], "W", out.value) || !figure(parts[2], "V", out.volts)) return refuse();
        return out;
    }
    if (parts[0] == "rest" && parts.size() == 2) {
        out.kind = PredictStep::Kind::Rest;
        if (!stretch(parts[1], out.duration_s)) return refuse();
        if (out.duration_s > kLongest_s) return refuse();
        return out;
    }
    return refuse();
}

Expected<std::vector<PredictedStep>> predict(const OwnModel& m,
                                             const std::vector<PredictStep>& steps,
                                             const PredictSetting& setting) {
    if (steps.empty())
        return fail(
            ErrorKind::InvalidArgument, phrase("There is nothing to predict."), "--do",
            "charge:2A:4.20V:0.1A, nickel charge:1A:peak, charge:1A:peak-5mV or charge:0.2A:14h; "
            "discharge:5A:3.0V, power:20W:3.0V, rest:30min; loads also with :pulse:10s:20s or "
            ":ease:60s");
    if (!(setting.startSoc >= 0 && setting.startSoc <= 1.02))
        return fail(ErrorKind::InvalidArgument,
                    phrase("A charge level of {:.2f} is none.", setting.startSoc), "--start-soc",
                    phrase("0 to 1."));
    for (const PredictStep& s : steps) {
        if (s.kind == PredictStep::Kind::PeakCharge && !m.nickel.known())
            return fail(ErrorKind::Unsupported,
                        phrase("Only nickel is charged to a peak or by the clock."), s.text,
                        phrase("charge:2A:4.20V:0.1A: current, volts a cell, cut-off."));
        if (s.kind != PredictStep::Kind::Charge) continue;
        if (m.chemistry->nickel())
            return fail(ErrorKind::Unsupported,
                        phrase("A nickel battery is not charged to a voltage."), s.text,
                        phrase("charge:1A:peak, charge:1A:peak-5mV or charge:0.2A:14h."));
        if (s.volts > m.chemistry->fault_V + 1e-9)
            return fail(ErrorKind::InvalidArgument,
                        phrase("{:.2f} V a cell is beyond the fault limit of {}.", s.volts,
                               m.chemistry->name()),
                        s.text, phrase("at most {:.2f} V a cell.", m.chemistry->set_V));
    }
    const auto begin = [&](const Off& off) {
        State s;
        s.z = (1 - setting.startSoc + off.start) * m.capacity_Ah;
        s.warmth = setting.ambient_C;
        return s;
    };
    const auto whole = [&](const Off& off, bool keep) {
        State s = begin(off);
        std::vector<Run> out;
        for (const PredictStep& step : steps)
            out.push_back(runStep(m, step, setting.ambient_C, off, s, keep));
        return out;
    };
    const auto plain = whole({}, true);
    std::vector<Off> offs = {{1, 1, 1},
                             {-1, 1, 1},
                             {0, 1 + m.resistanceShare, 1},
                             {0, 1, 1 + m.chargeShare},
                             {0, 1, 1, m.fullShare}};
    if (m.nickel.known()) {
        offs.push_back({0, 1, 1, 0, 1, 0});
        offs.push_back({0, 1, 1, 0, 0, 1});
    }
    std::vector<std::vector<Run>> others;
    for (const Off& off : offs) others.push_back(whole(off, false));
    std::vector<PredictedStep> out;
    const double rated = m.scale_Ah;
    for (std::size_t k = 0; k < steps.size(); ++k) {
        const Run& run = plain[k];
        PredictedStep p;
        p.step = steps[k];
        p.duration_s = run.duration_s;
        p.knee_s = run.knee_s;
        p.charge_Ah = run.charge_Ah;
        p.maxTemperature_C = run.maxWarmth;
        p.endVoltage_V = run.endVolts;
        p.endSoc = 1 - run.end_Ah / m.capacity_Ah;
        p.time_s = run.time_s;
        p.voltage_V = run.voltage_V;
        const auto spread = [&](auto member) {
            const auto moved = [&](std::size_t n) {
                return std::abs(others[n][k].*member - run.*member);
            };
            double squares = std::pow(std::max(moved(0), moved(1)), 2);
            for (std::size_t n = 2; n < others.size(); ++n) squares += std::pow(moved(n), 2);
            return kModelFactor * std::sqrt(squares);
        };
        p.uncertainty_s = spread(&Run::duration_s);
        if (steps[k].kind == PredictStep::Kind::Charge)
            p.uncertainty_s *= kTailFactor / kModelFactor;
        if (steps[k].kind == PredictStep::Kind::PeakCharge && steps[k].duration_s > 0)
            p.uncertainty_s = 0;
        p.uncertainty_Ah = spread(&Run::charge_Ah);
        p.endSocUncertainty = spread(&Run::end_Ah) / m.capacity_Ah;
        const double rate = run.most_A / rated;
        const auto& e = m.evidence;
        const auto outside = [&](const std::string& why) {
            p.extrapolated = true;
            p.caveats.push_back(why);
        };
        if (steps[k].kind != PredictStep::Kind::Rest) {
            if (rate > 1.25 * e.c_high || rate < 0.6 * e.c_low)
                outside(phrase("{:.2g}C was never logged: {:.2g}C to {:.2g}C were.", rate, e.c_low,
                               e.c_high));
            if (setting.ambient_C < e.t_low_C - 5 || run.maxWarmth > e.t_high_C + 8)
                outside(phrase("Logged at {:.0f} to {:.0f} °C only.", e.t_low_C, e.t_high_C));
            if (run.lowLevel < e.soc_low - 0.05 || run.highLevel > e.soc_high + 0.05)
                outside(phrase("Part of the charge level was never logged."));
        }
        if (p.extrapolated) {
            p.uncertainty_s *= 2;
            p.uncertainty_Ah *= 2;
            p.endSocUncertainty *= 2;
        }
        if (steps[k].kind == PredictStep::Kind::PeakCharge) {
            if (m.nickel.seen == 0)
                p.caveats.push_back(
                    phrase("How much goes in beyond what it stores is the usual share: no log "
                           "charges it between two known levels."));
            if (run.past_Ah > 0.05 * m.scale_Ah)
                p.caveats.push_back(
                    phrase("It would be charged on for {:.2f} Ah behind its peak.", run.past_Ah));
            if (rate < 0.3 && steps[k].duration_s <= 0)
                p.caveats.push_back(
                    phrase("Under about 0.3C there often is no peak: add a timer."));
        }
        if (run.never) {
            p.duration_s = p.uncertainty_s = kNaN;
            p.caveats.push_back(phrase("It does not come to its end within 100 h."));
        }
        if (steps[k].kind == PredictStep::Kind::Charge &&
            steps[k].volts > m.chemistry->set_V + 0.005)
            p.caveats.push_back(
                phrase("Above the usual {:.2f} V a cell: it costs life fast.", m.chemistry->set_V));
        const double top =
            steps[k].charges() ? m.chemistry->chargeMax_C : m.chemistry->dischargeMax_C;
        if (run.maxWarmth > top)
            p.caveats.push_back(phrase("It would pass {:.0f} °C: stop before.", top));
        if (steps[k].charges() && setting.ambient_C < m.chemistry->chargeMin_C)
            p.caveats.push_back(
                phrase("Charging under {:.0f} °C damages it for good.", m.chemistry->chargeMin_C));
        if (steps[k].kind == PredictStep::Kind::Power && run.endVolts > steps[k].volts + 0.01)
            p.caveats.push_back(phrase("It cannot give so much power to the floor."));
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace nk
