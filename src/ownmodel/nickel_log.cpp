#include "nickel_log.h"

#include <algorithm>
#include <cmath>

#include "analysis/finish/nickel.h"
#include "recording/integral.h"

namespace nk {

namespace {

// Usual figures, as shares of the rating (common practice, no source): what goes in beyond what is
// stored up to a fast charge's peak, how it falls with the current, and the charge that lies
// between the peak and 5 mV a cell under it.
constexpr double kExtra = 0.08, kExtraSigma = 0.04;
constexpr double kSlope = 0, kSlopeSigma = 0.03;
constexpr double kFall = 0.02, kFallSigma = 0.7;
/// How well two charges of one battery agree.
constexpr double kScatter = 0.01;

std::vector<NickelCharge> chargesOf(const ModelLog& log, const Battery& battery) {
    const InstrumentAccuracy accuracy;
    const AnalysisInput in{*log.recording, *log.steps, battery, accuracy};
    return nickelCharges(in);
}

std::size_t rowAt(const Recording& r, double t_s) {
    const auto t = r.time_s();
    const auto at = std::ranges::lower_bound(t, t_s);
    return std::min<std::size_t>(static_cast<std::size_t>(at - t.begin()), r.size() - 1);
}

/// Charge of the discharge next to a sample, before or behind it, that went to the floor; NaN where
/// there is none.
double floorCharge(const Steps& steps, std::size_t from, bool behind) {
    double out = kNaN;
    for (const Step& s : steps.list) {
        if (!s.isDischarge() || s.endedBy != EndedBy::VoltageFloor) continue;
        if (behind ? s.first >= from : s.last <= from) {
            out = std::abs(s.sum.charge_Ah);
            if (behind) break;
        }
    }
    return out;
}

/// A charge without a peak that a long discharge follows: taken as full.
bool takenAsFull(const ModelLog& given, const NickelCharge& c, double rated) {
    const double after = floorCharge(*given.steps, c.last, true);
    return after > 0.5 * rated && c.charge_Ah > 0.5 * after;
}

/// E at ln(I / amps) with its standard uncertainty, Ah.
struct Seen {
    double way, extra_Ah, sigma_Ah;
};

void solve(NickelCharging& law, const std::vector<Seen>& seen, double rated) {
    double aa = 1 / std::pow(kExtraSigma * rated, 2);
    double ab = 0;
    double bb = 1 / std::pow(kSlopeSigma * rated, 2);
    double ya = kExtra * rated * aa;
    double yb = kSlope * rated * bb;
    for (const Seen& s : seen) {
        const double w = 1 / (s.sigma_Ah * s.sigma_Ah);
        aa += w, ab += w * s.way, bb += w * s.way * s.way;
        ya += w * s.extra_Ah, yb += w * s.extra_Ah * s.way;
    }
    const double det = aa * bb - ab * ab;
    law.extra_Ah = std::max(0.01 * rated, (bb * ya - ab * yb) / det);
    law.slope_Ah = (aa * yb - ab * ya) / det;
    law.extraSigma_Ah = std::hypot(std::sqrt(bb / det), kScatter * rated);
    law.slopeSigma_Ah = std::sqrt(aa / det);
    law.seen = static_cast<int>(seen.size());
}

}  // namespace

NickelCharging learnNickelCharging(const std::vector<ModelLog>& logs, const Battery& battery,
                                   double rated) {
    NickelCharging law;
    struct One {
        double amps, extra_Ah, sigma_Ah;
    };
    std::vector<One> found;
    double fall = std::log(kFall * rated) / (kFallSigma * kFallSigma);
    double fallWeight = 1 / (kFallSigma * kFallSigma);
    double sum = 0;
    double count = 0;
    for (const ModelLog& log : logs) {
        const Recording& r = *log.recording;
        const auto moved = cumulativeCharge_Ah(r);
        double atPeakEnd = kNaN;
        for (const NickelCharge& c : chargesOf(log, battery)) {
            if (!c.peaked) continue;
            const std::size_t peak = rowAt(r, c.peak_s);
            const double put = moved[peak] - moved[c.first];
            const double hours = (r.time_s()[peak] - r.time_s()[c.first]) / 3600;
            if (!(put > 0.1 * rated) || !(hours > 0)) continue;
            const double amps = put / hours;
            sum += std::log(amps), count += 1;
            const double since = atPeakEnd - moved[c.first];
            const double before = floorCharge(*log.steps, c.first, false);
            const double after = floorCharge(*log.steps, c.last, true);
            if (since > 0.2 * rated)
                found.push_back({amps, put - since, std::hypot(0.01 * put, kScatter * rated)});
            else if (!std::isfinite(atPeakEnd) && std::isfinite(before) && std::isfinite(after))
                found.push_back({amps, put - after, 0.03 * rated});
            atPeakEnd = moved[c.last];
            if (c.drop_V > 0.002 && c.dropUncertainty_V < 0.5 * c.drop_V && c.afterPeak_Ah > 0) {
                fall += std::log(c.afterPeak_Ah * std::sqrt(0.005 / c.drop_V)) / (0.4 * 0.4);
                fallWeight += 1 / (0.4 * 0.4);
            }
        }
    }
    law.amps = count > 0 ? std::exp(sum / count) : 0.5 * rated;
    std::vector<Seen> seen;
    for (const One& o : found)
        seen.push_back({std::log(o.amps / law.amps), o.extra_Ah, o.sigma_Ah});
    solve(law, seen, rated);
    law.fall_Ah = std::exp(fall / fallWeight);
    law.fallShare = std::max(0.25, std::sqrt(1 / fallWeight));
    return law;
}

void countNickelCharges(const ModelLog& given, const Battery& battery, const NickelCharging& law,
                        ThinnedLog& log,
                        std::vector<std::pair<std::size_t, std::size_t>>& unfitted) {
    const Recording& r = *given.recording;
    const std::vector<double> all = log.moved_Ah;
    std::vector<double>& counted = log.moved_Ah;
    log.before_Ah.assign(r.size(), kNaN);
    // What is moved outside of charges is counted as it is: `shift` is what was not stored so far.
    double shift = 0;
    std::size_t next = 0;
    const auto until = [&](std::size_t row) {
        for (; next < row; ++next) counted[next] = all[next] - shift;
    };
    for (const NickelCharge& c : chargesOf(given, battery)) {
        if (c.first < next || c.last <= c.first) continue;
        until(c.first);
        const double at = all[c.first] - shift;
        const double hours = (r.time_s()[c.last] - r.time_s()[c.first]) / 3600;
        const double amps = (all[c.last] - all[c.first]) / std::max(hours, 1e-6);
        const double extra = law.extraAt(amps);
        const bool known = std::isfinite(log.start_Ah);
        const double missing = known ? log.start_Ah - at : kNaN;
        std::size_t peak = c.last;
        double first = 0;
        double share = 1;
        if (c.peaked) {
            peak = rowAt(r, c.peak_s);
            first = all[peak] - all[c.first];
            // Full at the peak: what is known to be missing went in, no more and no less.
            const double told = NickelCharging::missing_Ah(first, extra);
            if (known && told > 0) share = std::clamp(missing / told, 0.5, 2.0);
        } else if (known) {
            first = NickelCharging::before_Ah(std::max(0.0, missing), extra);
        }
        if (!c.peaked && !known) {
            // From an unknown level to an unknown one: what was before it is another count.
            until(c.last + 1);
            unfitted.emplace_back(0, c.last);
            if (takenAsFull(given, c, battery.rated_Ah)) {
                log.start_Ah = counted[c.last];
                log.assumedFull = true;
            }
            continue;
        }
        const double missed = NickelCharging::missing_Ah(first, extra);
        for (std::size_t k = c.first; k <= c.last; ++k) {
            const double before = k <= peak ? first - (all[k] - all[c.first]) : 0;
            log.before_Ah[k] = std::max(0.0, before);
            counted[k] = at + share * (missed - NickelCharging::missing_Ah(before, extra));
        }
        if (c.peaked && !known) log.start_Ah = counted[peak];
        if (peak < c.last) unfitted.emplace_back(peak, c.last);
        shift = all[c.last] - counted[c.last];
        next = c.last + 1;
    }
    until(r.size());
}

}  // namespace nk
