#include "chunk_codec.h"

#include <zstd.h>

#include <cmath>
#include <cstdint>
#include <cstring>
#include <stdexcept>

#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr int kLevel = 3;
// Layout: 1 byte kind (0 raw doubles, 1 scaled), 1 byte decimal exponent, 4 bytes sample count,
// zstd frame.
constexpr std::size_t kHead = 6;

std::string shuffled(const void* data, std::size_t count, std::size_t width) {
    std::string out(count * width, '\0');
    const auto* in = static_cast<const char*>(data);
    for (std::size_t b = 0; b < width; ++b)
        for (std::size_t i = 0; i < count; ++i) out[b * count + i] = in[i * width + b];
    return out;
}

void unshuffle(const std::string& in, void* data, std::size_t count, std::size_t width) {
    auto* out = static_cast<char*>(data);
    for (std::size_t b = 0; b < width; ++b)
        for (std::size_t i = 0; i < count; ++i) out[i * width + b] = in[b * count + i];
}

constexpr double kPower[] = {1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8};

/// Decimal exponent at which every sample is a whole number and comes back bit for bit, or −1.
int decimalExponent(std::span<const double> samples) {
    for (int e = 0; e <= 8; ++e) {
        bool good = true;
        for (const double x : samples) {
            const double scaled = std::nearbyint(x * kPower[e]);
            const double back = scaled / kPower[e];
            // Bits, not values: a −0 would come back as +0.
            if (!(std::abs(scaled) < 9e15) || (scaled == 0 && std::signbit(x)) ||
                std::memcmp(&back, &x, sizeof x) != 0) {
                good = false;
                break;
            }
        }
        if (good) return e;
    }
    return -1;
}

Error damaged(const char* what) {
    return {ErrorKind::Storage, std::string("A block of stored samples is damaged: ") + what + ".",
            "bench book", ""};
}

}  // namespace

std::string compressBytes(std::string_view bytes) {
    std::string out(ZSTD_compressBound(bytes.size()), '\0');
    const std::size_t size =
        ZSTD_compress(out.data(), out.size(), bytes.data(), bytes.size(), kLevel);
    if (ZSTD_isError(size) != 0) throw std::runtime_error(phrase("packing failed"));
    out.resize(size);
    return out;
}

namespace {

/// `size` is the expected size; a mismatch is an error, so that no damaged frame grows without
/// bound.
Expected<std::string> decompressBytes(std::string_view packed, std::size_t size) {
    std::string out(size, '\0');
    const std::size_t got = ZSTD_decompress(out.data(), size, packed.data(), packed.size());
    if (ZSTD_isError(got) != 0 || got != size)
        return tl::unexpected<Error>(damaged("it does not unpack to its size"));
    return out;
}

}  // namespace

std::string packChunk(std::span<const double> samples) {
    const int exponent = decimalExponent(samples);
    std::string body;
    if (exponent >= 0) {
        std::vector<std::uint64_t> deltas(samples.size());
        std::int64_t previous = 0;
        for (std::size_t i = 0; i < samples.size(); ++i) {
            const auto value =
                static_cast<std::int64_t>(std::nearbyint(samples[i] * kPower[exponent]));
            const std::int64_t delta = value - previous;
            // Zigzag: small sizes of either sign become small numbers.
            const std::uint64_t sign = delta < 0 ? ~std::uint64_t{0} : 0;
            deltas[i] = (static_cast<std::uint64_t>(delta) << 1) ^ sign;
            previous = value;
        }
        body = shuffled(deltas.data(), deltas.size(), 8);
    } else {
        body = shuffled(samples.data(), samples.size(), 8);
    }
    std::string out(kHead, '\0');
    out[0] = exponent >= 0 ? 1 : 0;
    out[1] = static_cast<char>(exponent >= 0 ? exponent : 0);
    const auto count = static_cast<std::uint32_t>(samples.size());
    for (std::size_t b = 0; b < 4; ++b) out[2 + b] = static_cast<char>((count >> (8 * b)) & 0xFF);
    return out + compressBytes(body);
}

Expected<void> unpackChunk(std::string_view packed, std::vector<double>& out) {
    if (packed.size() < kHead) return tl::unexpected<Error>(damaged("it is too short"));
    const int kind = packed[0];
    const int exponent = packed[1];
    std::uint32_t count = 0;
    for (std::size_t b = 0; b < 4; ++b)
        count |= static_cast<std::uint32_t>(static_cast<unsigned char>(packed[2 + b])) << (8 * b);
    if (kind < 0 || kind > 1 || exponent < 0 || exponent > 8 || count > kChunkSamples)
        return tl::unexpected<Error>(damaged("its head is wrong"));
    const auto body = decompressBytes(packed.substr(kHead), std::size_t{count} * 8);
    if (!body) return tl::unexpected<Error>(body.error());
    const std::size_t from = out.size();
    out.resize(from + count);
    if (kind == 0) {
        unshuffle(*body, out.data() + from, count, 8);
        return {};
    }
    std::vector<std::uint64_t> deltas(count);
    unshuffle(*body, deltas.data(), count, 8);
    // Unsigned, so that the sum of a damaged chunk wraps instead of being undefined.
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const std::uint64_t z = deltas[i];
        value += (z >> 1) ^ (~(z & 1) + 1);
        out[from + i] = static_cast<double>(static_cast<std::int64_t>(value)) / kPower[exponent];
    }
    return {};
}

std::string packBlob(std::string_view bytes) {
    std::string out;
    for (int k = 0; k < 8; ++k)
        out.push_back(static_cast<char>(static_cast<std::uint64_t>(bytes.size()) >> (8 * k)));
    return out + compressBytes(bytes);
}

Expected<std::string> unpackBlob(std::string_view packed, std::size_t most) {
    constexpr std::size_t kHead = 8;
    if (packed.size() < kHead) return tl::unexpected<Error>(damaged("its head is wrong"));
    std::uint64_t size = 0;
    for (std::size_t k = 0; k < kHead; ++k)
        size |= std::uint64_t{static_cast<unsigned char>(packed[k])} << (8 * k);
    if (size > most) return tl::unexpected<Error>(damaged("its size is wrong"));
    return decompressBytes(packed.substr(kHead), static_cast<std::size_t>(size));
}

}  // namespace nk
