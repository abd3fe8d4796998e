#include "packed.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>
#include <zlib.h>
#include <zstd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>

#include "bytes.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr std::size_t kBlock = std::size_t{1} << 20;
constexpr std::size_t kInMemory = std::size_t{64} << 20;

tl::unexpected<Error> damaged(const std::string& name, const char* kind) {
    return fail(ErrorKind::Unreadable,
                phrase("The {} file is damaged or cut off; nothing was changed.", kind), name,
                phrase("a whole packed log."));
}

/// Where the unpacked bytes go.
class Sink {
  public:
    Sink(const std::string& name, std::size_t packed, const std::stop_token& stop, std::size_t most)
        : name_(name), packed_(packed), stop_(stop), most_(most) {}
    Sink(const Sink&) = delete;
    Sink& operator=(const Sink&) = delete;
    ~Sink() {
        if (file_ >= 0) ::close(file_);
    }

    /// An error, true when more is wanted, false when it is enough.
    Expected<bool> add(std::string_view part) {
        if (stop_.stop_requested())
            return fail(ErrorKind::Cancelled,
                        phrase("The import was cancelled; nothing was changed."), name_);
        size_ += part.size();
        if (size_ > kLargestUnpacked || (size_ > kInMemory && size_ / kLargestGrowth > packed_))
            return fail(
                ErrorKind::Unsupported,
                phrase(
                    "Unpacked, this file grows beyond what a log does; it was not read further."),
                name_,
                phrase("a packed log of at most 4 GiB that grows at most {} times.",
                       kLargestGrowth));
        if (file_ < 0) memory_.append(part);
        if (most_ > 0 && size_ >= most_) return false;
        if (file_ < 0 && size_ > kInMemory) {
            // Only text is worth so much room.
            if (!plainUtf8(std::string_view(memory_).substr(0, kBlock)))
                return fail(
                    ErrorKind::NotATable, phrase("The file holds binary data, not text."), name_,
                    phrase("a text table of a logger (CSV, TSV, TXT); export the log as text."));
            if (!openFile() || !write(memory_)) return noRoom();
            memory_ = {};
        } else if (file_ >= 0 && !write(part)) {
            return noRoom();
        }
        return true;
    }

    Unpacked finish() {
        Unpacked out;
        if (file_ < 0) {
            out.memory = std::move(memory_);
        } else {
            out.file = std::make_unique<FileText>(FileText::take(file_, size_));
            file_ = -1;
        }
        return out;
    }

  private:
    bool openFile() {
        const std::string folder = std::filesystem::temp_directory_path().string();
        file_ = ::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
        if (file_ >= 0) return true;
        std::string path = folder + "/narrow-knee-XXXXXX";
        file_ = ::mkostemp(path.data(), O_CLOEXEC);
        if (file_ >= 0) ::unlink(path.c_str());
        return file_ >= 0;
    }
    bool write(std::string_view bytes) {
        while (!bytes.empty()) {
            const ssize_t n = ::write(file_, bytes.data(), bytes.size());
            if (n < 0 && errno == EINTR) continue;
            if (n <= 0) return false;
            bytes.remove_prefix(static_cast<std::size_t>(n));
        }
        return true;
    }
    tl::unexpected<Error> noRoom() const {
        return fail(ErrorKind::Storage,
                    phrase("There is no room for a temporary copy of the file."), name_,
                    phrase("some free space in the temporary folder."));
    }

    const std::string& name_;
    std::size_t packed_;
    const std::stop_token& stop_;
    std::size_t most_;
    std::size_t size_ = 0;
    std::string memory_;
    int file_ = -1;
};

}  // namespace

Expected<Unpacked> unpackGzip(std::string_view bytes, const std::string& name,
                              const std::stop_token& stop, std::size_t most) {
    z_stream z{};
    if (inflateInit2(&z, 15 + 32) != Z_OK) return damaged(name, "gzip");
    const std::unique_ptr<z_stream, int (*)(z_stream*)> guard(&z, inflateEnd);
    Sink sink(name, bytes.size(), stop, most);
    std::string block(kBlock, '\0');
    std::size_t fed = 0;
    int status = Z_OK;
    while (true) {
        if (z.avail_in == 0 && fed < bytes.size()) {
            const std::size_t part = std::min(bytes.size() - fed, std::size_t{1} << 30);
            // zlib's interface is not const-correct; it only reads.
            z.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(bytes.data() + fed));
            z.avail_in = static_cast<uInt>(part);
            fed += part;
        }
        if (status == Z_STREAM_END) {
            // Several members one after the other, as log rotation writes them; else padding or
            // rubbish.
            if (z.avail_in < 2 || z.next_in[0] != 0x1F || z.next_in[1] != 0x8B) break;
            if (inflateReset(&z) != Z_OK) return damaged(name, "gzip");
        }
        z.next_out = reinterpret_cast<Bytef*>(block.data());
        z.avail_out = static_cast<uInt>(block.size());
        status = inflate(&z, Z_NO_FLUSH);
        const bool starved = status == Z_BUF_ERROR || (status == Z_OK && z.avail_out > 0);
        if (status != Z_OK && status != Z_STREAM_END && status != Z_BUF_ERROR)
            return damaged(name, "gzip");
        const auto more = sink.add(std::string_view(block).substr(0, block.size() - z.avail_out));
        if (!more) return tl::unexpected<Error>(more.error());
        if (!*more) break;
        if (starved && z.avail_in == 0 && fed >= bytes.size()) return damaged(name, "gzip");
    }
    return sink.finish();
}

Expected<Unpacked> unpackZstd(std::string_view bytes, const std::string& name,
                              const std::stop_token& stop, std::size_t most) {
    const std::unique_ptr<ZSTD_DCtx, std::size_t (*)(ZSTD_DCtx*)> context(ZSTD_createDCtx(),
                                                                          ZSTD_freeDCtx);
    if (!context) return damaged(name, "zstd");
    // A frame may ask for a window of gigabytes; 128 MiB is what the command line tool takes.
    ZSTD_DCtx_setParameter(context.get(), ZSTD_d_windowLogMax, 27);
    Sink sink(name, bytes.size(), stop, most);
    std::string block(kBlock, '\0');
    ZSTD_inBuffer in{bytes.data(), bytes.size(), 0};
    std::size_t left = 1;
    while (in.pos < in.size || left != 0) {
        ZSTD_outBuffer part{block.data(), block.size(), 0};
        left = ZSTD_decompressStream(context.get(), &part, &in);
        if (ZSTD_isError(left) != 0) return damaged(name, "zstd");
        const auto more = sink.add(std::string_view(block).substr(0, part.pos));
        if (!more) return tl::unexpected<Error>(more.error());
        if (!*more) break;
        if (left != 0 && part.pos == 0 && in.pos == in.size) return damaged(name, "zstd");
    }
    return sink.finish();
}

}  // namespace nk
