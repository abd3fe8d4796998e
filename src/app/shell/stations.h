// The stations of the window, in working order.
#pragma once

#include <vector>

#include "app/session/session.h"
#include "app/shelf/recording_actions.h"
#include "app/shell/station.h"

namespace nk {

/// Makes them as children of `parent` and connects what they ask for.
std::vector<Station*> makeStations(Session& session, RecordingActions& actions, QWidget* parent);

/// Connects what any station asks for.
void connectStation(Station& station, RecordingActions& actions);

}  // namespace nk
