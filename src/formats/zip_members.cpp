#include "zip_members.h"

#include <zlib.h>

#include <memory>

namespace nk {

namespace {

std::uint32_t number(std::string_view bytes, std::size_t at, std::size_t width) {
    std::uint32_t value = 0;
    for (std::size_t k = 0; k < width; ++k)
        value |= static_cast<std::uint32_t>(static_cast<unsigned char>(bytes[at + k])) << (8 * k);
    return value;
}

void put(std::string& out, std::uint32_t value, std::size_t width) {
    for (std::size_t k = 0; k < width; ++k)
        out.push_back(k < sizeof value ? static_cast<char>(value >> (8 * k) & 0xFF) : '\0');
}

/// What local header and directory entry have in common, from "version needed" on.
void putCommon(std::string& out, const ZipMember& m) {
    put(out, 20, 2);
    put(out, 0, 2);
    put(out, m.method, 2);
    put(out, 0, 4);
    put(out, m.crc, 4);
    put(out, m.packed, 4);
    put(out, m.size, 4);
    put(out, static_cast<std::uint32_t>(m.name.size()), 2);
    put(out, 0, 2);
}

}  // namespace

std::optional<std::vector<ZipMember>> zipMembers(std::string_view zip) {
    const std::size_t end = zip.rfind("PK\x05\x06");
    if (end == std::string_view::npos || end + 22 > zip.size()) return std::nullopt;
    std::size_t at = number(zip, end + 16, 4);
    const std::uint32_t count = number(zip, end + 10, 2);
    std::vector<ZipMember> out;
    for (std::uint32_t k = 0; k < count; ++k) {
        if (at + 46 > zip.size() || zip.substr(at, 4) != "PK\x01\x02") return std::nullopt;
        ZipMember m;
        m.method = static_cast<std::uint16_t>(number(zip, at + 10, 2));
        m.crc = number(zip, at + 16, 4);
        m.packed = number(zip, at + 20, 4);
        m.size = number(zip, at + 24, 4);
        const std::size_t name = number(zip, at + 28, 2);
        const std::size_t local = number(zip, at + 42, 4);
        if (at + 46 + name > zip.size()) return std::nullopt;
        m.name = std::string(zip.substr(at + 46, name));
        at += 46 + name + number(zip, at + 30, 2) + number(zip, at + 32, 2);
        if (local + 30 > zip.size()) return std::nullopt;
        const std::size_t data =
            local + 30 + number(zip, local + 26, 2) + number(zip, local + 28, 2);
        if (data + m.packed > zip.size()) return std::nullopt;
        m.data = zip.substr(data, m.packed);
        out.push_back(std::move(m));
    }
    return out;
}

std::optional<std::string> zipContent(const ZipMember& m, std::size_t limit) {
    if (m.size > limit) return std::nullopt;
    if (m.method == 0) return std::string(m.data);
    if (m.method != 8) return std::nullopt;
    z_stream z{};
    if (inflateInit2(&z, -15) != Z_OK) return std::nullopt;
    const std::unique_ptr<z_stream, int (*)(z_stream*)> guard(&z, inflateEnd);
    std::string out(m.size, '\0');
    // zlib's interface is not const-correct; it only reads.
    z.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(m.data.data()));
    z.avail_in = static_cast<uInt>(m.data.size());
    z.next_out = reinterpret_cast<Bytef*>(out.data());
    z.avail_out = static_cast<uInt>(out.size());
    if (inflate(&z, Z_FINISH) != Z_STREAM_END || z.avail_out != 0) return std::nullopt;
    return out;
}

std::string zipWith(const std::vector<ZipMember>& given, const std::string& name,
                    const std::string& content) {
    std::vector<ZipMember> members = given;
    bool there = false;
    for (const ZipMember& m : members) there |= m.name == name;
    if (!there) {
        members.emplace_back();
        members.back().name = name;
    }
    std::string out;
    std::string directory;
    for (ZipMember m : members) {
        if (m.name == name) {
            m.method = 0;
            m.data = content;
            m.size = m.packed = static_cast<std::uint32_t>(content.size());
            m.crc =
                static_cast<std::uint32_t>(crc32(0, reinterpret_cast<const Bytef*>(content.data()),
                                                 static_cast<uInt>(content.size())));
        }
        const auto local = static_cast<std::uint32_t>(out.size());
        out += "PK\x03\x04";
        putCommon(out, m);
        out += m.name;
        out += m.data;
        directory += "PK\x01\x02";
        put(directory, 20, 2);
        putCommon(directory, m);
        put(directory, 0, 2 + 2 + 2 + 4);
        put(directory, local, 4);
        directory += m.name;
    }
    const auto start = static_cast<std::uint32_t>(out.size());
    out += directory;
    out += "PK\x05\x06";
    put(out, 0, 4);
    put(out, static_cast<std::uint32_t>(members.size()), 2);
    put(out, static_cast<std::uint32_t>(members.size()), 2);
    put(out, static_cast<std::uint32_t>(directory.size()), 4);
    put(out, start, 4);
    put(out, 0, 2);
    return out;
}

}  // namespace nk
