// A label for sentences: plain text that wraps and can be copied.
#pragma once

#include <QString>

class QLabel;
class QWidget;

namespace nk {

/// `role`: muted, heading, hazard, title or empty.
QLabel* wordLabel(QWidget* parent, const char* name, const char* role);

/// The same words with a space that no line ends at between a figure and its per cent.
QString keepFigures(QString words);

}  // namespace nk
