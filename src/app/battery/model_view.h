// A battery's own model on its page: each log as a fit that did not see it predicts it, the error,
// and where there is evidence.
#pragma once

#include <QWidget>
#include <optional>

#include "app/job/job.h"
#include "app/session/session.h"
#include "history/own_models.h"

class QComboBox;
class QLabel;

namespace nk {

class PredictionPlot;

class ModelView : public QWidget {
    Q_OBJECT
  public:
    explicit ModelView(Session& session, QWidget* parent = nullptr);
    /// Fits or takes the kept one, in a worker.
    void show(std::int64_t batteryId);
    bool busy() const { return job_.running(); }
    const std::optional<KeptModel>& model() const { return model_; }
    void applyColours();

  private:
    void take();
    void draw();

    Session& session_;
    Job job_{this};
    std::optional<KeptModel> model_;
    QString why_;
    QComboBox* log_ = nullptr;
    QLabel* words_ = nullptr;
    PredictionPlot* curve_ = nullptr;
};

/// Capacity, error, evidence and how each log was met, in sentences.
QStringList modelWords(const KeptModel& kept);

}  // namespace nk
