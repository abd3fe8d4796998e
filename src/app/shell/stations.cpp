#include "app/shell/stations.h"

#include "app/bench/bench_station.h"
#include "app/curve/curve_station.h"
#include "app/finish/finish_station.h"
#include "app/habits/habits_station.h"
#include "app/plan/plan_station.h"
#include "app/session/book_work.h"
#include "app/side/side_station.h"
#include "app/strength/strength_station.h"

namespace nk {

void connectStation(Station& station, RecordingActions& actions) {
    QObject::connect(&station, &Station::rulesChanged, &actions, &RecordingActions::keepRules);
    QObject::connect(&station, &Station::meterCheckRequested, &actions,
                     &RecordingActions::meterCheck);
    QObject::connect(&station, &Station::stepsEdited, &actions, &RecordingActions::editSteps);
    QObject::connect(&station, &Station::ownCurveChanged, &actions,
                     &RecordingActions::keepOwnCurve);
    QObject::connect(&station, &Station::resistanceReadingRequested, &actions,
                     &RecordingActions::enterResistance);
}

std::vector<Station*> makeStations(Session& session, RecordingActions& actions, QWidget* parent) {
    auto* strength = new StrengthStation(parent);
    // The path is asked for when a study begins: the book may be another one by then.
    strength->setLoader([&session] {
        return [path = session.path()](ShownPtr shown, std::stop_token stop,
                                       const Job::ProgressSink& progress) {
            return loadStudy(path, *shown, stop, progress);
        };
    });
    std::vector<Station*> out = {new CurveStation(parent),
                                 new FinishStation(parent),
                                 strength,
                                 new SideStation(session, parent),
                                 new HabitsStation(session, parent),
                                 new PlanStation(session, parent),
                                 new BenchStation(session, parent)};
    for (Station* s : out) {
        connectStation(*s, actions);
        QObject::connect(s, &Station::besideRequested, &session, [&session](double moment_s) {
            if (const ShownPtr shown = session.shown())
                Q_EMIT session.besideRequested(shown->id, moment_s);
        });
    }
    return out;
}

}  // namespace nk
