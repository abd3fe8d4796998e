// A word on the desktop, and a sound: over D-Bus as freedesktop's notifications have it.
#pragma once

#include <QString>

namespace nk {

/// Shows a desktop notification where a service for it is there; never waits. `urgent`: it stays.
void notifyDesktop(const QString& title, const QString& words, bool urgent);

/// The program's own sound, twice for a hazard; silent where there is no sound. Never waits.
void soundCall(bool hazard);

}  // namespace nk
