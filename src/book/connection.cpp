#include "connection.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <sqlite3.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdio>
#include <system_error>

#include "guard.h"
#include "schema.h"

namespace nk {

namespace fs = std::filesystem;

namespace {

std::string uriOf(const fs::path& path) {
    std::string out = "file:";
    for (const char c : fs::absolute(path).string()) {
        const auto u = static_cast<unsigned char>(c);
        const bool plain = std::isalnum(u) != 0 || c == '/' || c == '.' || c == '-' || c == '_';
        out += plain ? std::string(1, c) : fmt::format("%{:02X}", u);
    }
    return out + "?immutable=1";
}

void harden(SQLite::Database& db) {
    sqlite3* const handle = db.getHandle();
    sqlite3_db_config(handle, SQLITE_DBCONFIG_DEFENSIVE, 1, nullptr);
    sqlite3_db_config(handle, SQLITE_DBCONFIG_TRUSTED_SCHEMA, 0, nullptr);
    // Those of the file; the connection's own temporary triggers still run.
    sqlite3_db_config(handle, SQLITE_DBCONFIG_ENABLE_TRIGGER, 0, nullptr);
    sqlite3_db_config(handle, SQLITE_DBCONFIG_ENABLE_VIEW, 0, nullptr);
    sqlite3_db_config(handle, SQLITE_DBCONFIG_ENABLE_FKEY, 1, nullptr);
    sqlite3_limit(handle, SQLITE_LIMIT_ATTACHED, 0);
    sqlite3_limit(handle, SQLITE_LIMIT_LENGTH, 1'000'000'000);
    sqlite3_limit(handle, SQLITE_LIMIT_SQL_LENGTH, 1'000'000);
    sqlite3_limit(handle, SQLITE_LIMIT_COLUMN, 100);
    sqlite3_limit(handle, SQLITE_LIMIT_EXPR_DEPTH, 100);
    sqlite3_limit(handle, SQLITE_LIMIT_COMPOUND_SELECT, 10);
    sqlite3_limit(handle, SQLITE_LIMIT_LIKE_PATTERN_LENGTH, 100);
    sqlite3_limit(handle, SQLITE_LIMIT_TRIGGER_DEPTH, 3);
    sqlite3_limit(handle, SQLITE_LIMIT_VARIABLE_NUMBER, 100);
    db.exec("PRAGMA cell_size_check = ON");
    db.exec("PRAGMA mmap_size = 0");
    db.exec("PRAGMA temp_store = MEMORY");
}

tl::unexpected<Error> cannotMake(const fs::path& path, const std::string& reason) {
    return fail(ErrorKind::Storage, phrase("The bench book cannot be made: {}.", reason),
                path.string(), phrase("a folder you may write to, with room."));
}

/// Gives `from` the name `to` unless that is taken. 0 or an errno.
int renameUnlessThere(const fs::path& from, const fs::path& to) {
    if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) == 0) return 0;
    if (errno != EINVAL && errno != ENOSYS) return errno;
    // Some file systems do not know that call; a second name does the same.
    if (::link(from.c_str(), to.c_str()) != 0) return errno;
    ::unlink(from.c_str());
    return 0;
}

void syncFolder(const fs::path& folder) {
    const int file =
        ::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (file < 0) return;
    ::fsync(file);
    ::close(file);
}

}  // namespace

bool noFileName(const fs::path& path) {
    const std::string name = path.string();
    return name.empty() || name.starts_with("file:") || name == ":memory:" ||
           path.filename().empty();
}

std::unique_ptr<SQLite::Database> connect(const fs::path& path, Access access) {
    std::unique_ptr<SQLite::Database> db;
    if (access == Access::Frozen)
        db = std::make_unique<SQLite::Database>(uriOf(path),
                                                SQLite::OPEN_READONLY | SQLite::OPEN_URI, kBusy_ms);
    else
        db = std::make_unique<SQLite::Database>(
            fs::absolute(path).string(),
            access == Access::Write ? SQLite::OPEN_READWRITE : SQLite::OPEN_READONLY, kBusy_ms);
    harden(*db);
    // Pages are large: folded back after 4 MB, and never left longer than that.
    if (access == Access::Write) {
        db->exec("PRAGMA wal_autocheckpoint = 64");
        db->exec("PRAGMA journal_size_limit = 4194304");
    }
    return db;
}

void execVacuum(SQLite::Database& db, const std::string& sql, const std::string& target) {
    sqlite3_limit(db.getHandle(), SQLITE_LIMIT_ATTACHED, 1);
    try {
        SQLite::Statement q(db, sql);
        if (!target.empty()) q.bind(1, target);
        q.exec();
    } catch (...) {
        sqlite3_limit(db.getHandle(), SQLITE_LIMIT_ATTACHED, 0);
        throw;
    }
    sqlite3_limit(db.getHandle(), SQLITE_LIMIT_ATTACHED, 0);
}

Expected<void> makeBook(const fs::path& path) {
    static std::atomic<unsigned> count{0};
    const fs::path part = path.string() + fmt::format(".new-{}-{}", ::getpid(), count++);
    std::error_code none;
    const auto clear = [&] {
        for (const char* ending : {"", "-wal", "-shm", "-journal"})
            fs::remove(part.string() + ending, none);
    };
    clear();
    // Its owner's alone from the first byte on.
    if (const int born = ::open(part.c_str(), O_CREAT | O_EXCL | O_WRONLY | O_CLOEXEC, 0600);
        born >= 0)
        ::close(born);
    try {
        SQLite::Database db(fs::absolute(part).string(),
                            SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE, kBusy_ms);
        db.exec("PRAGMA page_size = 65536");
        db.exec("PRAGMA synchronous = FULL");
        SQLite::Transaction transaction(db, SQLite::TransactionBehavior::IMMEDIATE);
        createSchema(db);
        transaction.commit();
        db.exec("PRAGMA journal_mode = WAL");
    } catch (const SQLite::Exception& e) {
        clear();
        return cannotMake(path, plainReason(e));
    }
    const int file = ::open(part.c_str(), O_RDONLY | O_CLOEXEC);
    const bool safe = file >= 0 && ::fsync(file) == 0;
    int reason = safe ? 0 : errno;
    if (file >= 0) ::close(file);
    if (reason == 0) reason = renameUnlessThere(part, path);
    if (reason == EEXIST) reason = 0;  // another was faster
    clear();
    if (reason != 0) return cannotMake(path, std::generic_category().message(reason));
    syncFolder(path.parent_path());
    return {};
}

}  // namespace nk
