// What if: a recorded charge or discharge told again with another current, other volts, in the
// cold, pulsed or eased in. The model's curve over the measured one.
#pragma once

#include <QWidget>

#include "app/job/job.h"
#include "app/session/shown_recording.h"
#include "ownmodel/judge.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QSpinBox;

namespace nk {

class FieldGrid;
class PredictionPlot;

class WhatIfPanel : public QWidget {
    Q_OBJECT
  public:
    explicit WhatIfPanel(QWidget* parent = nullptr);
    /// `model` null: why there is none stands in `why`.
    void setRecording(const ShownPtr& shown, const std::optional<OwnModel>& model,
                      const QString& why);
    bool busy() const { return job_.running(); }
    const std::optional<WhatIf>& answer() const { return answer_; }
    QString words() const;
    void applyColours();

  private:
    void chooseStep();
    void ask();
    void take(const Expected<WhatIf>& told);
    PredictStep wanted() const;

    Job job_{this};
    ShownPtr shown_;
    std::optional<OwnModel> model_;
    std::vector<std::size_t> steps_;  ///< of the recording, that can be told again
    std::optional<WhatIf> answer_;
    bool filling_ = false;
    PredictStep::Kind asked_ = PredictStep::Kind::Charge;  ///< what the chosen step was
    FieldGrid* form_ = nullptr;
    QComboBox* step_ = nullptr;
    QDoubleSpinBox* amount_ = nullptr;
    QComboBox* unit_ = nullptr;
    QDoubleSpinBox* volts_ = nullptr;
    QDoubleSpinBox* cutoff_ = nullptr;
    QSpinBox* warmth_ = nullptr;
    QComboBox* load_ = nullptr;
    QSpinBox* on_ = nullptr;
    QSpinBox* off_ = nullptr;
    QComboBox* end_ = nullptr;
    QDoubleSpinBox* drop_ = nullptr;
    QSpinBox* minutes_ = nullptr;
    QLabel* words_ = nullptr;
    PredictionPlot* curve_ = nullptr;
};

}  // namespace nk
