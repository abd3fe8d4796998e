// Bench sheets as files, HTML with the picture as vectors or PDF, and on paper.
#pragma once

#include <QString>

#include "app/session/shown_recording.h"
#include "quantity/error.h"
#include "report/battery_sheet.h"
#include "report/side_sheet.h"

class QPrinter;

namespace nk {

/// Writes HTML or PDF by the file's ending (.pdf, else HTML). The file appears whole or not at all.
Expected<void> writeSheet(const QString& path, const ShownRecording& shown,
                          const QString& batteryName, const QString& date);
Expected<void> writeSheet(const QString& path, const BatterySheetInput& battery);
/// `svg`: the curves, `size` their width and height.
Expected<void> writeSheet(const QString& path, const SideSheetInput& side, const QByteArray& svg,
                          const QSize& size);

void printSheet(QPrinter& printer, const ShownRecording& shown, const QString& batteryName,
                const QString& date);

}  // namespace nk
