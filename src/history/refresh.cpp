#include "refresh.h"

#include <atomic>
#include <chrono>
#include <mutex>
#include <thread>

#include "quantity/phrase.h"
#include "study.h"
#include "summary.h"

namespace nk {

namespace {

struct Made {
    std::int64_t id = 0;
    StoredStudy study;
    RecordingSummary summary;
};

/// What several threads share: the list to work off, and results that wait to be stored.
class Work {
  public:
    Work(std::vector<Stale> list, std::stop_token stop, const RefreshProgress& progress)
        : list_(std::move(list)), stop_(std::move(stop)), progress_(progress) {
        report_.stale = list_.size();
    }

    void run(BenchBook& book) {
        std::vector<Made> waiting;
        auto since = std::chrono::steady_clock::now();
        while (!stop_.stop_requested() && !failed()) {
            const std::size_t k = next_++;
            if (k >= list_.size()) break;
            waiting.push_back(make(book, list_[k]));
            // A few at a time: one transaction costs a wait for the disk, and a long one makes
            // others wait.
            constexpr std::size_t kTogether = 8;
            constexpr std::chrono::milliseconds kLongest{300};
            if (waiting.size() >= kTogether ||
                std::chrono::steady_clock::now() - since > kLongest) {
                store(book, waiting);
                since = std::chrono::steady_clock::now();
            }
        }
        store(book, waiting);
    }

    Expected<RefreshReport> result() {
        if (problem_) return tl::unexpected<Error>(*problem_);
        return report_;
    }

  private:
    static Made make(BenchBook& book, const Stale& stale) {
        const auto opened = openRecording(book, stale.entry, stale.makings);
        if (opened) return {stale.entry.id, studyOf(*opened), summarise(opened->analysis)};
        return {stale.entry.id, studyOf(opened.error(), fingerprintOf(stale.makings)), {}};
    }

    void store(BenchBook& book, std::vector<Made>& waiting) {
        if (waiting.empty()) return;
        // One writer of this program at a time: they need not wait for each other inside SQLite.
        const std::lock_guard lock(writing_);
        const auto done = book.storeStudies([&]() -> Expected<void> {
            for (const Made& m : waiting)
                if (auto kept = book.setStudy(m.id, m.study, m.summary); !kept) return kept;
            return {};
        });
        if (!done) {
            problem_ = done.error();
            failed_ = true;
            return;
        }
        report_.stored += waiting.size();
        for (const Made& m : waiting) report_.broken += !m.study.problem.empty();
        waiting.clear();
        if (progress_) progress_(report_.stored, report_.stale);
    }

    bool failed() const { return failed_; }

    const std::vector<Stale> list_;
    const std::stop_token stop_;
    const RefreshProgress& progress_;
    std::atomic<std::size_t> next_ = 0;
    std::atomic<bool> failed_ = false;
    std::mutex writing_;
    std::optional<Error> problem_;
    RefreshReport report_;
};

}  // namespace

Expected<std::vector<Stale>> staleRecordings(BenchBook& book, std::int64_t batteryId) {
    auto all = book.recordings();
    if (!all) return tl::unexpected<Error>(all.error());
    if (batteryId > 0)
        std::erase_if(*all, [&](const RecordingEntry& e) { return e.batteryId != batteryId; });
    auto makings = allMakings(book, *all);
    if (!makings) return tl::unexpected<Error>(makings.error());
    std::vector<Stale> out;
    for (std::size_t k = 0; k < all->size(); ++k)
        if ((*all)[k].fingerprint != fingerprintOf((*makings)[k]))
            out.push_back({std::move((*all)[k]), std::move((*makings)[k])});
    return out;
}

Expected<RefreshReport> refreshBook(const std::filesystem::path& path, std::stop_token stop,
                                    const RefreshProgress& progress, unsigned threads,
                                    std::int64_t batteryId) {
    auto book = BenchBook::open(path, false);
    if (!book) return tl::unexpected<Error>(book.error());
    auto stale = staleRecordings(**book, batteryId);
    if (!stale) return tl::unexpected<Error>(stale.error());
    if (stale->empty() || (*book)->readOnly()) return RefreshReport{stale->size(), 0, 0};
    // The newest first: they are looked at first.
    std::reverse(stale->begin(), stale->end());
    const auto most = static_cast<unsigned>(stale->size());
    Work work(std::move(*stale), stop, progress);
    {
        std::vector<std::jthread> helpers;
        for (unsigned k = 1; k < std::min(threads, most); ++k)
            helpers.emplace_back([&] {
                const Recorded down;
                if (auto own = BenchBook::open(path, false)) work.run(**own);
            });
        const Recorded down;
        work.run(**book);
    }
    return work.result();
}

void keepStudy(BenchBook& book, const OpenedRecording& opened) {
    if (book.readOnly() || opened.entry.fingerprint == opened.fingerprint) return;
    (void)book.setStudy(opened.entry.id, studyOf(opened), summarise(opened.analysis));
}

}  // namespace nk
