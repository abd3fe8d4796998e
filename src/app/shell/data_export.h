// The curve as a picture, and the recording as tables, written whole or not at all.
#pragma once

#include <QString>

#include "app/session/shown_recording.h"
#include "quantity/error.h"

class QCustomPlot;

namespace nk {

/// Writes bytes to a file that appears whole or not at all.
Expected<void> writeWhole(const QString& path, const QByteArray& bytes);
/// The lanes as shown, by the file's ending: .pdf and .svg as vectors, else PNG at twice the size.
Expected<void> writeCurve(const QString& path, QCustomPlot& plot);
/// The same as vectors, to be put on a sheet.
QByteArray curveSvgBytes(QCustomPlot& plot);
/// By the file's ending: *.steps.csv, *.readings.csv, else the samples.
Expected<void> writeData(const QString& path, const ShownRecording& shown);
/// The steps as tab-separated text.
QString stepsTable(const ShownRecording& shown);

}  // namespace nk
