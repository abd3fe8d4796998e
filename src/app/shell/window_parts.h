// The session and what can be done with it: what the window's menu and buttons are made of.
#pragma once

#include <memory>

#include "app/life/life_actions.h"
#include "app/reading/import_desk.h"
#include "app/session/session.h"
#include "app/shelf/shelf_actions.h"
#include "app/shell/book_actions.h"
#include "app/shell/hand_out.h"

namespace nk {

struct WindowParts {
    WindowParts(std::unique_ptr<BenchBook> book, Dialogs& dialogs, Preferences& preferences,
                QWidget* window);

    Session session;
    RecordingActions recordings;
    ShelfActions shelf;
    LifeActions life;
    BookActions books;
    ImportDesk imports;
    HandOut handOut;
};

}  // namespace nk
