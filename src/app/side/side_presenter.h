// What the Side by side station shows, made from opened recordings: curves on one axis, the
// difference of two, dQ/dV with its peaks, sentences. Plain: no widget.
#pragma once

#include <QString>
#include <QStringList>
#include <map>
#include <memory>
#include <vector>

#include "analysis/overlay/incremental.h"
#include "analysis/overlay/overlay.h"
#include "history/open_recording.h"

namespace nk {

using OpenedPtr = std::shared_ptr<const OpenedRecording>;

/// A log, or one of its steps: the one that holds a moment, so that an edit of the steps does not
/// make it another.
struct SideItem {
    std::int64_t recording = 0;
    double moment_s = -1;  ///< −1: the whole log
    auto operator<=>(const SideItem&) const = default;
    bool whole() const { return moment_s < 0; }
};

enum class SideLane { Voltage, Temperature, Incremental, Differential };
enum class SidePreset { BeforeAfter, ColdWarm, Siblings };

/// What was asked for.
struct SideChoice {
    std::vector<SideItem> items;  ///< in the order they are named; the first is compared with
    OverlayAxis axis = OverlayAxis::Charge;
    SideLane lane = SideLane::Voltage;
    std::map<SideItem, double> shifts;  ///< of a curve along the axis, by hand
};

struct SideCurve {
    SideItem item;
    QString name;
    std::vector<double> x, y;  ///< shifted
    std::vector<IncrementalPeak> peaks;
    QString why;  ///< why there is none; empty: there is one
};

struct SideView {
    std::vector<SideCurve> curves;
    OverlayDifference difference;  ///< of the last against the first; empty: none
    QString differenceName;
    QString xLabel, yLabel;
    QStringList sentences;
    double width_V = kNaN, bin_V = kNaN;  ///< of the smoothing of dQ/dV, the widest
};

/// At most this many are laid over each other.
inline constexpr std::size_t kMostCurves = 50;

/// `opened`: the log of each item of the choice, in their order.
SideView sideView(const std::vector<OpenedPtr>& opened, const SideChoice& choice);

/// "3 · discharge, constant current, 1.95 Ah": what a step is called among those of its log.
QString stepTitle(const Steps& steps, int step);

/// The curves and their difference as CSV, one point a row: curve, x, y, low, high (of the
/// difference; volts). Numbers with a point, whatever the language.
std::string sideTable(const SideView& view);

/// The recordings of a preset for the battery of `shown`; empty: the book has none that fit.
/// Before and after: its first whole discharge and the last one at like rate and floor (or the
/// last). Cold and warm: its coldest and warmest, 8 K apart or more. Siblings: of every battery of
/// the same kind the last whole discharge, at the rate of what is shown where there is one.
std::vector<std::int64_t> presetRecordings(SidePreset preset, const RecordingEntry& shown,
                                           const std::vector<RecordingEntry>& recordings,
                                           const std::vector<BatteryEntry>& batteries);

}  // namespace nk
