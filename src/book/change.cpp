// One act of a person: one transaction, one step of undo.
#include "bench_book.h"
#include "guard.h"
#include "journal.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

std::string words(const std::optional<std::string>& label) {
    return label ? labelWords(*label) : std::string();
}

}  // namespace

Expected<void> BenchBook::change(const ChangeLabel& label,
                                 const std::function<Expected<void>()>& work) {
    return guarded(path_.string(), phrase("The change could not be made"), [&]() -> Expected<void> {
        if (readOnly_)
            throw Refused{storageError(
                phrase("The book is in a folder that is read-only. Nothing was changed."))};
        return journaled(*db_, label, work);
    });
}

Expected<std::string> BenchBook::undoLabel() {
    return guarded(path_.string(), phrase("The journal could not be read"),
                   [&]() -> Expected<std::string> { return words(nk::undoLabel(*db_)); });
}

Expected<std::string> BenchBook::redoLabel() {
    return guarded(path_.string(), phrase("The journal could not be read"),
                   [&]() -> Expected<std::string> { return words(nk::redoLabel(*db_)); });
}

Expected<std::string> BenchBook::undo() {
    return guarded(path_.string(), phrase("The change could not be taken back"),
                   [&]() -> Expected<std::string> {
                       SQLite::Transaction transaction(*db_,
                                                       SQLite::TransactionBehavior::IMMEDIATE);
                       auto label = words(undoChange(*db_));
                       transaction.commit();
                       return label;
                   });
}

Expected<std::string> BenchBook::redo() {
    return guarded(path_.string(), phrase("The change could not be made again"),
                   [&]() -> Expected<std::string> {
                       SQLite::Transaction transaction(*db_,
                                                       SQLite::TransactionBehavior::IMMEDIATE);
                       auto label = words(redoChange(*db_));
                       transaction.commit();
                       return label;
                   });
}

Expected<void> BenchBook::forgetJournal() {
    return guarded(path_.string(), phrase("The journal could not be forgotten"),
                   [&]() -> Expected<void> {
                       db_->exec("DELETE FROM change");
                       return {};
                   });
}

}  // namespace nk
