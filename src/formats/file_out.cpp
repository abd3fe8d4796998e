#include "file_out.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <system_error>
#include <utility>

#include "quantity/phrase.h"

namespace nk {

namespace fs = std::filesystem;

namespace {

tl::unexpected<Error> cannot(const fs::path& path, int problem) {
    const std::string reason =
        problem == ENOSPC ? phrase("the disk is full") : std::generic_category().message(problem);
    return fail(ErrorKind::Storage,
                phrase("The file could not be written: {}. Nothing was changed.", reason),
                path.string(), phrase("a folder you may write to, with room."));
}

tl::unexpected<Error> thereAlready(const fs::path& path) {
    return fail(ErrorKind::InvalidArgument,
                phrase("There is a file of this name already; it was not changed."), path.string(),
                phrase("a new file name, or --force to replace it."));
}

}  // namespace

Expected<FileOut> FileOut::begin(const fs::path& path, bool replace,
                                 const std::vector<fs::path>& kept) {
    static std::atomic<unsigned> count{0};
    std::error_code ec;
    const bool there = fs::exists(fs::symlink_status(path, ec));
    for (const fs::path& k : kept)
        for (const char* ending : {"", "-wal", "-shm", "-journal"}) {
            const fs::path other = k.string() + ending;
            if (fs::equivalent(path, other, ec) ||
                fs::weakly_canonical(path, ec) == fs::weakly_canonical(other, ec))
                return fail(ErrorKind::InvalidArgument,
                            phrase("This is the file that is being read; it was not changed."),
                            path.string(), phrase("another file name."));
        }
    if (fs::is_directory(path, ec))
        return fail(ErrorKind::InvalidArgument, phrase("This is a folder, not a file."),
                    path.string(), phrase("a file name."));
    if (there && !replace) return thereAlready(path);
    if (there && !fs::is_regular_file(path, ec))
        return fail(ErrorKind::InvalidArgument,
                    phrase("This is no regular file; it was not changed."), path.string(),
                    phrase("a new file name."));
    // A link is followed, so that what it points to is replaced and not the link.
    const fs::path real = there ? fs::weakly_canonical(path, ec) : path;
    const fs::path part = real.string() + fmt::format(".part-{}-{}", ::getpid(), count++);
    const int file = ::open(part.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
    if (file < 0) return cannot(path, errno);
    // Who may read the one that is replaced may read the new one, and nobody else.
    struct stat before {};
    if (there && ::stat(real.c_str(), &before) == 0 &&
        ::fchmod(file, before.st_mode & 07777) != 0) {
        const int problem = errno;
        ::close(file);
        ::unlink(part.c_str());
        return cannot(path, problem);
    }
    return FileOut(real, part, file, replace);
}

FileOut::FileOut(FileOut&& other) noexcept
    : path_(std::move(other.path_)),
      part_(std::move(other.part_)),
      file_(std::exchange(other.file_, -1)),
      problem_(other.problem_),
      replace_(other.replace_) {}

FileOut::~FileOut() {
    if (file_ < 0) return;
    ::close(file_);
    ::unlink(part_.c_str());
}

bool FileOut::write(std::string_view bytes) {
    while (!bytes.empty() && problem_ == 0) {
        const ssize_t n = ::write(file_, bytes.data(), bytes.size());
        if (n < 0 && errno == EINTR) continue;
        if (n < 0)
            problem_ = errno;
        else
            bytes.remove_prefix(static_cast<std::size_t>(n));
    }
    return problem_ == 0;
}

Expected<void> FileOut::finish() {
    if (problem_ == 0 && ::fsync(file_) != 0) problem_ = errno;
    if (::close(std::exchange(file_, -1)) != 0 && problem_ == 0) problem_ = errno;
    if (problem_ == 0) {
        const unsigned how = replace_ ? 0 : RENAME_NOREPLACE;
        if (::renameat2(AT_FDCWD, part_.c_str(), AT_FDCWD, path_.c_str(), how) != 0) {
            problem_ = errno;
            // A file system that does not know the call with that wish.
            std::error_code ec;
            if ((problem_ == EINVAL || problem_ == ENOSYS) && (replace_ || !fs::exists(path_, ec)))
                problem_ = std::rename(part_.c_str(), path_.c_str()) == 0 ? 0 : errno;
        }
    }
    if (problem_ == 0) return {};
    ::unlink(part_.c_str());
    if (problem_ == EEXIST) return thereAlready(path_);
    return cannot(path_, problem_);
}

Expected<void> writeFile(const fs::path& path, std::string_view bytes, bool replace,
                         const std::vector<fs::path>& kept) {
    auto file = FileOut::begin(path, replace, kept);
    if (!file) return tl::unexpected<Error>(file.error());
    file->write(bytes);
    return file->finish();
}

}  // namespace nk
