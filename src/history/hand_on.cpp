#include "hand_on.h"

#include "quantity/phrase.h"
#include "refresh.h"

namespace nk {

Expected<MergeReport> handOnBattery(BenchBook& book, std::int64_t batteryId,
                                    const std::filesystem::path& target, std::stop_token stop) {
    namespace fs = std::filesystem;
    std::error_code ec;
    if (fs::exists(target, ec))
        return fail(ErrorKind::InvalidArgument,
                    phrase("There is a file of this name already; it was not changed."),
                    target.string(), phrase("a new file name."));
    Expected<MergeReport> done = fail(ErrorKind::Storage, "");
    {
        auto made = BenchBook::open(target, true);
        if (!made) return tl::unexpected<Error>(made.error());
        done = (*made)->takeIn(book, batteryId, stop);
        if (done)
            if (auto plain = (*made)->forgetJournal(); !plain)
                done = tl::unexpected<Error>(plain.error());
    }
    if (done) {
        // Whoever gets it sees its numbers at once.
        (void)refreshBook(target, stop);
        return done;
    }
    for (const char* ending : {"", "-wal", "-shm"}) fs::remove(target.string() + ending, ec);
    return done;
}

}  // namespace nk
