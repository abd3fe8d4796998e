// The way into a bench book: when it cannot be opened, what can be done about it is asked.
#pragma once

#include <QString>
#include <memory>

#include "app/session/dialogs.h"
#include "book/bench_book.h"

namespace nk {

/// Opens the book at `path` (`make`: makes it when it is not there). While that fails it says why
/// and offers: another book, a new one, a backup of this one, its rows in a new book, to try again.
/// Null: the user left.
std::unique_ptr<BenchBook> enterBook(QString path, bool make, Dialogs& dialogs, double now_s);

/// Asks for a name and copies the rows of a refused book there. The new book's path, or empty.
QString rescueInto(const QString& path, Dialogs& dialogs, QWidget* parent);

}  // namespace nk
