#include "mat_check.h"

#include <zlib.h>

#include <cstdint>
#include <memory>
#include <string>

namespace nk {

namespace {

constexpr std::size_t kHeader = 128;
constexpr std::size_t kLargestElement = std::size_t{512} << 20;
constexpr std::size_t kLargestContent = std::size_t{1} << 30;
constexpr std::uint32_t kMatrix = 14, kCompressed = 15, kInt32 = 5;

class Walk {
  public:
    explicit Walk(bool bigEndian) : big_(bigEndian) {}

    bool elements(std::string_view part, int depth) const {
        std::size_t at = 0;
        while (at + 8 <= part.size()) {
            const std::uint32_t first = number(part, at);
            if (first >> 16 != 0) {  // a small element: type and size share a word
                if ((first >> 16) > 4) return false;
                at += 8;
                continue;
            }
            const std::size_t size = number(part, at + 4);
            if (size > part.size() - at - 8) return false;
            const std::string_view inside = part.substr(at + 8, size);
            if (first == kCompressed) {
                if (depth > 0 || !unpacked(inside)) return false;
                at += 8 + size;  // compressed elements are not padded
                continue;
            }
            if (first == kMatrix && (depth > 8 || !matrix(inside, depth))) return false;
            at += 8 + (size + 7) / 8 * 8;
        }
        return true;
    }

  private:
    std::uint32_t number(std::string_view bytes, std::size_t at) const {
        std::uint32_t value = 0;
        for (std::size_t k = 0; k < 4; ++k)
            value |= static_cast<std::uint32_t>(static_cast<unsigned char>(bytes[at + k]))
                     << (8 * (big_ ? 3 - k : k));
        return value;
    }

    /// Flags, dimensions, name, then the contents: the second element holds the dimensions.
    bool matrix(std::string_view part, int depth) const {
        if (part.empty()) return true;
        if (part.size() < 24) return false;
        const std::uint32_t type = number(part, 16);
        std::size_t count = number(part, 20) / 4;
        std::size_t at = 24;
        if (type >> 16 != 0) count = (type >> 16) / 4, at = 20;
        if ((type & 0xFFFF) != kInt32 || count > 8 || at + 4 * count > part.size()) return false;
        double product = 1;
        for (std::size_t k = 0; k < count; ++k) product *= number(part, at + 4 * k);
        // Each number, character, cell or field takes a byte at least.
        if (product > static_cast<double>(part.size())) return false;
        return elements(part, depth + 1);
    }

    bool unpacked(std::string_view packed) const {
        z_stream z{};
        if (inflateInit(&z) != Z_OK) return false;
        const std::unique_ptr<z_stream, int (*)(z_stream*)> guard(&z, inflateEnd);
        std::string out;
        std::string block(std::size_t{1} << 20, '\0');
        // zlib's interface is not const-correct; it only reads.
        z.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(packed.data()));
        z.avail_in = static_cast<uInt>(packed.size());
        int status = Z_OK;
        while (status != Z_STREAM_END) {
            z.next_out = reinterpret_cast<Bytef*>(block.data());
            z.avail_out = static_cast<uInt>(block.size());
            status = inflate(&z, Z_NO_FLUSH);
            if (status != Z_OK && status != Z_STREAM_END) return false;
            out.append(block.data(), block.size() - z.avail_out);
            total_ += block.size() - z.avail_out;
            if (out.size() > kLargestElement || total_ > kLargestContent) return false;
        }
        return elements(out, 1);
    }

    bool big_;
    mutable std::size_t total_ = 0;  ///< unpacked so far
};

}  // namespace

bool saneMat5(std::string_view bytes) {
    if (bytes.size() < kHeader || bytes.substr(0, 19) != "MATLAB 5.0 MAT-file") return false;
    const bool little = bytes.substr(126, 2) == "IM";
    if (!little && bytes.substr(126, 2) != "MI") return false;
    return Walk(!little).elements(bytes.substr(kHeader), 0);
}

}  // namespace nk
