// Station 1, Curve: what happened? Lanes, step ribbon and ruler of one recording.
#pragma once

#include <QWidget>
#include <optional>
#include <vector>

#include "analysis/analysis.h"
#include "report/cards.h"

class QLabel;

namespace nk {

class LanesPlot;
class Ribbon;

/// What a recording needs to be shown: all made in a worker, immutable afterwards.
struct ShownRecording {
    std::int64_t id = 0;
    QString title, subtitle;
    RecordingPtr recording;
    Analysis analysis;
    std::vector<double> charge_Ah, energy_Wh;
};

class CurveStation : public QWidget {
    Q_OBJECT
  public:
    explicit CurveStation(QWidget* parent = nullptr);

    void show(std::shared_ptr<const ShownRecording> shown);
    void showEvidence(const Evidence& evidence, const QString& words);
    void clearEvidence();
    void applyColours();
    LanesPlot* plot() const { return plot_; }
    Ribbon* ribbon() const { return ribbon_; }

  Q_SIGNALS:
    void rulerChanged(const QString& reading, const QString& pins);
    void helpRequested();

  private:
    void updateRuler(std::optional<double> time_s);
    QString pinsText() const;
    void describeStep(int index);

    std::shared_ptr<const ShownRecording> shown_;
    QLabel* title_ = nullptr;
    QLabel* subtitle_ = nullptr;
    QLabel* stepLine_ = nullptr;
    LanesPlot* plot_ = nullptr;
    Ribbon* ribbon_ = nullptr;
    std::optional<double> pins_[2];
};

}  // namespace nk
