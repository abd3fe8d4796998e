// What a person does to a recording and its battery: edits of steps, corrections, readings by hand,
// rules and curves to keep, what it was taken with.
#pragma once

#include "app/session/session.h"
#include "report/cards.h"

class QWidget;

namespace nk {

class RecordingActions : public QObject {
    Q_OBJECT
  public:
    /// Dialogs belong to `window`, which outlives this.
    RecordingActions(Session& session, QWidget* window);

    void keepRules(std::int64_t batteryId, const std::vector<std::string>& rules);
    void keepOwnCurve(std::int64_t batteryId, const OwnCurve& curve);
    void editSteps(const std::vector<StepEdit>& added);
    void meterCheck();
    void enterResistance();
    void unseenLoad(std::int64_t recordingId);
    /// The action of a finding's card.
    void takeAction(const Card& card);
    void editOrigin(std::int64_t recordingId);

  private:
    Session& session_;
    QWidget* window_;
};

}  // namespace nk
