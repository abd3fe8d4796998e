#include "habits_of.h"

#include <gsl/gsl_cdf.h>
#include <gsl/gsl_fit.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"
#include "steps/ended_by.h"

namespace nk {

namespace {

/// The level at the first row, where a full charge in the log or a rested start tells it.
double startLevel(const OpenedRecording& opened, double rated_Ah) {
    const auto& steps = opened.analysis.steps.list;
    if (!(rated_Ah > 0) || steps.empty()) return kNaN;
    double moved = 0;
    for (const Step& s : steps) {
        moved += s.sum.charge_Ah;
        const bool full =
            s.isCharge() && (s.endedBy == EndedBy::Taper || s.endedBy == EndedBy::NegativeDeltaV ||
                             s.endedBy == EndedBy::ZeroDeltaV);
        if (full) return std::clamp(1 - moved / rated_Ah, 0.0, 1.0);
    }
    if (steps.front().kind == StepKind::Rest) {
        const auto range =
            restedCharge(opened.analysis.battery,
                         steps.front().startVoltage_V / opened.analysis.battery.cells(), 0.005);
        if (range && range->high - range->low < 0.3) return 0.5 * (range->low + range->high);
    }
    return kNaN;
}

}  // namespace

std::optional<SlopeChange> slopeChange(const FadeSeries& series, double at) {
    const auto n = static_cast<Eigen::Index>(series.at.size());
    const auto before = std::ranges::count_if(series.at, [&](double x) { return x < at; });
    if (before < 4 || n - before < 4) return std::nullopt;
    Eigen::MatrixXd x(n, 3);
    Eigen::VectorXd y(n);
    for (Eigen::Index k = 0; k < n; ++k) {
        const double u = series.at[static_cast<std::size_t>(k)];
        x.row(k) << 1, u, std::max(0.0, u - at);
        y[k] = series.value[static_cast<std::size_t>(k)];
    }
    const Eigen::MatrixXd inverse = (x.transpose() * x).inverse();
    const Eigen::VectorXd beta = inverse * x.transpose() * y;
    if (!beta.allFinite()) return std::nullopt;
    const double freedom = static_cast<double>(n) - 3;
    const double s2 = (y - x * beta).squaredNorm() / freedom;
    SlopeChange out;
    out.at = at;
    out.before = -beta[1] / beta[0];
    out.after = -(beta[1] + beta[2]) / beta[0];
    const double t = std::abs(beta[2]) / std::sqrt(std::max(s2 * inverse(2, 2), 1e-300));
    out.probability = 2 * gsl_cdf_tdist_Q(t, freedom);
    return out;
}

std::optional<CellDrift> cellDrift(const std::vector<double>& day,
                                   const std::vector<double>& lost_Ah, double rated_Ah) {
    const std::size_t n = day.size();
    if (n < 4 || !(rated_Ah > 0)) return std::nullopt;
    const auto [first, last] = std::ranges::minmax(day);
    if (last - first < 30) return std::nullopt;
    double slope = kNaN;
    double level = kNaN;
    double v00 = 0;
    double v01 = 0;
    double v11 = 0;
    double squares = 0;
    gsl_fit_linear(day.data(), 1, lost_Ah.data(), 1, n, &level, &slope, &v00, &v01, &v11, &squares);
    constexpr double kMonth = 365.25 / 12;
    const double half = gsl_cdf_tdist_Pinv(0.975, static_cast<double>(n) - 2) * std::sqrt(v11);
    const double unit = kMonth / rated_Ah;
    return CellDrift{slope * unit, (slope - half) * unit, (slope + half) * unit,
                     static_cast<int>(n)};
}

Expected<BatteryHabits> habitsOf(BenchBook& book, std::int64_t batteryId, std::stop_token stop,
                                 const std::function<void(double)>& progress,
                                 FadeQuestion question) {
    BatteryHabits out;
    const auto history = batteryHistory(book, batteryId);
    if (!history) return tl::unexpected<Error>(history.error());
    out.battery = history->battery;
    const Chemistry* chemistry = out.battery.battery.chemistryData();
    if (chemistry == nullptr) {
        out.whyNoFade = phrase("The battery's chemistry is not on its card.");
        return out;
    }
    auto list = book.recordings();
    if (!list) return tl::unexpected<Error>(list.error());
    // A log of which nobody knows the day is no day of its use.
    std::erase_if(
        *list, [&](const RecordingEntry& e) { return e.batteryId != batteryId || !e.dayKnown(); });
    std::ranges::sort(*list, {}, &RecordingEntry::at_s);
    const auto makings = allMakings(book, *list);
    if (!makings) return tl::unexpected<Error>(makings.error());
    HabitRecorder recorder(*chemistry,
                           std::isfinite(chemistry->set_V) ? chemistry->set_V - 0.1 : 1.45);
    double done = 0;
    for (std::size_t k = 0; k < list->size(); ++k) {
        const RecordingEntry& entry = (*list)[k];
        if (stop.stop_requested()) return fail(ErrorKind::Cancelled, phrase("Stopped as asked."));
        const auto opened = openRecording(book, entry, (*makings)[k]);
        if (!opened) {
            out.leftOut.push_back(opened.error().text());
            continue;
        }
        const Recording& r = *opened->recording;
        RecordedUse use;
        use.time_s = r.time_s();
        use.voltage_V = r.voltage_V();
        use.current_A = r.current_A();
        use.temperature_C = r.temperature_C();
        use.begins_s = entry.at_s();
        use.cells = opened->analysis.battery.cells();
        use.rated_Ah = out.battery.battery.rated_Ah;
        use.startSoc = startLevel(*opened, use.rated_Ah);
        recorder.add(use);
        if (progress) progress(++done / static_cast<double>(list->size()));
    }
    out.record = recorder.done();

    std::vector<double> day;
    std::vector<double> imbalance_Ah;
    for (const HistoryPoint& p : history->points)
        if (p.reading.name == "imbalance_loss" && std::isfinite(p.at_s) &&
            std::isfinite(p.reading.value)) {
            day.push_back(p.at_s / 86400);
            imbalance_Ah.push_back(p.reading.value);
        }
    out.drift = cellDrift(day, imbalance_Ah, out.battery.battery.rated_Ah);

    auto cycles = cyclesOf(*history, question.of);
    if (!cycles) {
        out.whyNoFade = cycles.error().what;
        return out;
    }
    question.rated_Ah = out.battery.battery.rated_Ah;
    // Where most days are in no log, full cycles say little: time is what is known.
    const auto& days = cycles->day;
    const double span = days.size() > 1 ? days.back() - days.front() : 0;
    out.mostlyUnknown = out.record.unknownDays > 0.5 * span && span > 30;
    if (out.mostlyUnknown) question.against = FadeAxis::Days;
    auto fade = fadeOf(std::move(*cycles), question);
    if (!fade) {
        out.whyNoFade = fade.error().what;
        return out;
    }
    if (const auto standing = standingOf(book, *history)) quoteStanding(*fade, *standing);
    // Between the first and the last comparable capacity: what the laws say of a week like the
    // recorded ones, beside what was lost.
    const double years = span / 365.25;
    const FadeBand last = fade->result.model.at(fade->result.model.last);
    const double lost = 1 - last.middle / fade->result.initial;
    if (years > 0.1 && lost > 0.02 && question.of == FadeOf::Capacity && !chemistry->nickel() &&
        !out.mostlyUnknown) {
        Habit recorded;
        double depth = 0;
        double count = 0;
        for (const CountedCycle& c : out.record.swings) {
            depth += c.count * c.range * c.range;
            count += c.count * c.range;
        }
        recorded.depth = count > 0 ? std::clamp(depth / count, 0.05, 1.0) : 0.8;
        const double efc = fade->table.cycle.back() - fade->table.cycle.front();
        recorded.usesPerWeek = std::min(140.0, efc / recorded.depth / (years * 365.25 / 7));
        double warm = 0;
        double hours = 0;
        for (std::size_t k = 0; k < out.record.warmth_h.size(); ++k) {
            warm += out.record.warmth_h[k] * (-7.5 + 5 * static_cast<double>(k));
            hours += out.record.warmth_h[k];
        }
        if (hours > 0) recorded.parked_C = recorded.use_C = recorded.charging_C = warm / hours;
        const auto load = loadOf(recorded, *chemistry);
        if (load)
            for (const School school : schoolsFor(*chemistry)) {
                const SchoolLaw law(school, recorded, *load, *chemistry);
                OwnAgainstLaw a;
                a.school = school;
                a.own = lost;
                a.law = law.loss(years);
                a.years = years;
                if (std::isfinite(a.law) && a.law > 0) out.laws.push_back(a);
            }
    }
    // A change half-way: where the two slopes bend best, whichever way.
    const FadeSeries& s = fade->used.series;
    for (std::size_t k = 4; k + 4 <= s.at.size(); ++k) {
        const auto change = slopeChange(s, s.at[k]);
        if (change && (!out.change || change->probability < out.change->probability))
            out.change = change;
    }
    // The place was searched for: as many tries count against it (Bonferroni).
    if (out.change) {
        const double tries = std::max(1.0, static_cast<double>(s.at.size()) - 7);
        out.change->probability = std::min(1.0, out.change->probability * tries);
        if (out.change->probability > 0.05) out.change.reset();
    }
    out.fade = std::move(*fade);
    return out;
}

}  // namespace nk
