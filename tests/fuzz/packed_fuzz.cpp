// Arbitrary bytes into the packed reader: an error or a table, never a crash, a hang or unbounded
// memory.
#include <cstddef>
#include <cstdint>
#include <string_view>

#include "formats/packed.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string_view bytes(reinterpret_cast<const char*>(data), size);
    (void)nk::unpackGzip(bytes, "fuzz.gz");
    (void)nk::unpackZstd(bytes, "fuzz.zst");
    return 0;
}
