#include "overlay.h"

#include <algorithm>
#include <cmath>

#include "analysis/capacity/event.h"
#include "analysis/compare/cold_warm.h"
#include "analysis/finish/nickel.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "quantity/uncertainty.h"

namespace nk {

namespace {

/// What a step number means: rows, and the discharge that holds it, if any.
struct Selection {
    std::size_t first = 0, last = 0;
    const Event* discharge = nullptr;
};

/// What was given, by a whole discharge or by a chosen step of one; charge_Ah is 0 when nothing
/// was.
struct Given {
    double charge_Ah = 0;
    std::size_t first = 0, last = 0;
    double end_V = 0;
};

Selection selected(const AnalysisInput& in, int step) {
    Selection out;
    out.last = in.recording.size() - 1;
    const auto& discharges = dischargeEvents(in);
    if (step >= 0 && step < static_cast<int>(in.steps.list.size())) {
        const Step& s = in.steps.list[static_cast<std::size_t>(step)];
        out.first = s.first;
        out.last = s.last;
        for (const Event& e : discharges)
            if (std::ranges::find(e.steps, step) != e.steps.end()) out.discharge = &e;
        return out;
    }
    for (const Event& e : discharges)
        if (out.discharge == nullptr || e.sum.charge_Ah < out.discharge->sum.charge_Ah)
            out.discharge = &e;
    return out;
}

Given givenBy(const AnalysisInput& in, const Selection& s, int step) {
    if (step >= 0) {
        const Step& chosen = in.steps.list[static_cast<std::size_t>(step)];
        if (!chosen.isDischarge()) return {};
        return {-chosen.sum.charge_Ah, chosen.first, chosen.last, chosen.endVoltage_V};
    }
    if (s.discharge == nullptr) return {};
    return {-s.discharge->sum.charge_Ah, s.discharge->first, s.discharge->last,
            s.discharge->endVoltage_V};
}

/// The moment an axis counts from, s; NaN: the log has none.
double eventOf(const AnalysisInput& in, OverlayAxis axis, std::size_t first, std::size_t last) {
    const auto t = in.recording.time_s();
    if (axis == OverlayAxis::Peak) {
        for (const NickelCharge& c : nickelCharges(in))
            if (c.peaked && c.peak_s >= t[first] && c.peak_s <= t[last]) return c.peak_s;
        return kNaN;
    }
    for (const Step& s : in.steps.list)
        if (s.kind == StepKind::CvCharge && s.start_s >= t[first] - 1 && s.start_s <= t[last])
            return s.start_s - s.kneeBefore_s;
    return kNaN;
}

double at(const std::vector<double>& x, const std::vector<double>& y, double where) {
    const auto above = std::ranges::lower_bound(x, where);
    if (above == x.begin()) return y.front();
    if (above == x.end()) return y.back();
    const auto k = static_cast<std::size_t>(above - x.begin());
    const double span = x[k] - x[k - 1];
    return span > 0 ? y[k - 1] + (y[k] - y[k - 1]) * (where - x[k - 1]) / span : y[k];
}

/// Charge given until the voltage has fallen to `volts` for good; the charges from the last row
/// above it.
double givenAt(const std::vector<double>& charge, std::span<const double> v, std::size_t first,
               std::size_t last, double volts) {
    for (std::size_t k = last + 1; k-- > first;)
        if (v[k] >= volts) return charge[k] - charge[first];
    return 0;
}

}  // namespace

OverlayCurve overlayCurve(const AnalysisInput& in, int step, OverlayAxis axis,
                          const std::string& name, std::size_t most) {
    OverlayCurve out;
    out.name = name;
    if (in.recording.empty()) {
        out.why = phrase("The log is empty.");
        return out;
    }
    Selection s = selected(in, step);
    const auto t = in.recording.time_s();
    // Over charge a log is its largest discharge: the rest would run to and fro.
    if (axis == OverlayAxis::StateOfCharge || (axis == OverlayAxis::Charge && step < 0)) {
        if (s.discharge != nullptr) {
            s.first = s.discharge->first;
            s.last = s.discharge->last;
        } else if (axis == OverlayAxis::StateOfCharge || chargeEvents(in).empty()) {
            out.why = phrase("There is no discharge in it.");
            return out;
        } else {
            const auto& charges = chargeEvents(in);
            const auto largest = std::ranges::max_element(
                charges, {}, [](const Event& e) { return e.sum.charge_Ah; });
            s.first = largest->first;
            s.last = largest->last;
        }
    }
    double scale = 1;
    double zero = 0;
    if (axis == OverlayAxis::StateOfCharge) {
        const Event& e = *s.discharge;
        if (e.fullAtStart != Known::Yes) {
            out.why =
                phrase("It is not known to have begun full: no state of charge can be counted.");
            return out;
        }
        const double whole =
            e.reachedFloor == Known::Yes ? -e.sum.charge_Ah : in.battery.capacity_Ah();
        if (!(whole > 0)) {
            out.why = phrase(
                "It did not reach the floor and the rating is not known: no state of "
                "charge can be counted.");
            return out;
        }
        scale = -100 / whole;
        zero = 100;
    }
    double event = t[s.first];
    if (axis == OverlayAxis::Knee || axis == OverlayAxis::Peak) {
        event = eventOf(in, axis, s.first, s.last);
        if (!std::isfinite(event)) {
            out.why = axis == OverlayAxis::Knee ? phrase("There is no knee in it.")
                                                : phrase("There is no nickel peak in it.");
            return out;
        }
    }
    const auto v = in.recording.voltage_V();
    const auto i = in.recording.current_A();
    const auto temperature = in.recording.temperature_C();
    const bool byCharge = axis == OverlayAxis::Charge || axis == OverlayAxis::StateOfCharge;
    const std::size_t rows = s.last - s.first + 1;
    const std::size_t stretch = std::max<std::size_t>(1, (2 * rows + most - 1) / most);
    std::vector<double> x(rows, 0);
    for (std::size_t k = 1; k < rows; ++k) {
        const std::size_t n = s.first + k;
        x[k] =
            byCharge ? x[k - 1] + std::abs(0.5 * (i[n - 1] + i[n]) * (t[n] - t[n - 1]) / 3600) : 0;
    }
    const auto place = [&](std::size_t k) {
        return byCharge ? zero + scale * x[k] : (t[s.first + k] - event) / 3600;
    };
    const auto put = [&](std::size_t k) {
        out.x.push_back(place(k));
        out.volts.push_back(v[s.first + k]);
        out.amps.push_back(i[s.first + k]);
        if (!temperature.empty()) out.celsius.push_back(temperature[s.first + k]);
    };
    // Of a charge level the whole discharge was counted, of which a chosen step may be a part.
    std::size_t from = 0;
    std::size_t to = rows;
    if (step >= 0 && axis == OverlayAxis::StateOfCharge) {
        const Step& chosen = in.steps.list[static_cast<std::size_t>(step)];
        from = std::max(chosen.first, s.first) - s.first;
        to = std::min(chosen.last, s.last) - s.first + 1;
    }
    for (std::size_t k = from; k < to; k += stretch) {
        if (stretch == 1) {
            put(k);
            continue;
        }
        const auto part = v.subspan(s.first + k, std::min(stretch, to - k));
        const auto [low, high] = std::ranges::minmax_element(part);
        const auto a = k + static_cast<std::size_t>(low - part.begin());
        const auto b = k + static_cast<std::size_t>(high - part.begin());
        put(std::min(a, b));
        if (a != b) put(std::max(a, b));
    }
    if (axis == OverlayAxis::StateOfCharge) {  // counts down: turned, so that x never falls
        std::ranges::reverse(out.x);
        std::ranges::reverse(out.volts);
        std::ranges::reverse(out.amps);
        std::ranges::reverse(out.celsius);
    }
    const ChannelQuality& q = in.recording.voltageQuality();
    out.voltsUncertainty =
        std::hypot(q.sigma(), rectangle(in.accuracy.voltageOffsetSteps * q.resolution));
    out.voltageGain = in.accuracy.voltageGain;
    out.perAxisUncertainty = byCharge ? rectangle(in.accuracy.currentGain) : 0;
    return out;
}

OverlayDifference overlayDifference(const OverlayCurve& first, const OverlayCurve& second,
                                    bool oneInstrument, double shift, std::size_t points) {
    OverlayDifference out;
    if (first.x.size() < 2 || second.x.size() < 2 || points < 2) return out;
    const double from = std::max(first.x.front(), second.x.front() + shift);
    const double to = std::min(first.x.back(), second.x.back() + shift);
    if (!(to > from)) return out;
    const double step = (to - from) / static_cast<double>(points - 1);
    for (std::size_t k = 0; k < points; ++k) {
        const double x = from + static_cast<double>(k) * step;
        const double a = at(first.x, first.volts, x);
        const double b = at(second.x, second.volts, x - shift);
        const double d = b - a;
        const double gain = oneInstrument ? rectangle(first.voltageGain * d)
                                          : std::hypot(rectangle(first.voltageGain * a),
                                                       rectangle(second.voltageGain * b));
        // A charge axis that is a little long shifts the curve where it is steep.
        const double slope = (at(second.x, second.volts, x - shift + 0.5 * step) -
                              at(second.x, second.volts, x - shift - 0.5 * step)) /
                             step;
        const double axis = oneInstrument
                                ? 0
                                : std::hypot(first.perAxisUncertainty, second.perAxisUncertainty) *
                                      std::abs(x * slope);
        const double u = quadrature({first.voltsUncertainty, second.voltsUncertainty, gain, axis});
        out.x.push_back(x);
        out.volts.push_back(d);
        out.low.push_back(d - 2 * u);
        out.high.push_back(d + 2 * u);
    }
    return out;
}

std::vector<std::string> whatDiffers(const AnalysisInput& first, int firstStep,
                                     const std::string& firstName, const AnalysisInput& second,
                                     int secondStep, const std::string& secondName) {
    std::vector<std::string> out;
    const Selection a = selected(first, firstStep);
    const Selection b = selected(second, secondStep);
    const Comparison c = compareRecordings(first, second, firstStep, secondStep);
    const Given ga = givenBy(first, a, firstStep);
    const Given gb = givenBy(second, b, secondStep);
    if (firstStep >= 0 && secondStep >= 0) {
        const Step& one = first.steps.list[static_cast<std::size_t>(firstStep)];
        const Step& other = second.steps.list[static_cast<std::size_t>(secondStep)];
        if (one.isCharge() && other.isCharge() && one.sum.charge_Ah > 0) {
            const auto relative = [](const AnalysisInput& in, const Step& s) {
                InstrumentAccuracy without = in.accuracy;
                without.currentGain = 0;  // cancels
                return chargeUncertainty_Ah(in.recording, s.sum, without) / s.sum.charge_Ah;
            };
            const double share = 100 * (other.sum.charge_Ah / one.sum.charge_Ah - 1);
            const double u = 200 * std::hypot(relative(first, one), relative(second, other));
            const std::string takes = shortValue(other.sum.charge_Ah, "Ah");
            const std::string took = shortValue(one.sum.charge_Ah, "Ah");
            out.push_back(
                std::abs(share) < std::max(0.5, u)
                    ? phrase("{} and {} take the same within what the meters can tell ({} and {}).",
                             firstName, secondName, took, takes)
                : other.sum.charge_Ah > 2 * one.sum.charge_Ah
                    ? phrase("{} takes {:.1f} times what {} takes ({} against {}).", secondName,
                             other.sum.charge_Ah / one.sum.charge_Ah, firstName, takes, took)
                : share < 0 ? phrase("{} takes {:.0f} % less than {} ({} against {}).", secondName,
                                     -share, firstName, takes, took)
                            : phrase("{} takes {:.0f} % more than {} ({} against {}).", secondName,
                                     share, firstName, takes, took));
        }
    }
    if (ga.charge_Ah > 0 && gb.charge_Ah > 0) {
        const double one = ga.charge_Ah;
        const double other = gb.charge_Ah;
        const double share = 100 * (other / one - 1);
        const double u = c.capacity.known() ? 200 * c.capacity.uncertainty : kNaN;
        if (std::abs(share) < (std::isfinite(u) ? u : 0.5)) {
            out.push_back(
                phrase("{} and {} give the same within what the meters can tell ({} and {}).",
                       firstName, secondName, shortValue(one, "Ah"), shortValue(other, "Ah")));
        } else {
            std::string words =
                other > 2 * one
                    ? phrase("{} gives {:.1f} times what {} gives ({} against {})", secondName,
                             other / one, firstName, shortValue(other, "Ah"), shortValue(one, "Ah"))
                : share < 0
                    ? phrase("{} gives {:.0f} % less than {} ({} against {})", secondName, -share,
                             firstName, shortValue(other, "Ah"), shortValue(one, "Ah"))
                    : phrase("{} gives {:.0f} % more than {} ({} against {})", secondName, share,
                             firstName, shortValue(other, "Ah"), shortValue(one, "Ah"));
            // Down from which voltage four fifths of that come.
            const auto& qa = runningCharge_Ah(first);
            const auto& qb = runningCharge_Ah(second);
            const auto va = first.recording.voltage_V();
            const auto vb = second.recording.voltage_V();
            std::vector<double> down;
            for (const double q : qa) down.push_back(-q);
            std::vector<double> downB;
            for (const double q : qb) downB.push_back(-q);
            const double top = std::min(va[ga.first + (ga.last > ga.first ? 1 : 0)],
                                        vb[gb.first + (gb.last > gb.first ? 1 : 0)]);
            const double low = std::max(ga.end_V, gb.end_V);
            const double missing = one - other;
            double split = kNaN;
            for (int k = 0; k <= 200; ++k) {
                const double volts = top - (top - low) * k / 200;
                const double so_far = givenAt(down, va, ga.first, ga.last, volts) -
                                      givenAt(downB, vb, gb.first, gb.last, volts);
                if (missing != 0 && so_far / missing < 0.2) split = volts;
            }
            const double cells = std::max(1.0, static_cast<double>(first.battery.cells()));
            // A voltage that nearly all of the charge is below tells nothing.
            const bool tells =
                std::isfinite(split) && givenAt(down, va, ga.first, ga.last, split) > 0.4 * one;
            if (tells && split < top - 0.15 * (top - low) && split > low + 0.02 * (top - low))
                words += phrase(", nearly all of it below {}", shortValue(split, "V")) +
                         (cells > 1.5 ? phrase(" ({} a cell)", shortValue(split / cells, "V"))
                                      : std::string());
            out.push_back(words + ".");
        }
    }
    if (c.resistance.known()) {
        const double r = c.resistance.value;
        const double u = 2 * c.resistance.uncertainty;
        const std::string when =
            c.delay_s > 0 ? phrase("after {:.0f} s", c.delay_s) : phrase("at the first sample");
        out.push_back(
            std::abs(r - 1) < u
                ? phrase("Their resistances {} are the same within what the logs can tell.", when)
                : phrase("{}: its resistance {} is {:.2f} ± {:.2f} times that of {}.", secondName,
                         when, r, u, firstName));
    }
    for (const std::string& caveat : c.caveats) out.push_back(caveat);
    return out;
}

}  // namespace nk
