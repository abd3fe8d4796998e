// One station of the window: a question, and the view that answers it. The frame knows no station
// by type: what it asks of one is here.
#pragma once

#include <QWidget>
#include <functional>
#include <optional>
#include <vector>

#include "app/session/shown_recording.h"

namespace nk {

/// What a station adds to the menu.
struct StationAction {
    QString name;
    std::function<void()> run;
};

class Station : public QWidget {
    Q_OBJECT
  public:
    using QWidget::QWidget;

    /// What a station needs to have something to say.
    enum class Scope { Recording, Battery, Book };

    virtual QString name() const = 0;
    /// Its question, in a few words under its name.
    virtual QString ask() const = 0;
    virtual Scope scope() const { return Scope::Recording; }
    /// It works on something that it has not shown yet.
    /// What would end with the window, and so is asked about first; empty: nothing.
    virtual QString closeQuestion() const { return {}; }
    virtual bool busy() const { return false; }
    /// The window closes: what waits to be kept is handed to the session now.
    virtual void keepNow() {}
    /// False: what it shows is not about the shown recording alone, and the findings make room.
    virtual bool hasFindings() const { return true; }
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
    virtual std::vector<StationAction> menuActions() { return {}; }
    /// Its picture as a file, by the file's ending. Errors: it has none, it cannot be written.
    virtual Expected<void> writePicture(const QString& path);
    /// The part of the recording that is in view, seconds; nothing: the station has no such thing.
    virtual std::optional<std::pair<double, double>> range() const { return std::nullopt; }
    virtual void setRange(double /*from_s*/, double /*to_s*/) {}

  Q_SIGNALS:
    /// Asked for from elsewhere: the window brings it to the front.
    void wanted();
    void rulerChanged(const QString& reading, const QString& pins);
    /// Stop rules to keep with a battery.
    void rulesChanged(qlonglong batteryId, const std::vector<std::string>& rules);
    void meterCheckRequested();
    /// Edits of the steps to add to those of the shown recording.
    void stepsEdited(const std::vector<StepEdit>& edits);
    void resistanceReadingRequested();
    /// A step of the shown recording, the one that holds the moment, to be laid side by side.
    void besideRequested(double moment_s);
    /// An open-circuit curve to keep with the battery it was made for; an empty one: back to the
    /// usual.
    void ownCurveChanged(qlonglong batteryId, const OwnCurve& curve);
};

}  // namespace nk
