// Pictures of the main views, made from the demo bench without a display.
#pragma once

#include <QString>

class QApplication;

namespace nk {

/// Writes the main views in both looks as PNG files of 1280×800 to `folder`. Returns an exit
/// status.
int renderViews(QApplication& app, const QString& folder);

}  // namespace nk
