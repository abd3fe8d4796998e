#include "bytes.h"

#include "quantity/phrase.h"

#include <sys/mman.h>

#include <algorithm>
#include <cerrno>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <memory>
#include <vector>

namespace nk {

namespace fs = std::filesystem;

Expected<std::uintmax_t> checkFile(const fs::path& path) {
    const std::string where = path.string();
    const char* accepted = "a text table of a logger (CSV, TSV, TXT).";
    std::error_code ec;
    const fs::file_status status = fs::status(path, ec);
    if (!fs::exists(status))
        return fail(ErrorKind::NotFound, phrase("There is no such file."), where,
                    phrase("the path of a log file."));
    if (fs::is_directory(status))
        return fail(ErrorKind::Unreadable, phrase("This is a folder, not a file."), where,
                    accepted);
    if (!fs::is_regular_file(status))
        return fail(ErrorKind::Unreadable, phrase("This is a device or pipe, not a regular file."),
                    where, accepted);
    const std::uintmax_t size = fs::file_size(path, ec);
    if (ec) return fail(ErrorKind::Unreadable, phrase("The file's size cannot be read."), where);
    if (size == 0)
        return fail(ErrorKind::NotATable, phrase("The file is empty (0 bytes)."), where, accepted);
    if (size > kLargestFile)
        return fail(ErrorKind::Unsupported, phrase("The file is larger than 4 GiB."), where,
                    phrase("a file of at most 4 GiB; split the log."));
    return size;
}

Expected<std::string> readFile(const fs::path& path, const std::stop_token& stop) {
    const auto size = checkFile(path);
    if (!size) return tl::unexpected<Error>(size.error());
    const std::string where = path.string();
    const std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(where.c_str(), "rb"),
                                                               &std::fclose);
    if (!file)
        return fail(ErrorKind::Unreadable,
                    std::string(phrase("The file cannot be opened: ")) + std::strerror(errno) + ".",
                    where, phrase("a file you have permission to read."));
    std::string bytes;
    bytes.reserve(static_cast<std::size_t>(*size));
    adviseLargePages(bytes.data(), bytes.capacity());
    // By blocks: the big string is touched once, not cleared first. A file that shrank meanwhile is
    // read as far as it goes, and one that grew no further than it was.
    std::vector<char> block(std::size_t{1} << 20);
    while (bytes.size() < *size) {
        if (stop.stop_requested())
            return fail(ErrorKind::Cancelled,
                        phrase("The import was cancelled; nothing was changed."), where);
        const std::size_t want = std::min<std::size_t>(block.size(), *size - bytes.size());
        const std::size_t got = std::fread(block.data(), 1, want, file.get());
        bytes.append(block.data(), got);
        if (got < want) break;
    }
    if (std::ferror(file.get()))
        return fail(ErrorKind::Unreadable, phrase("Reading stopped with an error of the disk."),
                    where);
    if (bytes.empty())
        return fail(ErrorKind::NotATable, phrase("The file is empty."), where,
                    phrase("a text table of a logger (CSV, TSV, TXT)."));
    return bytes;
}

void adviseLargePages(void* block, std::size_t bytes) {
    constexpr std::size_t kLarge = std::size_t{2} << 20;
    if (bytes < 4 * kLarge) return;
    const auto address = reinterpret_cast<std::uintptr_t>(block);
    const std::size_t skipped = (kLarge - address % kLarge) % kLarge;
    const std::size_t whole = (bytes - skipped) / kLarge * kLarge;
    (void)::madvise(static_cast<char*>(block) + skipped, whole, MADV_HUGEPAGE);
}

namespace {

void appendUtf8(std::string& out, std::uint32_t code) {
    const auto put = [&out](std::uint32_t byte) { out.push_back(static_cast<char>(byte)); };
    if (code < 0x80) {
        put(code);
    } else if (code < 0x800) {
        put(0xC0 | (code >> 6));
        put(0x80 | (code & 0x3F));
    } else if (code < 0x10000) {
        put(0xE0 | (code >> 12));
        put(0x80 | ((code >> 6) & 0x3F));
        put(0x80 | (code & 0x3F));
    } else {
        put(0xF0 | (code >> 18));
        put(0x80 | ((code >> 12) & 0x3F));
        put(0x80 | ((code >> 6) & 0x3F));
        put(0x80 | (code & 0x3F));
    }
}

std::string fromUtf16(std::string_view bytes, bool bigEndian) {
    std::string out;
    out.reserve(bytes.size() / 2 + 16);
    const auto unit = [&](std::size_t at) -> std::uint32_t {
        const auto a = static_cast<unsigned char>(bytes[at]);
        const auto b = static_cast<unsigned char>(bytes[at + 1]);
        return bigEndian ? static_cast<std::uint32_t>(a << 8 | b)
                         : static_cast<std::uint32_t>(b << 8 | a);
    };
    for (std::size_t at = 0; at + 1 < bytes.size(); at += 2) {
        std::uint32_t code = unit(at);
        if (code >= 0xD800 && code < 0xDC00 && at + 3 < bytes.size()) {
            const std::uint32_t low = unit(at + 2);
            if (low >= 0xDC00 && low < 0xE000) {
                code = 0x10000 + ((code - 0xD800) << 10) + (low - 0xDC00);
                at += 2;
            }
        }
        if (code >= 0xD800 && code < 0xE000) code = 0xFFFD;
        appendUtf8(out, code);
    }
    return out;
}

bool validUtf8(std::string_view text) {
    std::size_t i = 0;
    while (i < text.size()) {
        // Eight plain ASCII bytes at a time.
        std::uint64_t word = 0;
        while (i + sizeof word <= text.size()) {
            std::memcpy(&word, text.data() + i, sizeof word);
            if ((word & 0x8080808080808080ULL) != 0) break;
            i += sizeof word;
        }
        if (i >= text.size()) break;
        const auto c = static_cast<unsigned char>(text[i]);
        if (c < 0x80) {
            ++i;
            continue;
        }
        const std::size_t extra = c >= 0xF0 && c < 0xF5   ? 3
                                  : c >= 0xE0 && c < 0xF0 ? 2
                                  : c >= 0xC2 && c < 0xE0 ? 1
                                                          : 0;
        if (extra == 0) return false;
        if (i + extra >= text.size()) return true;  // cut in the middle of the last character
        for (std::size_t k = 1; k <= extra; ++k)
            if ((static_cast<unsigned char>(text[i + k]) & 0xC0) != 0x80) return false;
        i += extra + 1;
    }
    return true;
}

}  // namespace

bool plainUtf8(std::string_view bytes) {
    return bytes.find('\0') == std::string_view::npos && validUtf8(bytes);
}

Expected<void> decodeText(std::string_view bytes, const std::string& where, DecodedText& out) {
    const auto starts = [&](std::string_view mark) { return bytes.substr(0, mark.size()) == mark; };
    const std::string_view head = bytes.substr(0, 4096);
    std::size_t zerosEven = 0;
    std::size_t zerosOdd = 0;
    for (std::size_t i = 0; i < head.size(); ++i)
        if (head[i] == '\0') ++(i % 2 == 0 ? zerosEven : zerosOdd);
    const bool le = starts("\xFF\xFE") || (zerosOdd > head.size() / 4 && zerosEven == 0);
    const bool be = starts("\xFE\xFF") || (zerosEven > head.size() / 4 && zerosOdd == 0);
    if (le || be) {
        const bool mark = starts("\xFF\xFE") || starts("\xFE\xFF");
        out.converted = fromUtf16(mark ? bytes.substr(2) : bytes, be && !le);
        out.text = out.converted;
        out.encoding = le ? "utf-16le" : "utf-16be";
        return {};
    }
    if (zerosEven + zerosOdd > 0 || bytes.find('\0') != std::string_view::npos)
        return fail(ErrorKind::NotATable, phrase("The file holds binary data, not text."), where,
                    phrase("a text table of a logger (CSV, TSV, TXT); export the log as text."));
    if (starts("\xEF\xBB\xBF")) {
        out.text = bytes.substr(3);
        out.encoding = "utf-8-bom";
        return {};
    }
    if (validUtf8(bytes)) {
        out.text = bytes;
        out.encoding = "utf-8";
        return {};
    }
    out.converted.reserve(bytes.size() + bytes.size() / 16);
    for (const char c : bytes) appendUtf8(out.converted, static_cast<unsigned char>(c));
    out.text = out.converted;
    out.encoding = "latin-1";
    return {};
}

}  // namespace nk
