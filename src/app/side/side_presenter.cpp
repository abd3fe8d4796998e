#include "app/side/side_presenter.h"

#include <fmt/format.h>

#include <QLocale>
#include <QObject>
#include <algorithm>
#include <cmath>
#include <set>

#include "quantity/format.h"
#include "report/export.h"
#include "report/words.h"

namespace nk {

namespace {

QString qs(const std::string& s) {
    return QString::fromStdString(s);
}

/// What tells the curves apart: the log of one battery, the battery where each stands once, else
/// both.
enum class Apart { Log, Battery, Both };
QString nameOf(const OpenedRecording& o, Apart apart) {
    const QString title = qs(o.entry.title);
    if (apart == Apart::Log || o.battery.name.empty()) return title;
    return apart == Apart::Battery ? qs(o.battery.name) : qs(o.battery.name) + " · " + title;
}

QString axisWords(OverlayAxis axis) {
    switch (axis) {
        case OverlayAxis::Time:
            return QObject::tr("Time, h");
        case OverlayAxis::Charge:
            return QObject::tr("Charge, Ah");
        case OverlayAxis::StateOfCharge:
            return QObject::tr("State of charge, %");
        case OverlayAxis::Knee:
            return QObject::tr("Time from the knee, h");
        case OverlayAxis::Peak:
            return QObject::tr("Time from the nickel peak, h");
    }
    return {};
}

/// Of a chosen step; of a whole log the slowest step that has a dQ/dV, else the first reason why
/// none has.
IncrementalCapacity slowest(const AnalysisInput& in, int chosen) {
    if (chosen >= 0) return incrementalCapacity(in, chosen);
    IncrementalCapacity out;
    out.why = QObject::tr("There is no step of an hour at constant current.").toStdString();
    for (const int step : incrementalSteps(in)) {
        IncrementalCapacity made = incrementalCapacity(in, step);
        if (made.why.empty()) return made;
        if (out.step < 0) out = std::move(made);
    }
    return out;
}

void addIncremental(const std::vector<OpenedPtr>& opened, const std::vector<int>& steps,
                    const SideChoice& choice, SideView& out) {
    std::vector<IncrementalCapacity> all;
    const bool inverse = choice.lane == SideLane::Differential;
    out.xLabel = inverse ? QObject::tr("Charge, Ah") : QObject::tr("Voltage, V");
    out.yLabel = inverse ? QObject::tr("dV/dQ, V/Ah") : QObject::tr("dQ/dV, Ah/V");
    for (std::size_t k = 0; k < opened.size(); ++k) {
        IncrementalCapacity c = slowest(opened[k]->input(), steps[k]);
        SideCurve& curve = out.curves[k];
        curve.why = qs(c.why);
        if (c.why.empty()) {
            curve.x = inverse ? c.charge_Ah : c.volts;
            curve.y = inverse ? c.dVdQ_V_Ah : c.smooth_Ah_V;
            if (!inverse) curve.peaks = c.peaks;
            out.width_V = std::isfinite(out.width_V) ? std::max(out.width_V, c.width_V) : c.width_V;
            out.bin_V = std::isfinite(out.bin_V) ? std::max(out.bin_V, c.bin_V) : c.bin_V;
        }
        all.push_back(std::move(c));
    }
    if (inverse || all.empty()) return;
    if (std::isfinite(out.width_V))
        out.sentences
            << QObject::tr(
                   "Bins of %1 and wider, smoothed over %2 (a parabola, Savitzky and Golay).")
                   .arg(qs(shortValue(out.bin_V, "V")), qs(shortValue(out.width_V, "V")));
    const int cells = static_cast<int>(opened.front()->analysis.battery.cells());
    int number = 0;
    for (const PeakTrack& track : followPeaks(all, cells)) {
        QStringList seen;
        const IncrementalPeak* first = nullptr;
        for (std::size_t k = 0; k < track.size(); ++k) {
            if (track[k] < 0) continue;
            const IncrementalPeak& p = all[k].peaks[static_cast<std::size_t>(track[k])];
            const QString area = qs(valueText(p.area_Ah, p.areaUncertainty, "Ah").joined());
            if (first == nullptr) {
                first = &p;
                seen << QObject::tr("%1 at %2, %3 high, %4 in it")
                            .arg(out.curves[k].name,
                                 qs(valueText(p.volts, p.voltsUncertainty, "V").joined()),
                                 qs(valueText(p.height_Ah_V, p.heightUncertainty, "Ah/V").joined()),
                                 area);
                continue;
            }
            // One meter's gain moves all peaks alike: against the first it cancels.
            const double shift = std::round(1e3 * (p.volts - first->volts)) + 0.0;
            const double u = 2e3 * std::hypot(p.voltsScatter, first->voltsScatter);
            seen << QObject::tr("%1 %2 ± %3 mV from there, %4")
                        .arg(out.curves[k].name,
                             QLocale().toString(shift, 'f', 0).replace('-', QChar(0x2212)),
                             QLocale().toString(u, 'f', 0), area);
        }
        if (++number > 6) break;
        out.sentences << QObject::tr("Peak %1. %2.").arg(number).arg(seen.join("; "));
    }
}

}  // namespace

SideView sideView(const std::vector<OpenedPtr>& opened, const SideChoice& choice) {
    SideView out;
    const bool oneBattery = std::ranges::all_of(opened, [&](const OpenedPtr& o) {
        return o->entry.batteryId == opened.front()->entry.batteryId;
    });
    std::set<std::string> names;
    for (const OpenedPtr& o : opened) names.insert(o->battery.name);
    const Apart apart = oneBattery                      ? Apart::Log
                        : names.size() == opened.size() ? Apart::Battery
                                                        : Apart::Both;
    const bool oneLog = std::ranges::all_of(
        opened, [&](const OpenedPtr& o) { return o->entry.id == opened.front()->entry.id; });
    std::vector<int> steps;
    for (std::size_t k = 0; k < opened.size(); ++k) {
        const OpenedPtr& o = opened[k];
        SideCurve c;
        c.item = k < choice.items.size() ? choice.items[k] : SideItem{o->entry.id};
        const Steps& all = o->analysis.steps;
        steps.push_back(c.item.whole() ? -1 : all.at(c.item.moment_s));
        c.name = nameOf(*o, apart);
        if (!c.item.whole() && steps.back() < 0) {
            c.why = QObject::tr("This step is no longer in the log.");
        } else if (steps.back() >= 0) {
            const Step& s = all.list[static_cast<std::size_t>(steps.back())];
            const QString name =
                QObject::tr("Step %1 · %2").arg(steps.back() + 1).arg(qs(kindWordsTiny(s)));
            c.name = oneLog ? name : c.name + " · " + name;
        }
        out.curves.push_back(std::move(c));
    }
    if (choice.lane == SideLane::Incremental || choice.lane == SideLane::Differential) {
        addIncremental(opened, steps, choice, out);
    } else {
        out.xLabel = axisWords(choice.axis);
        const bool warm = choice.lane == SideLane::Temperature;
        const bool fahrenheit = currentStyle().fahrenheit;
        out.yLabel = !warm        ? QObject::tr("Voltage, V")
                     : fahrenheit ? QObject::tr("Temperature, °F")
                                  : QObject::tr("Temperature, °C");
        // The more curves, the fewer points each: a picture has so many columns only.
        const std::size_t most =
            std::max<std::size_t>(2000, 200'000 / std::max<std::size_t>(1, opened.size()));
        const auto at = [&](std::size_t k) {
            const auto s = choice.shifts.find(out.curves[k].item);
            return s == choice.shifts.end() ? 0.0 : s->second;
        };
        std::vector<OverlayCurve> made;
        for (std::size_t k = 0; k < opened.size(); ++k) {
            made.push_back(overlayCurve(opened[k]->input(), steps[k], choice.axis,
                                        out.curves[k].name.toStdString(),
                                        std::min<std::size_t>(most, 20'000)));
            const double by = at(k);
            SideCurve& c = out.curves[k];
            if (c.why.isEmpty()) c.why = qs(made[k].why);
            if (!c.why.isEmpty()) continue;
            for (const double x : made[k].x) c.x.push_back(x + by);
            if (!warm) {
                c.y = made[k].volts;
            } else if (made[k].celsius.empty()) {
                c.x.clear();
                c.why = c.why.isEmpty() ? QObject::tr("No temperature was logged.") : c.why;
            } else {
                for (const double t : made[k].celsius)
                    c.y.push_back(fahrenheit ? t * 9 / 5 + 32 : t);
            }
        }
        if (!warm && opened.size() >= 2 && out.curves.front().why.isEmpty() &&
            out.curves.back().why.isEmpty()) {
            const bool one =
                opened.front()->entry.id == opened.back()->entry.id ||
                (opened.front()->entry.instrumentId > 0 &&
                 opened.front()->entry.instrumentId == opened.back()->entry.instrumentId);
            const std::size_t last = opened.size() - 1;
            out.difference = overlayDifference(made.front(), made.back(), one, at(last) - at(0));
            for (double& x : out.difference.x) x += at(0);
            out.differenceName =
                QObject::tr("%1 less %2").arg(out.curves.back().name, out.curves.front().name);
        }
    }
    if (opened.size() >= 2 && choice.lane != SideLane::Incremental &&
        choice.lane != SideLane::Differential)
        for (const std::string& words : whatDiffers(
                 opened.front()->input(), steps.front(), out.curves.front().name.toStdString(),
                 opened.back()->input(), steps.back(), out.curves.back().name.toStdString()))
            out.sentences << qs(words);
    for (const SideCurve& c : out.curves)
        if (!c.why.isEmpty()) out.sentences << QObject::tr("%1: %2").arg(c.name, c.why);
    return out;
}

QString stepTitle(const Steps& steps, int step) {
    const Step& s = steps.list[static_cast<std::size_t>(step)];
    QString out = QString("%1 · %2").arg(step + 1).arg(qs(kindWords(s)));
    if (s.isActive()) out += ", " + qs(shortValue(std::abs(s.sum.charge_Ah), "Ah"));
    return out;
}

std::string sideTable(const SideView& view) {
    std::string out = csvCell("curve") + "," + csvCell(view.xLabel.toStdString()) + "," +
                      csvCell(view.yLabel.toStdString()) + ",low,high\n";
    for (const SideCurve& c : view.curves)
        for (std::size_t k = 0; k < c.x.size(); ++k)
            out += fmt::format("{},{},{},,\n", csvCell(c.name.toStdString()), c.x[k], c.y[k]);
    const OverlayDifference& d = view.difference;
    for (std::size_t k = 0; k < d.x.size(); ++k)
        out += fmt::format("{},{},{},{},{}\n", csvCell(view.differenceName.toStdString()), d.x[k],
                           d.volts[k], d.low[k], d.high[k]);
    return out;
}

std::vector<std::int64_t> presetRecordings(SidePreset preset, const RecordingEntry& shown,
                                           const std::vector<RecordingEntry>& recordings,
                                           const std::vector<BatteryEntry>& batteries) {
    std::vector<const RecordingEntry*> own;
    for (const RecordingEntry& r : recordings)
        if (r.batteryId == shown.batteryId && std::isfinite(r.summary.health_percent))
            own.push_back(&r);
    std::ranges::stable_sort(own, {}, [](const RecordingEntry* r) { return r->at_s(); });
    switch (preset) {
        case SidePreset::BeforeAfter:
            if (own.size() < 2) return {};
            // The last one at the first one's rate and floor, where there is one.
            for (std::size_t k = own.size(); k-- > 1;) {
                const RecordingSummary& a = own.front()->summary;
                const RecordingSummary& b = own[k]->summary;
                if (std::abs(b.rate_C - a.rate_C) <= 0.15 * a.rate_C &&
                    std::abs(b.floor_V_per_cell - a.floor_V_per_cell) <= 0.05)
                    return {own.front()->id, own[k]->id};
            }
            return {own.front()->id, own.back()->id};
        case SidePreset::ColdWarm: {
            std::erase_if(
                own, [](const RecordingEntry* r) { return !std::isfinite(r->summary.highest_C); });
            if (own.size() < 2) return {};
            const auto [cold, warm] = std::ranges::minmax_element(
                own, {}, [](const RecordingEntry* r) { return r->summary.highest_C; });
            if ((*warm)->summary.highest_C - (*cold)->summary.highest_C < 8) return {};
            return {(*warm)->id, (*cold)->id};
        }
        case SidePreset::Siblings: {
            const auto mine = std::ranges::find(batteries, shown.batteryId, &BatteryEntry::id);
            if (mine == batteries.end()) return {};
            std::vector<std::int64_t> out;
            for (const BatteryEntry& e : batteries) {
                const Battery& b = e.battery;
                if (b.chemistry != mine->battery.chemistry || b.series != mine->battery.series ||
                    b.rated_Ah != mine->battery.rated_Ah)
                    continue;
                // At the rate of what is shown, where there is one; then the last of them.
                const auto alike = [&](const RecordingEntry& r) {
                    return std::abs(r.summary.rate_C - shown.summary.rate_C) <=
                           0.15 * shown.summary.rate_C;
                };
                const RecordingEntry* last = nullptr;
                for (const RecordingEntry& r : recordings) {
                    if (r.batteryId != e.id || !std::isfinite(r.summary.health_percent)) continue;
                    if (last == nullptr || r.id == shown.id ||
                        (last->id != shown.id &&
                         std::pair(alike(r), r.at_s()) > std::pair(alike(*last), last->at_s())))
                        last = &r;
                }
                if (last != nullptr && out.size() < kMostCurves) out.push_back(last->id);
            }
            return out.size() < 2 ? std::vector<std::int64_t>() : out;
        }
    }
    return {};
}

}  // namespace nk
