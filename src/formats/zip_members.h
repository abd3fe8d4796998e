// The little of a zip file that spreadsheets need: its directory, one member's content, and a copy
// with one member replaced. Reading the sheets themselves is the library's work (sheet_text.cpp).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace nk {

struct ZipMember {
    std::string name;
    std::uint16_t method = 0;  ///< 0 stored, 8 deflated
    std::uint32_t crc = 0, packed = 0, size = 0;
    std::string_view data;  ///< packed bytes, a view into the file
};

/// The members by the file's own directory; nothing when it is damaged. Every view lies inside.
std::optional<std::vector<ZipMember>> zipMembers(std::string_view zip);
/// A member's content, at most `limit` bytes; nothing when it is damaged or larger.
std::optional<std::string> zipContent(const ZipMember& member, std::size_t limit);
/// A zip file of these members, with `name` stored as `content`; added when it is not among them.
std::string zipWith(const std::vector<ZipMember>& members, const std::string& name,
                    const std::string& content);

}  // namespace nk
