#include "meter_check.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "quantity/format.h"
#include "quantity/uncertainty.h"

namespace nk {

namespace {

struct Point {
    double difference_V = 0;  ///< log minus meter
    double current_A = 0;
    double sigma_V = 0;  ///< of this comparison alone: rounding and noise
    double meter_V = 0;
    bool atLogger = false;
};

Expected<Point> compare(const Recording& r, const MeterReading& m) {
    const auto t = r.time_s();
    if (r.empty() || m.time_s < t.front() - 1e-9 || m.time_s > t.back() + 1e-9)
        return fail(ErrorKind::InvalidArgument, phrase("This moment is not in the recording."),
                    phrase("meter reading"), phrase("a moment between its first and last row."));
    const std::size_t middle = r.nearest(m.time_s);
    std::size_t first = middle;
    std::size_t last = middle;
    while (first > 0 && (m.time_s - t[first - 1] <= 5 || last - first < 2)) --first;
    while (last + 1 < r.size() && (t[last + 1] - m.time_s <= 5 || last - first < 2)) ++last;
    Point p;
    const double n = static_cast<double>(last - first + 1);
    double low = 1e300;
    double high = -1e300;
    for (std::size_t k = first; k <= last; ++k) {
        p.difference_V += r.voltage_V()[k] / n;
        p.current_A += r.current_A()[k] / n;
        low = std::min(low, r.current_A()[k]);
        high = std::max(high, r.current_A()[k]);
    }
    if (high - low > std::max(0.1 * std::abs(p.current_A), 8 * r.currentQuality().sigma()))
        return fail(
            ErrorKind::InvalidArgument,
            phrase("The current changes within five seconds of this moment, so the two readings "
                   "may not belong together."),
            phrase("meter reading"), phrase("a moment with a steady current."));
    const double log_V = p.difference_V;
    if (!(m.meter_V > 0) || std::abs(m.meter_V - log_V) > 0.25 * log_V) {
        std::string hint = phrase("a reading near the log's ") + shortValue(log_V, "V") + ".";
        if (std::abs(m.meter_V / 1000 - log_V) < 0.25 * log_V)
            hint += phrase(" Is this one in mV?");
        else if (m.meter_V > 0 && m.meter_V < 0.6 * log_V)
            hint += phrase(" Is this one of a single cell?");
        return fail(
            ErrorKind::InvalidArgument,
            phrase("{} cannot be the same battery at this moment.", shortValue(m.meter_V, "V")),
            phrase("meter reading"), hint);
    }
    p.difference_V -= m.meter_V;
    p.atLogger = m.place == MeterReading::Place::Logger;
    p.meter_V = m.meter_V;
    p.sigma_V = std::hypot(quantisation(m.resolution_V), r.voltageQuality().ofMean(n));
    return p;
}

std::string millivolts(double volts) {
    return phrase("{}{:.1f} mV", volts < 0 ? "−" : "+", std::abs(1e3 * volts));
}

}  // namespace

Expected<MeterVerdict> checkMeter(const Recording& recording,
                                  const std::vector<MeterReading>& readings) {
    if (readings.empty())
        return fail(ErrorKind::InvalidArgument, phrase("There is no meter reading."),
                    phrase("meter check"), phrase("at least one voltage with its moment."));
    // difference = d + R·I + g·V: the logger's offset d, the lead R (only for readings at the
    // terminals), and the gain g by which the two instruments differ. The gain is one and the same
    // in all readings: known beforehand to ± the meter's figure, it cancels in what changes.
    Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
    Eigen::Vector3d right = Eigen::Vector3d::Zero();
    double flow = 0;
    double quiet = 1e300;
    double gain = 1e-6;
    bool anyAtLogger = false;
    for (const MeterReading& m : readings) {
        const auto p = compare(recording, m);
        if (!p) return tl::unexpected<Error>(p.error());
        const double x = p->atLogger ? 0 : p->current_A;
        const Eigen::Vector3d row(1, x, p->meter_V);
        normal += row * row.transpose() / (p->sigma_V * p->sigma_V);
        right += row * p->difference_V / (p->sigma_V * p->sigma_V);
        flow = std::max(flow, std::abs(x));
        quiet = std::min(quiet, std::abs(x));
        gain = std::max(gain, rectangle(m.gain));
        anyAtLogger |= p->atLogger;
    }
    normal(2, 2) += 1 / (gain * gain);
    // Unknowns that are left out are held at zero.
    const auto solved = [&](bool withOffset, bool withLead) {
        Eigen::Matrix3d n = normal;
        if (!withOffset) n(0, 0) += 1e18;
        if (!withLead) n(1, 1) += 1e18;
        const Eigen::Matrix3d inverse = n.inverse();
        return std::pair<Eigen::Vector3d, Eigen::Matrix3d>(inverse * right, inverse);
    };
    MeterVerdict out;
    const double noCurrent = std::max(
        0.02, 5 * recording.currentQuality().sigma());  // the lead shows nothing under this
    const bool leadSeen = flow > noCurrent;
    const bool both = leadSeen && quiet < 0.5 * flow && readings.size() > 1;
    const auto offset = [&](double value, double sigma) {
        Correction c;
        c.kind = Correction::Kind::VoltageOffset;
        c.value = -value;
        c.uncertainty = sigma;
        c.name = phrase("logger's voltage offset by a meter");
        const bool matters = std::abs(value) > 2 * sigma;
        out.words.push_back(
            phrase("The log reads {} against the meter (± {:.1f} mV){}.", millivolts(value),
                   2e3 * sigma, matters ? "" : phrase(": that is within what both are known to")));
        if (matters) out.proposals.push_back(c);
    };
    const auto lead = [&](double value, double sigma, bool alone) {
        Correction c;
        c.kind = Correction::Kind::LeadResistance;
        c.value = value;
        c.uncertainty = sigma;
        c.name = phrase("lead resistance by a meter");
        if (value > 2 * sigma) {
            out.words.push_back(phrase(
                "Between the logger and the battery's terminals lie {:.1f} ± {:.1f} mΩ of lead and "
                "contact: the display shows more than the battery has while charging, and less "
                "under load.",
                1e3 * value, 2e3 * sigma));
            if (alone)
                out.words.push_back(phrase(
                    "Taken from one reading, with the logger's own offset as zero. A second one at "
                    "rest tells the two apart."));
            out.proposals.push_back(c);
        } else if (value < -2 * sigma) {
            out.words.push_back(phrase(
                "The difference has the wrong sign for a lead: check which reading belongs to "
                "which moment, and take one at rest."));
        } else {
            out.words.push_back(
                phrase("No lead resistance is seen (under {:.1f} mΩ).", 2e3 * sigma));
        }
    };
    const auto [x, covariance] =
        solved(both || !leadSeen || anyAtLogger, both || (leadSeen && !anyAtLogger));
    if (both) {
        offset(x(0), std::sqrt(covariance(0, 0)));
        lead(x(1), std::sqrt(covariance(1, 1)), false);
    } else if (leadSeen && !anyAtLogger) {
        lead(x(1), std::sqrt(covariance(1, 1)), true);
    } else {
        offset(x(0), std::sqrt(covariance(0, 0)));
    }
    return out;
}

}  // namespace nk
