#include "harmless.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>

namespace nk {

namespace {

/// One character in UTF-8 from the front: its code and length; code 0xFFFD for a broken one.
struct Character {
    std::uint32_t code = 0xFFFD;
    std::size_t length = 1;
};

Character firstOf(std::string_view text) {
    const auto byte = [&](std::size_t k) { return static_cast<unsigned char>(text[k]); };
    const unsigned char head = byte(0);
    if (head < 0x80) return {head, 1};
    const std::size_t length = head >= 0xF0 ? 4 : head >= 0xE0 ? 3 : 2;
    if (head < 0xC2 || head > 0xF4 || text.size() < length) return {};
    std::uint32_t code = head & (0xFFU >> (length + 1));
    for (std::size_t k = 1; k < length; ++k) {
        if ((byte(k) & 0xC0) != 0x80) return {};
        code = code << 6 | (byte(k) & 0x3FU);
    }
    const bool tooShort = (length == 3 && code < 0x800) || (length == 4 && code < 0x10000);
    if (tooShort || code > 0x10FFFF || (code >= 0xD800 && code < 0xE000)) return {};
    return {code, length};
}

/// Characters that would act on a terminal or on the order of the text around them (Unicode 15,
/// categories Cc, Zl, Zp and the direction marks of UAX #9).
bool acts(std::uint32_t code) {
    return code < 0x20 || (code >= 0x7F && code < 0xA0) || code == 0x061C ||
           (code >= 0x200B && code <= 0x200F) || (code >= 0x2028 && code <= 0x202E) ||
           (code >= 0x2060 && code <= 0x206F) || code == 0xFEFF || code == 0xFFFD ||
           (code >= 0xFFF9 && code <= 0xFFFB) || (code >= 0xE0000 && code <= 0xE0FFF);
}

}  // namespace

std::string harmless(std::string_view text, std::size_t most, bool lines) {
    std::string out;
    std::size_t count = 0;
    while (!text.empty()) {
        if (most > 0 && count == most) return out + "…";
        const Character c = firstOf(text);
        if (c.code == '\n' || c.code == '\t' || c.code == '\r')
            out.push_back(lines && c.code != '\r' ? static_cast<char>(c.code) : ' ');
        else if (acts(c.code))
            out += "\xEF\xBF\xBD";
        else
            out.append(text.substr(0, c.length));
        text.remove_prefix(c.length);
        ++count;
    }
    return out;
}

bool plainAscii(std::string_view text) {
    bool plain = true;
    for (std::size_t k = 0; k < text.size();) {
        // A stretch at a time, without a branch in it.
        const std::size_t end = std::min(text.size(), k + 1024);
        unsigned odd = 0;
        for (; k < end; ++k) {
            const auto c = static_cast<unsigned char>(text[k]);
            odd |= static_cast<unsigned>(c >= 0x7F) |
                   (static_cast<unsigned>(c < 0x20) & static_cast<unsigned>(c != '\n'));
        }
        plain = odd == 0;
        if (!plain) break;
    }
    return plain;
}

bool validUtf8(std::string_view text) {
    while (!text.empty()) {
        const Character c = firstOf(text);
        // U+FFFD itself, written out, takes three bytes.
        if (c.code == 0xFFFD && c.length == 1) return false;
        text.remove_prefix(c.length);
    }
    return true;
}

namespace {

void appendEscape(std::string& out, std::uint32_t code) {
    if (code < 0x10000)
        out += fmt::format("\\u{:04x}", code);
    else
        out += fmt::format("\\u{:04x}\\u{:04x}", 0xD7C0 + (code >> 10), 0xDC00 + (code & 0x3FF));
}

/// Bytes that stand for themselves in a JSON string.
constexpr std::array<bool, 256> kPlainInJson = [] {
    std::array<bool, 256> plain{};
    for (std::size_t c = 0x20; c < 0x7F; ++c) plain[c] = c != '"' && c != '\\';
    return plain;
}();

}  // namespace

std::size_t plainInJson(std::string_view text) {
    constexpr std::uint64_t kEach = 0x0101010101010101ULL;
    constexpr std::uint64_t kHigh = 0x8080808080808080ULL;
    std::size_t k = 0;
    // Eight bytes at a time: the high bit of a byte is set where it is none of these.
    for (; k + 8 <= text.size(); k += 8) {
        std::uint64_t word = 0;
        std::memcpy(&word, text.data() + k, sizeof word);
        const auto zero = [](std::uint64_t w) { return (w - kEach) & ~w & kHigh; };
        const std::uint64_t low = (word - 0x20 * kEach) & ~word & kHigh;  // under a blank
        const std::uint64_t other = low | (word & kHigh) | zero(word ^ (0x22 * kEach)) |
                                    zero(word ^ (0x5C * kEach)) | zero(word ^ (0x7F * kEach));
        if (other != 0) break;
    }
    while (k < text.size() && kPlainInJson[static_cast<unsigned char>(text[k])]) ++k;
    return k;
}

void appendJsonString(std::string& out, std::string_view text) {
    out.push_back('"');
    while (!text.empty()) {
        const std::size_t plain = plainInJson(text);
        out.append(text.substr(0, plain));
        text.remove_prefix(plain);
        if (text.empty()) break;
        const Character c = firstOf(text);
        switch (c.code) {
            case '"':
            case '\\':
                out.push_back('\\');
                out.push_back(static_cast<char>(c.code));
                break;
            case '\n':
                out += "\\n";
                break;
            case '\r':
                out += "\\r";
                break;
            case '\t':
                out += "\\t";
                break;
            default:
                if (acts(c.code))
                    appendEscape(out, c.code);
                else
                    out.append(text.substr(0, c.length));
        }
        text.remove_prefix(c.length);
    }
    out.push_back('"');
}

std::string harmlessJson(std::string_view json) {
    std::string out;
    out.reserve(json.size());
    while (!json.empty()) {
        // Plain text goes over in one piece.
        std::size_t plain = 0;
        while (plain < json.size() && static_cast<unsigned char>(json[plain]) < 0x7F) ++plain;
        out.append(json.substr(0, plain));
        json.remove_prefix(plain);
        if (json.empty()) break;
        const Character c = firstOf(json);
        if (!acts(c.code))
            out.append(json.substr(0, c.length));
        else
            appendEscape(out, c.code);
        json.remove_prefix(c.length);
    }
    return out;
}

}  // namespace nk
