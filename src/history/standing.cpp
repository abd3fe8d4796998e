#include "standing.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>

#include "quantity/format.h"
#include "quantity/number.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr double kDay_s = 86400;

void later(double& into, double at_s) {
    if (std::isfinite(at_s) && !(into >= at_s)) into = at_s;
}

/// Rate and warmth at which a capacity tells of the battery and not of the conditions. The rate is
/// that of the label, so that what was found does not decide what is found.
bool fairConditions(const Battery& battery, const ReadingConditions& c) {
    const double rate = battery.rated_Ah > 0 && std::isfinite(c.mean_A)
                            ? std::abs(c.mean_A) / battery.rated_Ah
                            : c.cRate;
    const bool slow = std::isnan(rate) || rate <= 1.1;
    const bool warm = std::isnan(c.temperature_C) || (c.temperature_C > 12 && c.temperature_C < 45);
    return slow && warm;
}

/// What of one discharge its log tells beside its charge.
struct Told {
    const HistoryPoint* capacity = nullptr;
    double mean_V = kNaN, resistance_ohm = kNaN;
    double more_Ah = 0;  ///< left under its end
    bool whole = true;
    double length_s() const { return capacity->reading.to_s - capacity->reading.from_s; }
};

std::vector<Told> discharges(const BatteryHistory& h) {
    std::map<std::pair<std::int64_t, int>, bool> whole;
    std::map<std::pair<std::int64_t, int>, double> volts;
    std::map<std::int64_t, double> ohms;
    for (const HistoryPoint& p : h.points) {
        const std::pair place{p.reading.recordingId, p.reading.step};
        if (p.reading.name == "health_capacity") whole[place] = true;
        if (p.reading.name == "mean_voltage") volts[place] = p.reading.value;
        if (p.reading.name == "resistance_10s" || p.reading.name == "resistance_30s")
            ohms.try_emplace(p.reading.recordingId, p.reading.value);
    }
    const Chemistry* chemistry = h.battery.battery.chemistryData();
    std::vector<Told> out;
    for (const HistoryPoint& p : h.points) {
        const std::pair place{p.reading.recordingId, p.reading.step};
        if (p.reading.name != "delivered_capacity" || p.byHand() || !p.dayKnown()) continue;
        Told t;
        t.capacity = &p;
        const ReadingConditions& c = p.reading.conditions;
        if (!whole.contains(place)) {
            // It stopped above the usual floor. To the battery's own common floor it may be whole;
            // else what was left is known as far as its last slope tells: it only grows steeper.
            constexpr double kLeftWhole = 0.15, kLeftMost = 0.25;
            if (chemistry == nullptr || !c.beganFull.value_or(false)) continue;
            t.more_Ah = (c.floor_V_per_cell - chemistry->dischargeFloor_V) / c.endSlope_V_Ah *
                        (1 + 2 * c.endSlopeShare);
            if (!(t.more_Ah >= 0 && t.more_Ah <= kLeftMost * p.reading.value)) continue;
            t.whole = std::isfinite(p.carried_Ah) && t.more_Ah <= kLeftWhole * p.reading.value;
        }
        if (const auto v = volts.find(place); v != volts.end()) t.mean_V = v->second;
        if (const auto r = ohms.find(p.reading.recordingId); r != ohms.end())
            t.resistance_ohm = r->second;
        out.push_back(t);
    }
    return out;
}

/// Whether the log after another contradicts it as only a load beside it explains: little charge,
/// yet as long and down to the same end; or a resistance that a night does not make.
std::optional<UnseenLoad> unseenBeside(const Battery& battery, const Told& before,
                                       const Told& now) {
    constexpr double kFarLess = 0.6, kFarMore = 3, kAlike = 0.35, kSameEnd_V = 0.1;
    constexpr double kSoon_s = 60 * kDay_s;
    const StoredReading& a = before.capacity->reading;
    const StoredReading& b = now.capacity->reading;
    if (!(b.value < kFarLess * a.value) || now.capacity->at_s - before.capacity->at_s > kSoon_s)
        return std::nullopt;
    const double end = b.conditions.floor_V_per_cell;
    const bool sameEnd = std::abs(end - a.conditions.floor_V_per_cell) < kSameEnd_V;
    // As the current that was logged would have it, it would have lasted much longer than it did.
    const double amps = std::abs(b.conditions.mean_A);
    const double expected_s = amps > 0 ? a.value / amps * 3600 : kNaN;
    const bool tooShort = now.length_s() < kFarLess * expected_s;
    const bool alike = std::abs(now.length_s() / before.length_s() - 1) < kAlike;
    const bool ohms = now.resistance_ohm > kFarMore * before.resistance_ohm;
    if (!sameEnd || !(ohms || alike) || !tooShort) return std::nullopt;
    UnseenLoad out;
    out.recording = b.recordingId;
    out.step = b.step;
    out.seen_Ah = b.value;
    out.before_Ah = a.value;
    out.missing_Ah = a.value - b.value;
    const double hours = now.length_s() / 3600;
    out.from_s = b.from_s, out.to_s = b.to_s;
    const double mean_A = out.missing_Ah / hours;
    if (std::isfinite(now.mean_V) && mean_A > 0) {
        out.ohm = now.mean_V / mean_A;
        out.low_A = end * battery.cells() / out.ohm;
        out.high_A = 2 * mean_A - out.low_A;
    } else {
        out.low_A = out.high_A = mean_A;
    }
    out.because = phrase(
        "It counted {} where the test before it gave {}, {}: another load of about "
        "{} may have run beside it that the log did not see.",
        shortValue(b.value, "Ah"), shortValue(a.value, "Ah"),
        ohms ? phrase("with {} of resistance after {}", shortValue(now.resistance_ohm, "ohm"),
                      shortValue(before.resistance_ohm, "ohm"))
             : phrase("in about the same time and down to the same voltage"),
        shortValue(mean_A, "A"));
    return out;
}

struct Tests {
    std::vector<WholeTest> list;
    std::optional<UnseenLoad> unseen;  ///< of the newest that is doubtful
};

Tests testsOf(const BatteryHistory& h, bool fair, double until_s) {
    Tests out;
    const Told* last = nullptr;
    const auto all = discharges(h);
    const bool anyWhole = std::ranges::any_of(all, [&](const Told& t) {
        return t.whole && t.capacity->at_s <= until_s &&
               (!fair || fairConditions(h.battery.battery, t.capacity->reading.conditions));
    });
    for (const Told& t : all) {
        if (t.capacity->at_s > until_s || (anyWhole && !t.whole)) continue;
        if (last != nullptr)
            if (auto unseen = unseenBeside(h.battery.battery, *last, t)) {
                out.unseen = std::move(unseen);
                continue;
            }
        last = &t;
        if (fair && !fairConditions(h.battery.battery, t.capacity->reading.conditions)) continue;
        out.list.push_back({t.capacity->at_s, t.capacity->efc, t.capacity->atFloor(),
                            t.capacity->atFloorUncertainty(), t.more_Ah,
                            t.capacity->reading.recordingId, t.capacity});
    }
    return out;
}

bool looksCarried(const HistoryPoint& p) {
    constexpr double kNothing = 0.002;
    return std::isfinite(p.carried_Ah) &&
           std::abs(p.carried_Ah) >
               std::max(kNothing * p.reading.value, 2 * p.carriedUncertainty_Ah);
}

void capacityOf(const BatteryHistory& h, const std::vector<WholeTest>& tests, Standing& out) {
    if (tests.empty()) return;
    const WholeTest& newest = tests.back();
    std::vector<double> days;
    std::vector<double> values;
    std::vector<double> unsure;
    for (const WholeTest& t : tests) {
        if (t.point->comparable.empty() || t.point->comparable != newest.point->comparable)
            continue;
        days.push_back(t.at_s / kDay_s);
        values.push_back(t.value_Ah);
        unsure.push_back(t.uncertainty_Ah);
    }
    StandingFigure f;
    f.unit = "Ah";
    f.at_s = newest.at_s;
    f.conditions = newest.point->reading.conditions;
    f.recording = newest.recording;
    f.carried = looksCarried(*newest.point);
    f.more_Ah = newest.more_Ah;
    f.floor_V_per_cell = std::isfinite(newest.point->carried_Ah) ? h.floor_V_per_cell
                                                                 : f.conditions.floor_V_per_cell;
    double value = newest.value_Ah;
    double u = newest.uncertainty_Ah;
    const double rated = h.battery.battery.rated_Ah;
    if (days.size() >= 3) {
        const LocalLine line = localLine(days, values, unsure);
        if (std::isfinite(line.value)) {
            value = line.value;
            u = std::max(u, line.uncertainty);  // what the meter shares with all of them stays
            f.trend = true;
        }
        const double of = rated > 0 ? rated : values.front();
        constexpr double kYear_days = 365.25;
        if (std::isfinite(line.pace) && days.back() - days.front() > 30) {
            // Few points: a wider factor (Student's t).
            const double k = days.size() > 8 ? 2.1 : days.size() > 4 ? 2.8 : 4.5;
            const double lost = -100 * line.pace * kYear_days / of;
            const double half = 100 * k * line.paceUncertainty * kYear_days / of;
            out.fade = FadePace{lost, lost - half, lost + half};
        }
    }
    f.value = value;
    f.low = std::max(0.0, value - 2 * u);
    f.high = value + 2 * u;
    out.capacity = f;
}

void resistanceOf(const BatteryHistory& h, double until_s, std::int64_t without, Standing& out) {
    const HistoryPoint* best = nullptr;
    const auto rank = [](const HistoryPoint& p) {
        return p.reading.name == "resistance_10s" ? 3 : p.reading.quoted ? 2 : 1;
    };
    for (const HistoryPoint& p : h.points) {
        if (!p.reading.name.starts_with("resistance_") || !p.dayKnown() || p.at_s > until_s ||
            (without > 0 && p.reading.recordingId == without) || p.comparable.empty())
            continue;
        if (best == nullptr || std::floor(p.at_s / kDay_s) > std::floor(best->at_s / kDay_s) ||
            (std::floor(p.at_s / kDay_s) == std::floor(best->at_s / kDay_s) &&
             rank(p) >= rank(*best)))
            best = &p;
    }
    if (best == nullptr) return;
    StandingFigure f;
    f.value = best->reading.value;
    f.low = best->reading.low;
    f.high = best->reading.high;
    f.unit = "ohm";
    f.at_s = best->at_s;
    f.conditions = best->reading.conditions;
    f.recording = best->reading.recordingId;
    f.school = best->reading.name;
    out.resistance = f;
}

/// Charges that came to their end, and those that held where the balancer works.
void chargesOf(const BatteryHistory& h, double until_s, Standing& out) {
    const Chemistry* c = h.battery.battery.chemistryData();
    if (c == nullptr) return;
    const double cells = h.battery.battery.cells();
    std::map<std::pair<std::int64_t, int>, const HistoryPoint*> taper;
    for (const HistoryPoint& p : h.points)
        if (p.reading.name == "taper_end_current")
            taper[{p.reading.recordingId, p.reading.step}] = &p;
    for (const HistoryPoint& p : h.points) {
        if (!p.dayKnown() || p.at_s > until_s) continue;
        if (c->nickel()) {
            if (p.reading.name == "peak_time") later(out.lastFull_s, p.at_s);
            continue;
        }
        if (p.reading.name != "cv_set_voltage") continue;
        const auto end = taper.find({p.reading.recordingId, p.reading.step});
        constexpr double kTapered_C = 0.11;
        const double of = out.reference_Ah();
        if (end == taper.end() || !(of > 0) || end->second->reading.value > kTapered_C * of)
            continue;
        // The displayed set voltage decides.
        constexpr double kDisplay_V = 0.005;
        const double held = p.reading.value / cells + kDisplay_V;
        if (held >= c->balancerFrom_V) later(out.lastBalancing_s, p.at_s);
        constexpr double kFull_V = 0.05;
        if (held >= c->set_V - kFull_V) later(out.lastFull_s, p.at_s);
    }
}

}  // namespace

LocalLine localLine(const std::vector<double>& days, const std::vector<double>& values,
                    const std::vector<double>& uncertainties) {
    LocalLine out;
    if (values.empty()) return out;
    out.value = values.back();
    out.uncertainty = uncertainties.back();
    constexpr std::size_t kMost = 60;
    const std::size_t skip = values.size() > kMost ? values.size() - kMost : 0;
    const auto n = static_cast<Eigen::Index>(values.size() - skip);
    if (n < 3 || !(days.back() > days[skip])) return out;
    const double span = days.back() - days[skip];
    Eigen::VectorXd t(n);
    Eigen::VectorXd y(n);
    Eigen::VectorXd u(n);
    double scale = 0;
    for (Eigen::Index k = 0; k < n; ++k) {
        const std::size_t at = skip + static_cast<std::size_t>(k);
        t[k] = (days[at] - days[skip]) / span;
        y[k] = values[at];
        scale = std::max(scale, std::abs(y[k]));
    }
    // A figure that claims to be exact is not.
    for (Eigen::Index k = 0; k < n; ++k)
        u[k] = std::max(uncertainties[skip + static_cast<std::size_t>(k)], 1e-4 * scale);
    Eigen::MatrixXd x(n, 2);
    x.col(0).setOnes();
    x.col(1) = t;
    double weights = 0;
    double value = 0;
    double pace = 0;
    std::vector<std::array<double, 5>> parts;
    // The walk over the whole span: from nothing to a tenth of the figure.
    constexpr double kWalks[] = {0, 1e-3, 2e-3, 4e-3, 8e-3, 0.016, 0.032, 0.064, 0.1};
    for (const double walk : kWalks) {
        const double q = walk * scale * walk * scale;
        Eigen::MatrixXd k(n, n);
        for (Eigen::Index i = 0; i < n; ++i)
            for (Eigen::Index j = 0; j < n; ++j)
                k(i, j) = q * std::min(t[i], t[j]) + (i == j ? u[i] * u[i] : 0);
        const Eigen::LLT<Eigen::MatrixXd> factor(k);
        if (factor.info() != Eigen::Success) continue;
        const Eigen::MatrixXd kx = factor.solve(x);
        const Eigen::Matrix2d normal = x.transpose() * kx;
        const Eigen::Matrix2d inverse = normal.inverse();
        const Eigen::Vector2d beta = inverse * (kx.transpose() * y);
        const Eigen::VectorXd left = y - x * beta;
        const Eigen::VectorXd solved = factor.solve(left);
        double logDet = 0;
        for (Eigen::Index i = 0; i < n; ++i) logDet += 2 * std::log(factor.matrixL()(i, i));
        const double likelihood =
            -0.5 * (logDet + std::log(normal.determinant()) + left.dot(solved));
        const Eigen::VectorXd with = q * t;  // of the last with each: its t is 1
        const Eigen::Vector2d rest = Eigen::Vector2d(1, 1) - x.transpose() * factor.solve(with);
        const double at = beta.sum() + with.dot(solved);
        const double variance = q - with.dot(factor.solve(with)) + rest.dot(inverse * rest);
        if (!std::isfinite(likelihood) || !std::isfinite(at)) continue;
        parts.push_back({likelihood, at, std::max(0.0, variance), beta[1] / span,
                         inverse(1, 1) / (span * span)});
    }
    if (parts.empty()) return out;
    double top = parts.front()[0];
    for (const auto& p : parts) top = std::max(top, p[0]);
    for (const auto& p : parts) {
        const double w = std::exp(p[0] - top);
        weights += w;
        value += w * p[1];
        pace += w * p[3];
    }
    value /= weights;
    pace /= weights;
    double variance = 0;
    double paceVariance = 0;
    for (const auto& p : parts) {
        const double w = std::exp(p[0] - top) / weights;
        variance += w * (p[2] + (p[1] - value) * (p[1] - value));
        paceVariance += w * (p[4] + (p[3] - pace) * (p[3] - pace));
    }
    out.value = value;
    out.uncertainty = std::sqrt(variance);
    out.pace = pace;
    out.paceUncertainty = std::sqrt(paceVariance);
    return out;
}

double countedCapacity_Ah(const BatteryHistory& history) {
    Standing out;
    capacityOf(history, testsOf(history, true, 1e18).list, out);
    // Where something was left under the end, it holds more than that.
    if (!out.capacity || out.capacity->more_Ah > 0 || !(out.capacity->value > 0)) return 0;
    return readNumber(fmt::format("{:.2g}", out.capacity->value)).value_or(0);
}

std::vector<WholeTest> wholeTests(const BatteryHistory& history, bool fair) {
    return testsOf(history, fair, 1e18).list;
}

Standing standingOf(const BatteryHistory& h, const std::vector<HazardOnFile>& hazards,
                    const BatteryLife& life, const std::vector<RecordingEntry>& recordings,
                    double at_s) {
    Standing out;
    out.battery = h.battery;
    out.life = life;
    out.floor_V_per_cell = h.floor_V_per_cell;
    out.daysUnknown = h.daysUnknown;
    const Tests tests = testsOf(h, true, at_s);
    out.unseen = tests.unseen;
    capacityOf(h, tests.list, out);
    resistanceOf(h, at_s, out.unseen ? out.unseen->recording : 0, out);
    for (const HazardOnFile& hazard : hazards) out.hazards.push_back(hazard);
    double first = kNaN;
    for (const RecordingEntry& r : recordings) {
        if (r.batteryId != h.battery.id || !r.dayKnown() || r.at_s() > at_s) continue;
        const double end = r.at_s() + r.duration_s;
        later(out.lastSeen_s, end);
        if (r.summary.moved_Ah > 0) later(out.lastUse_s, end);
        if (!(first <= r.at_s())) first = r.at_s();
    }
    for (const HistoryPoint& p : h.points)
        if (p.byHand() && p.dayKnown() && p.at_s <= at_s) later(out.lastSeen_s, p.at_s);
    for (const SelfDischarge& s : selfDischarge(h, recordings))
        if (std::isfinite(s.lowPercent) && s.to_s <= at_s) out.selfDischarge = s;
    for (const WholeTest& t : testsOf(h, false, at_s).list) later(out.lastTest_s, t.at_s);
    chargesOf(h, at_s, out);
    out.firstDay_s = std::isfinite(life.inUseSince_s)
                         ? (first <= life.inUseSince_s ? first : life.inUseSince_s)
                         : first;
    const double since = std::isfinite(life.inUseSince_s) ? life.inUseSince_s
                         : std::isfinite(life.bought_s)   ? life.bought_s
                         : std::isfinite(first)           ? first
                         : tests.list.empty()             ? kNaN
                                                          : tests.list.front().at_s;
    constexpr double kYear_s = 365.25 * kDay_s;
    out.claimTestable =
        life.boughtNew == 1 && !tests.list.empty() && tests.list.front().at_s - since <= kYear_s;
    return out;
}

Expected<Standing> standingOf(BenchBook& book, const BatteryHistory& history, double at_s) {
    const auto hazards = hazardsOf(book, history.battery.id);
    if (!hazards) return tl::unexpected<Error>(hazards.error());
    const auto lives = book.lives();
    if (!lives) return tl::unexpected<Error>(lives.error());
    const auto recordings = book.recordings();
    if (!recordings) return tl::unexpected<Error>(recordings.error());
    const auto life = lives->find(history.battery.id);
    return standingOf(history, *hazards, life != lives->end() ? life->second : BatteryLife(),
                      *recordings, at_s);
}

Expected<Standing> standingOf(BenchBook& book, std::int64_t batteryId, double at_s) {
    const auto history = batteryHistory(book, batteryId);
    if (!history) return tl::unexpected<Error>(history.error());
    return standingOf(book, *history, at_s);
}

}  // namespace nk
