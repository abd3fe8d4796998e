#include "app/shell/window_parts.h"

namespace nk {

WindowParts::WindowParts(std::unique_ptr<BenchBook> book, Dialogs& dialogs,
                         Preferences& preferences, QWidget* window)
    : session(std::move(book), dialogs, preferences),
      recordings(session, window),
      shelf(session, dialogs, recordings, window),
      life(session, dialogs, window),
      books(session, dialogs, preferences, window),
      imports(session, window),
      handOut(session, dialogs, window) {
    // They belong to this struct and not to the window's children.
    for (QObject* part :
         std::initializer_list<QObject*>{&recordings, &shelf, &life, &books, &imports, &handOut})
        part->setParent(nullptr);
}

}  // namespace nk
