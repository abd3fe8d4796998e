#include "backups.h"

#include <sqlite3.h>

#include <algorithm>
#include <chrono>
#include <ctime>
#include <regex>

#include "connection.h"
#include "guard.h"
#include "quantity/phrase.h"

namespace nk {

namespace fs = std::filesystem;

namespace {

std::string stamp(double at_s) {
    const auto seconds = static_cast<std::time_t>(at_s);
    std::tm utc{};
    gmtime_r(&seconds, &utc);
    return fmt::format("{:04}-{:02}-{:02} {:02}.{:02}.{:02}", utc.tm_year + 1900, utc.tm_mon + 1,
                       utc.tm_mday, utc.tm_hour, utc.tm_min, utc.tm_sec);
}

/// Seconds since 1970 from "<stem> 2026-05-01 18.30.00.nkbook"; nothing for other names.
std::optional<double> stampOf(const fs::path& file, const std::string& stem) {
    static const std::regex form(
        R"((.*) (\d{4})-(\d{2})-(\d{2}) (\d{2})\.(\d{2})\.(\d{2})\.nkbook)");
    std::smatch m;
    const std::string name = file.filename().string();
    if (!std::regex_match(name, m, form) || m[1] != stem) return std::nullopt;
    std::tm utc{};
    utc.tm_year = std::stoi(m[2]) - 1900;
    utc.tm_mon = std::stoi(m[3]) - 1;
    utc.tm_mday = std::stoi(m[4]);
    utc.tm_hour = std::stoi(m[5]);
    utc.tm_min = std::stoi(m[6]);
    utc.tm_sec = std::stoi(m[7]);
    return static_cast<double>(timegm(&utc));
}

Expected<void> makeFolder(const fs::path& folder) {
    std::error_code ec;
    fs::create_directories(folder, ec);
    if (ec)
        return fail(ErrorKind::Storage,
                    phrase("The folder for backups cannot be made: ") + ec.message() + ".",
                    folder.string(), phrase("a bench book in a folder you may write to."));
    return {};
}

fs::path nameFor(const fs::path& book, const std::string& stem, double now_s) {
    return backupFolder(book) / (stem + " " + stamp(now_s) + ".nkbook");
}

/// When the book or its write-ahead log was last written.
fs::file_time_type lastWritten(const fs::path& book) {
    std::error_code ec;
    auto newest = fs::last_write_time(book, ec);
    const auto wal = fs::last_write_time(fs::path(book.string() + "-wal"), ec);
    return !ec && wal > newest ? wal : newest;
}

/// Copies all pages of `from` into the open book in one transaction.
void copyInto(BenchBook& book, const fs::path& from) {
    const auto target = connect(book.path(), Access::Write);
    const auto source = connect(from, Access::Read);
    sqlite3_backup* copy =
        sqlite3_backup_init(target->getHandle(), "main", source->getHandle(), "main");
    if (copy == nullptr) throw SQLite::Exception(target->getHandle());
    sqlite3_backup_step(copy, -1);
    if (sqlite3_backup_finish(copy) != SQLITE_OK) throw SQLite::Exception(target->getHandle());
}

Expected<void> usable(const fs::path& backup) {
    const auto opened = BenchBook::openForReading(backup);
    if (!opened) return tl::unexpected<Error>(opened.error());
    const auto report = (*opened)->verify();
    if (!report) return tl::unexpected<Error>(report.error());
    if (!report->faults.empty())
        return fail(
            ErrorKind::Unreadable,
            phrase("This backup is damaged and was not used: ") + report->faults.front() + ".",
            backup.string(), phrase("another backup."));
    return {};
}

}  // namespace

fs::path backupFolder(const fs::path& book) {
    return book.parent_path() / (book.stem().string() + " backups");
}

Expected<std::vector<BackupFile>> backupsOf(const fs::path& book) {
    std::vector<BackupFile> out;
    const fs::path folder = backupFolder(book);
    std::error_code ec;
    if (!fs::exists(folder, ec)) return out;
    fs::directory_iterator it(folder, ec);
    if (ec)
        return fail(ErrorKind::Unreadable,
                    phrase("The folder of the backups cannot be read: ") + ec.message() + ".",
                    folder.string(), "");
    for (const fs::directory_entry& entry : it)
        if (const auto at = stampOf(entry.path(), book.stem().string()))
            out.push_back({entry.path(), *at, entry.file_size(ec)});
    std::ranges::sort(out, std::greater{}, &BackupFile::at_s);
    return out;
}

Expected<fs::path> backupNow(BenchBook& book, double now_s, const BackupPlan& plan) {
    if (auto made = makeFolder(backupFolder(book.path())); !made)
        return tl::unexpected<Error>(made.error());
    const fs::path target = nameFor(book.path(), book.path().stem().string(), now_s);
    std::error_code space;
    const auto room = fs::space(target.parent_path(), space);
    if (!space && room.available < fs::file_size(book.path(), space) && !space)
        return fail(
            ErrorKind::Storage,
            phrase("There is no room for a backup: the disk has {} MB left.", room.available >> 20),
            target.parent_path().string(), phrase("a disk with as much room as the book takes."));
    if (auto done = book.backup(target); !done) return tl::unexpected<Error>(done.error());
    const auto all = backupsOf(book.path());
    std::error_code ec;
    if (all)
        for (std::uintmax_t k = 0, taken = 0; const BackupFile& file : *all) {
            taken += file.bytes;
            if (k++ > 0 && (k > plan.keep || taken > plan.room_bytes)) fs::remove(file.path, ec);
        }
    return target;
}

Expected<void> keepBeforeMigration(const fs::path& book, int schema) {
    if (auto made = makeFolder(backupFolder(book)); !made) return made;
    const double now_s =
        std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
    const fs::path target =
        nameFor(book, book.stem().string() + fmt::format(" before schema {}", schema + 1), now_s);
    std::error_code ec;
    if (fs::exists(target, ec)) return {};  // somebody else, a moment ago
    return guarded(book.string(), phrase("The book could not be copied before it is brought up"),
                   [&]() -> Expected<void> {
                       const fs::path part = target.string() + ".part";
                       fs::remove(part, ec);
                       const auto db = connect(book, Access::Read);
                       execVacuum(*db, "VACUUM INTO ?", part.string());
                       fs::rename(part, target, ec);
                       if (ec) throw std::runtime_error(ec.message());
                       return {};
                   });
}

Expected<std::optional<fs::path>> backupWhenDue(BenchBook& book, double now_s,
                                                const BackupPlan& plan) {
    const auto all = backupsOf(book.path());
    if (!all) return tl::unexpected<Error>(all.error());
    if (!all->empty()) {
        std::error_code ec;
        const bool recent = now_s - all->front().at_s < plan.every_s;
        const bool unchanged =
            lastWritten(book.path()) <= fs::last_write_time(all->front().path, ec);
        if (recent || unchanged) return std::nullopt;
    }
    auto made = backupNow(book, now_s, plan);
    if (!made) return tl::unexpected<Error>(made.error());
    return std::optional<fs::path>(std::move(*made));
}

Expected<fs::path> restoreBackup(const fs::path& book, const fs::path& backup, double now_s) {
    if (auto ok = usable(backup); !ok) return tl::unexpected<Error>(ok.error());
    if (auto made = makeFolder(backupFolder(book)); !made)
        return tl::unexpected<Error>(made.error());
    const fs::path kept = nameFor(book, book.stem().string() + " before restore", now_s);
    auto opened = BenchBook::open(book, false);
    if (opened) {
        // A damaged book cannot be copied page by page; its file is kept as it is then.
        if (const auto saved = (*opened)->backup(kept); !saved) {
            std::error_code ec;
            fs::copy_file(book, kept, ec);
            if (ec)
                return fail(ErrorKind::Storage,
                            phrase("The present book could not be kept: ") + ec.message() +
                                phrase(". Nothing was changed."),
                            kept.string(), "");
        }
        return guarded(book.string(), phrase("The backup could not be restored"),
                       [&]() -> Expected<fs::path> {
                           copyInto(**opened, backup);
                           return kept;
                       });
    }
    std::error_code ec;
    if (fs::exists(book, ec)) fs::rename(book, kept, ec);
    if (!ec) {
        for (const char* part : {"-wal", "-shm"}) {
            std::error_code none;
            fs::rename(book.string() + part, kept.string() + part, none);
        }
        fs::copy_file(backup, book, ec);
    }
    if (ec)
        return fail(ErrorKind::Storage,
                    phrase("The backup could not be put in place: ") + ec.message() + ".",
                    book.string(), phrase("the book as it was lies in ") + kept.string() + ".");
    return kept;
}

}  // namespace nk
