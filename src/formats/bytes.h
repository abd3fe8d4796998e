// From a path to text: reading a file's bytes whole, and bringing them to UTF-8.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "quantity/error.h"

namespace nk {

/// Largest file that is read, bytes. Larger ones are refused with an error, not half read.
inline constexpr std::uintmax_t kLargestFile = std::uintmax_t{4} << 30;

/// The file's bytes. Errors: not there, a folder, a device or pipe, empty, unreadable, too large.
Expected<std::string> readFile(const std::filesystem::path& path);

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
