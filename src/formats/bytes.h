// From a path to text: reading a file's bytes whole, and bringing them to UTF-8.
#pragma once

#include <filesystem>
#include <stop_token>
#include <string>
#include <string_view>

#include "quantity/error.h"

namespace nk {

/// Largest file that is read, bytes. Larger ones are refused with an error, not half read.
inline constexpr std::uintmax_t kLargestFile = std::uintmax_t{4} << 30;

/// The file's bytes. Errors: not there, a folder, a device or pipe, empty, unreadable, too large,
/// cancelled.
Expected<std::string> readFile(const std::filesystem::path& path, const std::stop_token& stop = {});

/// Whether bytes are plain UTF-8 (a last character cut in the middle is allowed) without NUL.
bool plainUtf8(std::string_view bytes);

/// Checks a path without reading it: there, a regular file, not empty, not too large. Returns its
/// size. Errors as readFile.
Expected<std::uintmax_t> checkFile(const std::filesystem::path& path);

/// Asks the system for large pages behind a big block that is about to be filled: first touch of
/// 320 MB then costs a tenth. A hint; does nothing for small blocks or where there are none.
void adviseLargePages(void* block, std::size_t bytes);

/// Text in UTF-8 without byte order mark, and the name of what it was.
struct DecodedText {
    std::string converted;  ///< holds the text when bytes had to be changed, else empty
    std::string_view text;  ///< view into the given bytes or into `converted`
    std::string encoding;   ///< utf-8, utf-8-bom, utf-16le, utf-16be, latin-1
};

/// Decodes bytes: byte order marks, UTF-16 without one, invalid UTF-8 as Latin-1. Refuses binary
/// data (NUL bytes that are no UTF-16). The view may point into `bytes`: keep them alive. The
/// result is not to be copied or moved while the view is used; hold it by unique_ptr if needed.
Expected<void> decodeText(std::string_view bytes, const std::string& where, DecodedText& out);

}  // namespace nk
