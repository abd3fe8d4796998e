// A word on the desktop, and a sound: over D-Bus as freedesktop's notifications have it.
#pragma once

#include <QString>

namespace nk {

/// Shows a desktop notification where a service for it is there; never waits. `urgent`: it stays.
void notifyDesktop(const QString& title, const QString& words, bool urgent);

}  // namespace nk
