#include "integral.h"

#include <algorithm>
#include <cmath>

namespace nk {

Integral integrate(const Recording& recording, std::size_t first, std::size_t last) {
    Integral out;
    if (recording.empty() || last <= first) return out;
    const auto t = recording.time_s();
    const auto v = recording.voltage_V();
    const auto i = recording.current_A();
    // Noise and the last written digit are no jumps.
    const double jump =
        std::max(6 * recording.currentQuality().noise, 1.5 * recording.currentQuality().resolution);
    const double usual = recording.usualInterval_s();
    double samplingQ = 0;
    double samplingE = 0;
    double charge = 0;
    double energy = 0;
    double absCharge = 0;
    double before = 0;  // the last interval's change where that was a jump
    double square = 0, product = 0;
    std::size_t pairs = 0;
    for (std::size_t k = first; k < last; ++k) {
        const double dt = t[k + 1] - t[k];
        const double mean = 0.5 * (i[k] + i[k + 1]);
        const double power = 0.5 * (i[k] * v[k] + i[k + 1] * v[k + 1]);
        charge += mean * dt;
        energy += power * dt;
        absCharge += std::abs(mean) * dt;
        const double change = i[k + 1] - i[k];
        const double step = std::abs(change);
        if (step > jump && before != 0)
            square += change * change, product += change * before, ++pairs;
        before = step > jump ? change : 0;
        if (step > jump || dt > 3 * usual) {
            const double half = 0.5 * step * dt;
            samplingQ += half * half / 3;
            const double halfE = 0.5 * std::abs(i[k + 1] * v[k + 1] - i[k] * v[k]) * dt;
            samplingE += halfE * halfE / 3;
        }
    }
    // Where the current changes faster than it is sampled its changes undo each other (correlation
    // down to −1/2) and an interval is known six times worse (in variance) than on a path that
    // wanders.
    if (pairs >= 8) {
        const double worse = 1 + 10 * std::clamp(-product / square, 0.0, 0.5);
        samplingQ *= worse;
        samplingE *= worse;
    }
    out.charge_Ah = charge / 3600;
    out.energy_Wh = energy / 3600;
    out.absCharge_Ah = absCharge / 3600;
    out.duration_s = t[last] - t[first];
    out.samplingCharge_Ah = std::sqrt(samplingQ) / 3600;
    out.samplingEnergy_Wh = std::sqrt(samplingE) / 3600;
    return out;
}

namespace {

/// Noise and rounding of single samples, summed over n intervals. Where the noise is under half
/// a resolution step the rounding does not average out and is kept whole (methods.md §1).
double sampleTerm_Ah(const ChannelQuality& quality, double duration_s, double interval_s) {
    const double n = std::max(1.0, duration_s / std::max(interval_s, 1e-9));
    const bool averages = quality.noise >= 0.5 * quality.resolution;
    const double rounding = quantisation(quality.resolution) * duration_s / 3600;
    const double noise = quality.noise * duration_s / std::sqrt(n) / 3600;
    return std::hypot(noise, averages ? rounding / std::sqrt(n) : rounding);
}

/// Running sum of mean(k)·Δt over the intervals that end at sample k, in hours.
template <class Mean>
std::vector<double> running(const Recording& recording, Mean&& mean) {
    const auto t = recording.time_s();
    std::vector<double> out(recording.size(), 0.0);
    for (std::size_t k = 1; k < out.size(); ++k)
        out[k] = out[k - 1] + mean(k) * (t[k] - t[k - 1]) / 3600;
    return out;
}

}  // namespace

double chargeUncertainty_Ah(const Recording& recording, const Integral& sum,
                            const InstrumentAccuracy& accuracy) {
    const ChannelQuality& q = recording.currentQuality();
    const double gain = rectangle(accuracy.currentGain * sum.charge_Ah);
    const double offset =
        rectangle(accuracy.currentOffsetSteps * q.resolution) * sum.duration_s / 3600;
    return quadrature({gain, offset, sampleTerm_Ah(q, sum.duration_s, recording.usualInterval_s()),
                       sum.samplingCharge_Ah});
}

double energyUncertainty_Wh(const Recording& recording, const Integral& sum,
                            const InstrumentAccuracy& accuracy) {
    if (sum.charge_Ah == 0) return sum.samplingEnergy_Wh;
    const double meanVoltage_V = std::abs(sum.energy_Wh / sum.charge_Ah);
    const double fromCharge = chargeUncertainty_Ah(recording, sum, accuracy) * meanVoltage_V;
    const double offset_V = accuracy.voltageOffsetSteps * recording.voltageQuality().resolution;
    const double fromVoltage = quadrature({rectangle(accuracy.voltageGain * sum.energy_Wh),
                                           rectangle(offset_V) * std::abs(sum.charge_Ah)});
    return quadrature({fromCharge, fromVoltage});
}

std::vector<double> cumulativeCharge_Ah(const Recording& recording) {
    const auto i = recording.current_A();
    return running(recording, [i](std::size_t k) { return 0.5 * (i[k] + i[k - 1]); });
}

std::vector<double> movedCharge_Ah(const Recording& recording) {
    const auto i = recording.current_A();
    return running(recording, [i](std::size_t k) { return std::abs(0.5 * (i[k] + i[k - 1])); });
}

std::vector<double> cumulativeEnergy_Wh(const Recording& recording) {
    const auto i = recording.current_A();
    const auto v = recording.voltage_V();
    return running(recording,
                   [i, v](std::size_t k) { return 0.5 * (i[k] * v[k] + i[k - 1] * v[k - 1]); });
}

}  // namespace nk
