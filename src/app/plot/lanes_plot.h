// The lanes: voltage, current, temperature, charge and cells one above the other on one axis, by
// time or by charge moved. Curves are fed from min/max pyramids, so a redraw costs the same for a
// thousand or ten million samples. Overlays (evidence, cursor, pins) live on buffered layers of
// their own and never redraw a curve.
#pragma once

#include <qcustomplot.h>

#include <memory>
#include <optional>
#include <vector>

#include "app/plot/envelope_graph.h"
#include "recording/pyramid.h"
#include "recording/recording.h"
#include "recording/sample_axis.h"
#include "steps/step.h"

namespace nk {

/// A vertical mark with words, such as the knee.
struct PlotMark {
    double time_s = 0;
    QString words;
};

class LanesPlot : public QCustomPlot {
    Q_OBJECT
  public:
    explicit LanesPlot(QWidget* parent = nullptr);

    /// Lanes to show, as a sum.
    enum Lanes { kVoltage = 1, kCurrent = 2, kTemperature = 4, kCells = 8, kCharge = 16 };
    static constexpr int kUsual = kVoltage | kCurrent | kTemperature | kCells;
    /// `charge_Ah` is the running charge that the charge lane shows; it must outlive the recording
    /// shown here and may be empty when that lane is not wanted.
    void setRecording(RecordingPtr recording, int lanes = kUsual,
                      std::span<const double> charge_Ah = {});
    /// Time or charge across the lanes. The shown range stays.
    void setAcross(AxisKind kind);
    AxisKind across() const { return across_; }
    SampleAxisPtr axis() const { return axis_; }  ///< null when nothing is shown
    void setMarks(std::vector<PlotMark> marks);
    /// Lines with words on the temperature lane; they come into view when the battery gets near.
    void setTemperatureLimits(std::vector<std::pair<double, QString>> limits);
    /// Brackets and shades an interval; nothing clears it.
    void showEvidence(std::optional<Evidence> evidence, const QString& words);
    void setPin(int which, std::optional<double> time_s);  ///< 0: A, 1: B
    void showAll();
    void showRange(double from_s, double to_s);
    void applyColours();

    double rangeLow() const;  ///< shown times, s, whatever is across
    double rangeHigh() const;
    /// Left and right edge of the lanes in this widget's pixels, for the ribbon below.
    std::pair<int, int> laneEdges() const;
    std::optional<double> cursorTime() const { return cursor_; }  ///< s
    int laneCount() const { return static_cast<int>(lanes_.size()); }

  Q_SIGNALS:
    void pointerAt(double time_s);
    void pointerLeft();
    void viewChanged();
    void pinRequested(int which, double time_s);

  protected:
    bool event(QEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    static constexpr const char* kOverlay = "nk-overlay";  ///< layer above the curves, buffered
    static constexpr const char* kShade = "nk-shade";      ///< layer below the grid
    struct Curve {
        std::span<const double> column;
        Pyramid pyramid;
        EnvelopeGraph* graph = nullptr;
    };
    struct Lane {
        QString title, unit;
        QCPAxisRect* rect = nullptr;
        QCPItemText* label = nullptr;
        QCPItemStraightLine* cursor = nullptr;
        QCPItemTracer* dot = nullptr;
        QCPItemRect* shade = nullptr;
        QCPItemStraightLine* pins[2] = {nullptr, nullptr};
        std::vector<Curve> curves;
        QCPItemText* ends[2] = {nullptr, nullptr};  ///< of a bundle: its highest and lowest cell
        int kind = 0;  ///< 0 voltage, 1 current, 2 temperature, 3 cells, 4 spread, 5 charge
    };

    void buildLane(int kind, const QString& title, std::vector<std::span<const double>> columns,
                   int stretch);
    /// Zooms so that what stands at this pixel stays there.
    void zoomAt(double x_px, double factor);
    QCPRange shown() const;  ///< places along the axis
    void showPlaces(double from, double to);
    /// Ticks and words of the axes across, after `across_` changed.
    void dressAxes();
    void refill();
    /// First sample of each pixel column between `low` and `high` (s), and one past the last.
    std::vector<std::size_t> pixelColumns(int pixels, double low, double high) const;
    /// Returns the mean height of a pixel column in the unit of the curve; 0 when samples are few.
    double fillCurve(Curve& curve, const std::vector<std::size_t>& columns, double low, double high,
                     double& yLow, double& yHigh);
    void placeOverlays();
    /// Puts the words of marks where they hide no title and no other words.
    void placeMarkWords();
    /// Names the highest and the lowest curve of a bundle at its right end.
    void nameBundle(Lane& lane, double high);
    void drawTemperatureLimits();
    QColor colourOf(int kind, std::size_t index, std::size_t count) const;

    RecordingPtr recording_;
    AxisKind across_ = AxisKind::Time;
    SampleAxisPtr axis_;
    std::vector<double> spread_mV_;  ///< highest minus lowest cell, one value a sample
    std::vector<std::pair<double, QString>> temperatureLimits_;
    std::vector<Lane> lanes_;
    std::vector<PlotMark> marks_;
    std::vector<QCPAbstractItem*> markItems_;
    std::vector<QCPItemText*> markWords_;  ///< one a mark, in their order
    std::optional<Evidence> evidence_;
    QString evidenceWords_;
    QCPItemBracket* bracket_ = nullptr;
    QCPItemText* bracketText_ = nullptr;
    std::optional<double> cursor_;
    std::optional<double> pins_[2];
    bool refilling_ = false;
};

}  // namespace nk
