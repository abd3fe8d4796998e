#include "text_source.h"

#include "quantity/phrase.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

namespace nk {

Expected<FileText> FileText::open(const std::filesystem::path& path) {
    const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    struct stat info {};
    if (file < 0 || ::fstat(file, &info) != 0) {
        const std::string reason = std::strerror(errno);
        if (file >= 0) ::close(file);
        return fail(ErrorKind::Unreadable, phrase("The file cannot be opened: ") + reason + ".",
                    path.string(), phrase("a file you have permission to read."));
    }
    return FileText(file, static_cast<std::size_t>(info.st_size));
}

FileText::FileText(FileText&& other) noexcept
    : file_(other.file_), size_(other.size_), failed_(other.failed_.load()) {
    other.file_ = -1;
}

FileText::~FileText() {
    if (file_ >= 0) ::close(file_);
}

std::string_view FileText::bytes(std::size_t from, std::size_t to, std::string& buffer) const {
    const std::size_t count = to - from;
    if (buffer.size() < count) buffer.resize(count);
    std::size_t got = 0;
    while (got < count) {
        const ssize_t n =
            ::pread(file_, buffer.data() + got, count - got, static_cast<off_t>(from + got));
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) {
            failed_ = true;
            return {};
        }
        got += static_cast<std::size_t>(n);
    }
    return std::string_view(buffer).substr(0, count);
}

std::size_t lineStartAfter(const TextSource& source, std::size_t from) {
    std::string buffer;
    constexpr std::size_t kStep = std::size_t{64} << 10;
    for (std::size_t at = from; at < source.size(); at += kStep) {
        const std::size_t to = std::min(source.size(), at + kStep);
        const std::string_view part = source.bytes(at, to, buffer);
        const std::size_t newline = part.find('\n');
        if (newline != std::string_view::npos) return at + newline + 1;
        if (part.empty()) break;
    }
    return source.size();
}

}  // namespace nk
