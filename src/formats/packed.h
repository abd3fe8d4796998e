// gzip and zstd: unpacked in memory while that is small, into a nameless temporary file when it is
// large, so that the memory of a read does not follow from what a packed file says.
#pragma once

#include <memory>
#include <stop_token>
#include <string>
#include <string_view>

#include "quantity/error.h"
#include "text_source.h"

namespace nk {

/// Largest size a packed file may grow to, bytes, and the largest factor it may grow by beyond
/// 64 MiB: what a bomb would pass.
inline constexpr std::size_t kLargestUnpacked = std::size_t{4} << 30;
inline constexpr std::size_t kLargestGrowth = 200;

struct Unpacked {
    std::string memory;              ///< the content, when it is small
    std::unique_ptr<FileText> file;  ///< else where it lies
};

/// Unpacks gzip (all members) or zstd (all frames). `most` > 0: no more than about so much of the
/// beginning. Errors: damaged, cut off, grows beyond the limits, large and no text, no room,
/// cancelled.
Expected<Unpacked> unpackGzip(std::string_view bytes, const std::string& name,
                              const std::stop_token& stop = {}, std::size_t most = 0);
Expected<Unpacked> unpackZstd(std::string_view bytes, const std::string& name,
                              const std::stop_token& stop = {}, std::size_t most = 0);

}  // namespace nk
