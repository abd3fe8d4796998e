// libFuzzer: any bytes into the text reader, and what comes out through the whole analysis.
#include <cstddef>
#include <cstdint>
#include <string_view>

#include "analysis/analysis.h"
#include "formats/text_table.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    nk::ReadOptions options;
    options.threads = 1;
    const auto log =
        nk::readTextTable({reinterpret_cast<const char*>(data), size}, "fuzz", options);
    if (log) {
        nk::Battery battery;
        battery.rated_Ah = size % 2 == 0 ? 2.5 : 0;
        if (size % 3 == 0) battery.chemistry = "nimh";
        (void)nk::analyse(*log->recording, battery);
    }
    return 0;
}
