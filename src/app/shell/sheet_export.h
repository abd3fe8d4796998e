// The bench sheet as a file: HTML with the curve as vectors, or PDF.
#pragma once

#include <QString>

#include "app/shell/shown_recording.h"
#include "quantity/error.h"

namespace nk {

/// Writes HTML or PDF by the file's ending (.pdf, else HTML). The file appears whole or not at all.
Expected<void> writeSheet(const QString& path, const ShownRecording& shown,
                          const QString& batteryName, const QString& date);

}  // namespace nk
