// Text from elsewhere (names of files, columns, batteries) on its way to a terminal or a window:
// shown as what it is, never obeyed.
#pragma once

#include <string>
#include <string_view>

namespace nk {

/// The text in UTF-8 with control characters, direction marks, line separators and broken bytes
/// shown as U+FFFD, and no longer than `most` characters (an ellipsis stands for the rest; 0: any
/// length). Line ends and tabs become blanks unless `lines` is set.
std::string harmless(std::string_view text, std::size_t most = 200, bool lines = false);

/// Whether the text is printable ASCII and line ends alone: harmless as it stands.
bool plainAscii(std::string_view text);

/// Whether every character is whole and of a kind that UTF-8 allows (RFC 3629).
bool validUtf8(std::string_view text);

/// JSON text with the same characters written as \u escapes: the same values, harmless on a
/// terminal.
std::string harmlessJson(std::string_view json);

/// Length of the beginning that stands for itself in a JSON string: printable ASCII but quotation
/// mark and backslash.
std::size_t plainInJson(std::string_view text);

/// The text as a JSON string with its quotation marks, the same characters escaped, broken bytes as
/// U+FFFD: appended to `out`.
void appendJsonString(std::string& out, std::string_view text);

}  // namespace nk
