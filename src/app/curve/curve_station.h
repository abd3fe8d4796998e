// Station 1, Curve: what happened? Lanes, step ribbon and ruler of one recording.
#pragma once

#include <optional>

#include "app/shell/station.h"
#include "recording/sample_axis.h"

class QLabel;

class QPushButton;

namespace nk {

class LanesPlot;
class Ribbon;

class CurveStation : public Station {
    Q_OBJECT
  public:
    explicit CurveStation(QWidget* parent = nullptr);

    QString name() const override { return tr("Curve"); }
    QString ask() const override { return tr("what happened?"); }
    Question question() const override { return Question::Curve; }
    std::vector<StationAction> menuActions() override;
    Expected<void> writePicture(const QString& path) override;
    std::optional<std::pair<double, double>> range() const override;
    void setRange(double from_s, double to_s) override;
    void show(ShownPtr shown) override;
    void showEvidence(const Evidence& evidence, const QString& words) override;
    void clearEvidence();
    void applyColours() override;
    QString helpPage() const override { return "curve"; }
    QWidget* firstFocus() override;
    void setAcross(AxisKind kind);
    AxisKind across() const;
    void setChargeLane(bool on);
    bool chargeLane() const;
    LanesPlot* plot() const { return plot_; }
    Ribbon* ribbon() const { return ribbon_; }

  protected:
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void setMarks();
    void updateRuler(std::optional<double> time_s);
    QString pinsText() const;
    void describeStep(int index);

    ShownPtr shown_;
    QLabel* title_ = nullptr;
    QLabel* subtitle_ = nullptr;
    QLabel* stepLine_ = nullptr;
    QPushButton* byTime_ = nullptr;
    QPushButton* byCharge_ = nullptr;
    QPushButton* chargeLane_ = nullptr;
    LanesPlot* plot_ = nullptr;
    Ribbon* ribbon_ = nullptr;
    std::optional<double> pins_[2];
};

}  // namespace nk
