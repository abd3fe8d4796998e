// Backups of a bench book, beside it: made when due, the last few kept, and brought back without
// losing what is there now.
#pragma once

#include <filesystem>
#include <optional>
#include <vector>

#include "bench_book.h"

namespace nk {

struct BackupFile {
    std::filesystem::path path;
    double at_s = 0;  ///< when it was made, seconds since 1970 UTC, from its name
    std::uintmax_t bytes = 0;
};

struct BackupPlan {
    double every_s = 86400;
    std::size_t keep = 7;
    /// All backups of a book together take no more, but for the newest, which is kept whatever its
    /// size.
    std::uintmax_t room_bytes = std::uintmax_t{4} << 30;
};

/// "<book> backups", in the folder of the book.
std::filesystem::path backupFolder(const std::filesystem::path& book);

/// The backups of a book, newest first; files of other names in the folder are not listed.
Expected<std::vector<BackupFile>> backupsOf(const std::filesystem::path& book);

/// Makes a backup when the newest is older than the plan says and the book was written since;
/// then removes the oldest beyond those to keep. Returns its path, or nothing when none was due.
Expected<std::optional<std::filesystem::path>> backupWhenDue(BenchBook& book, double now_s,
                                                             const BackupPlan& plan = {});
/// A copy of a book before its schema is changed: "<book> before schema N <time>.nkbook" among the
/// backups; it stays until somebody removes it.
Expected<void> keepBeforeMigration(const std::filesystem::path& book, int schema);
/// The same at once, due or not.
Expected<std::filesystem::path> backupNow(BenchBook& book, double now_s,
                                          const BackupPlan& plan = {});

/// Puts a backup in the place of the book, in one transaction; other windows on the book go on.
/// Before that the backup is verified and the book as it is now is kept in the backup folder
/// (returned). A book that can no longer be opened is moved there as it is.
Expected<std::filesystem::path> restoreBackup(const std::filesystem::path& book,
                                              const std::filesystem::path& backup, double now_s);

}  // namespace nk
