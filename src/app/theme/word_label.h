// A label for sentences: plain text that wraps and can be copied.
#pragma once

class QLabel;
class QWidget;

namespace nk {

/// `role`: muted, heading, hazard, title or empty.
QLabel* wordLabel(QWidget* parent, const char* name, const char* role);

}  // namespace nk
