// gzip and zstd, with limits that a bomb runs into.
#include <fmt/format.h>
#include <zlib.h>
#include <zstd.h>

#include <algorithm>
#include <memory>

#include "importer.h"

#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr std::size_t kBlock = std::size_t{1} << 20;
constexpr std::size_t kAlwaysAllowed = std::size_t{64} << 20;

tl::unexpected<Error> damaged(const std::string& name, const char* kind) {
    return fail(ErrorKind::Unreadable,
                phrase("The {} file is damaged or cut off; nothing was changed.", kind), name,
                phrase("a whole packed log."));
}

/// An error when the content has grown too much, else nothing.
bool grewTooMuch(std::size_t unpacked, std::size_t packed) {
    return unpacked > kLargestUnpacked ||
           (unpacked > kAlwaysAllowed && unpacked / kLargestGrowth > packed);
}

tl::unexpected<Error> bomb(const std::string& name) {
    return fail(
        ErrorKind::Unsupported,
        phrase("Unpacked, this file grows beyond what a log does; it was not read further."), name,
        phrase("a packed log of at most 4 GiB that grows at most {} times.", kLargestGrowth));
}

}  // namespace

Expected<std::string> unpackGzip(std::string_view bytes, const std::string& name) {
    z_stream z{};
    if (inflateInit2(&z, 15 + 32) != Z_OK) return damaged(name, "gzip");
    const std::unique_ptr<z_stream, int (*)(z_stream*)> guard(&z, inflateEnd);
    std::string out;
    std::string block(kBlock, '\0');
    std::size_t fed = 0;
    int status = Z_OK;
    while (status != Z_STREAM_END || fed < bytes.size()) {
        if (z.avail_in == 0) {
            if (fed >= bytes.size()) return damaged(name, "gzip");
            const std::size_t part = std::min(bytes.size() - fed, std::size_t{1} << 30);
            // zlib's interface is not const-correct; it only reads.
            z.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(bytes.data() + fed));
            z.avail_in = static_cast<uInt>(part);
            fed += part;
        }
        if (status == Z_STREAM_END) {
            // Several members one after the other, as log rotation writes them; else rubbish.
            if (z.avail_in < 2 || z.next_in[0] != 0x1F || z.next_in[1] != 0x8B) break;
            if (inflateReset(&z) != Z_OK) return damaged(name, "gzip");
        }
        z.next_out = reinterpret_cast<Bytef*>(block.data());
        z.avail_out = static_cast<uInt>(block.size());
        status = inflate(&z, Z_NO_FLUSH);
        if (status != Z_OK && status != Z_STREAM_END && status != Z_BUF_ERROR)
            return damaged(name, "gzip");
        out.append(block.data(), block.size() - z.avail_out);
        if (grewTooMuch(out.size(), bytes.size())) return bomb(name);
        if (status == Z_STREAM_END && z.avail_in == 0 && fed >= bytes.size()) break;
    }
    return out;
}

Expected<std::string> unpackZstd(std::string_view bytes, const std::string& name) {
    const std::unique_ptr<ZSTD_DCtx, std::size_t (*)(ZSTD_DCtx*)> context(ZSTD_createDCtx(),
                                                                          ZSTD_freeDCtx);
    if (!context) return damaged(name, "zstd");
    // A frame may ask for a window of gigabytes; 128 MiB is what the command line tool takes.
    ZSTD_DCtx_setParameter(context.get(), ZSTD_d_windowLogMax, 27);
    std::string out;
    std::string block(kBlock, '\0');
    ZSTD_inBuffer in{bytes.data(), bytes.size(), 0};
    std::size_t left = 1;
    while (in.pos < in.size) {
        ZSTD_outBuffer part{block.data(), block.size(), 0};
        left = ZSTD_decompressStream(context.get(), &part, &in);
        if (ZSTD_isError(left) != 0) return damaged(name, "zstd");
        out.append(block.data(), part.pos);
        if (grewTooMuch(out.size(), bytes.size())) return bomb(name);
    }
    // Flush what the last block holds back.
    while (left != 0) {
        ZSTD_outBuffer part{block.data(), block.size(), 0};
        left = ZSTD_decompressStream(context.get(), &part, &in);
        if (ZSTD_isError(left) != 0) return damaged(name, "zstd");
        out.append(block.data(), part.pos);
        if (part.pos == 0 && left != 0) return damaged(name, "zstd");
        if (grewTooMuch(out.size(), bytes.size())) return bomb(name);
    }
    return out;
}

}  // namespace nk
