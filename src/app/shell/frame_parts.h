// The places of the window, without what stands in them: bar, shelf, middle, findings, status line.
#pragma once

class QMainWindow;
class QStackedWidget;

namespace nk {

class FindingsPanel;
class InlineBar;
class Shelf;
class StartScreen;
class StationBar;
class StatusLine;

struct FrameParts {
    StationBar* bar;
    Shelf* shelf;
    InlineBar* inlineBar;    ///< what the program says, over the middle
    QStackedWidget* middle;  ///< the start screen, and what is added
    StartScreen* start;
    FindingsPanel* findings;
    StatusLine* status;
};

/// Makes them as children of the window, in their places.
FrameParts layOut(QMainWindow& window);

}  // namespace nk
