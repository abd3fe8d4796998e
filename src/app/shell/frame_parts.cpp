#include "app/shell/frame_parts.h"

#include <QHBoxLayout>
#include <QMainWindow>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "app/findings/findings_panel.h"
#include "app/shelf/shelf.h"
#include "app/shell/inline_bar.h"
#include "app/shell/start_screen.h"
#include "app/shell/station_bar.h"
#include "app/shell/status_line.h"

namespace nk {

FrameParts layOut(QMainWindow& window) {
    window.setAcceptDrops(true);
    window.setMinimumSize(900, 560);
    window.resize(1280, 800);
    auto* root = new QWidget(&window);
    auto* rows = new QVBoxLayout(root);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    FrameParts out{};
    out.bar = new StationBar(root);
    rows->addWidget(out.bar);
    auto* columns = new QHBoxLayout;
    columns->setSpacing(0);
    out.shelf = new Shelf(root);
    columns->addWidget(out.shelf);
    auto* centre = new QVBoxLayout;
    centre->setContentsMargins(0, 0, 0, 0);
    auto* inlineOuter = new QHBoxLayout;
    inlineOuter->setContentsMargins(12, 8, 12, 0);
    out.inlineBar = new InlineBar(root);
    inlineOuter->addWidget(out.inlineBar);
    centre->addLayout(inlineOuter);
    out.middle = new QStackedWidget(root);
    out.start = new StartScreen(out.middle);
    out.middle->addWidget(out.start);
    centre->addWidget(out.middle, 1);
    columns->addLayout(centre, 1);
    out.findings = new FindingsPanel(root);
    columns->addWidget(out.findings);
    rows->addLayout(columns, 1);
    out.status = new StatusLine(root);
    rows->addWidget(out.status);
    window.setCentralWidget(root);
    return out;
}

}  // namespace nk
