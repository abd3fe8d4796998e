// One station of the window: a question, and the view that answers it for the shown recording.
#pragma once

#include <QWidget>

#include "app/shell/shown_recording.h"

namespace nk {

class Station : public QWidget {
    Q_OBJECT
  public:
    using QWidget::QWidget;

    /// Which cards of the findings panel belong here.
    virtual Question question() const = 0;
    /// Takes a recording over (null: nothing is shown). Long work must go to a Job.
    virtual void show(ShownPtr shown) = 0;
    /// False: it has no curve of the recording; evidence is shown at the Curve station.
    virtual bool showsEvidence() const { return true; }
    virtual void showEvidence(const Evidence& evidence, const QString& words) = 0;
    virtual void applyColours() = 0;
    /// Page of assets/help that F1 opens here.
    virtual QString helpPage() const = 0;
    /// Where the keyboard goes when the station is chosen.
    virtual QWidget* firstFocus() = 0;

  Q_SIGNALS:
    void rulerChanged(const QString& reading, const QString& pins);
    /// Stop rules to keep with the battery of the shown recording.
    void rulesChanged(const std::vector<std::string>& rules);
    void meterCheckRequested();
    /// Edits of the steps to add to those of the shown recording.
    void stepsEdited(const std::vector<StepEdit>& edits);
    void resistanceReadingRequested();
    /// An open-circuit curve to keep with the battery; an empty one: back to the usual.
    void ownCurveChanged(const OwnCurve& curve);
};

}  // namespace nk
