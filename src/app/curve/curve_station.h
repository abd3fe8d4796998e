// Station 1, Curve: what happened? Lanes, step ribbon and ruler of one recording.
#pragma once

#include <optional>

#include "app/shell/station.h"

class QLabel;

namespace nk {

class LanesPlot;
class Ribbon;

class CurveStation : public Station {
    Q_OBJECT
  public:
    explicit CurveStation(QWidget* parent = nullptr);

    Question question() const override { return Question::Curve; }
    void show(ShownPtr shown) override;
    void showEvidence(const Evidence& evidence, const QString& words) override;
    void clearEvidence();
    void applyColours() override;
    QString helpPage() const override { return "curve"; }
    QWidget* firstFocus() override;
    LanesPlot* plot() const { return plot_; }
    Ribbon* ribbon() const { return ribbon_; }

  private:
    void updateRuler(std::optional<double> time_s);
    QString pinsText() const;
    void describeStep(int index);

    ShownPtr shown_;
    QLabel* title_ = nullptr;
    QLabel* subtitle_ = nullptr;
    QLabel* stepLine_ = nullptr;
    LanesPlot* plot_ = nullptr;
    Ribbon* ribbon_ = nullptr;
    std::optional<double> pins_[2];
};

}  // namespace nk
