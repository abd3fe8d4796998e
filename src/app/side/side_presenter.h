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

enum class SideLane { Voltage, Temperature, Incremental, Differential };
enum class SidePreset { BeforeAfter, ColdWarm, Siblings };

/// What was asked for.
struct SideChoice {
    std::vector<std::int64_t>
        recordings;  ///< in the order they are named; the first is compared with
    OverlayAxis axis = OverlayAxis::Charge;
    SideLane lane = SideLane::Voltage;
    std::map<std::int64_t, double> shifts;  ///< of a curve along the axis, by hand
};

struct SideCurve {
    std::int64_t recording = 0;
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

SideView sideView(const std::vector<OpenedPtr>& opened, const SideChoice& choice);

/// The curves and their difference as CSV, one point a row: curve, x, y, low, high (of the
/// difference; volts). Numbers with a point, whatever the language.
std::string sideTable(const SideView& view);

/// The recordings of a preset for the battery of `shown`; empty: the book has none that fit.
/// Before and after: its first whole discharge and the last one at like rate and floor (or the
/// last). Cold and warm: its coldest and warmest, 8 K apart or more. Siblings: the last whole
/// discharge of every battery of the same kind.
std::vector<std::int64_t> presetRecordings(SidePreset preset, const RecordingEntry& shown,
                                           const std::vector<RecordingEntry>& recordings,
                                           const std::vector<BatteryEntry>& batteries);

}  // namespace nk
