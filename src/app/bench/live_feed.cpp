#include "app/bench/live_feed.h"

#include <QDateTime>
#include <chrono>
#include <cmath>

#include "app/session/text.h"
#include "formats/growing_log.h"
#include "history/live_log.h"
#include "instrument/watch_source.h"
#include "quantity/number.h"

namespace nk {

namespace {

using Clock = std::chrono::steady_clock;

double wall_s() {
    return std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch())
        .count();
}
double since(Clock::time_point at) {
    return std::chrono::duration<double>(Clock::now() - at).count();
}

/// "12.0,4.1,1.0,25.1" lines of a plain source.
std::vector<LiveRow> plainRows(std::string_view text, double began_s) {
    std::vector<LiveRow> out;
    while (!text.empty()) {
        const auto end = text.find('\n');
        std::string_view line = text.substr(0, end);
        text = end == std::string_view::npos ? std::string_view() : text.substr(end + 1);
        double value[4] = {kNaN, kNaN, kNaN, kNaN};
        for (double& v : value) {
            v = takeNumber(line).value_or(kNaN);
            if (const auto comma = line.find(','); comma != std::string_view::npos)
                line.remove_prefix(comma + 1);
            else
                line = {};
        }
        if (std::isfinite(value[0]) && std::isfinite(value[1]))
            out.push_back({began_s + value[0], value[1], value[2], value[3]});
    }
    return out;
}

}  // namespace

/// The part that lives in the thread.
struct LiveFeed::Work {
    LiveFeed& feed;
    std::unique_ptr<WatchSource> source;
    std::unique_ptr<BenchBook> book;
    std::int64_t live = 0;
    std::vector<LiveRow> unwritten;
    double began_s = wall_s();
    std::size_t seen = 0;   ///< bytes taken
    std::size_t cells = 0;  ///< that the book's lines name
    double cost_s = 0;
    GrowingLog log{feed.wish_.source, {}};
    Clock::time_point read = Clock::now(), written = Clock::now();
    QString lastTrouble;
    bool diskTrouble = false;

    void tell(const QString& words) {
        if (words == lastTrouble) return;
        lastTrouble = words;
        Q_EMIT feed.trouble(words);
    }

    bool open() {
        auto opened = openWatchSource(feed.wish_.source);
        if (!opened) {
            Q_EMIT feed.failed(text(opened.error()));
            return false;
        }
        source = std::move(*opened);
        // The instrument says whose it is; the shelf may know it.
        if (const auto told = source->battery()) {
            if (feed.wish_.title.empty())
                feed.wish_.title =
                    told->name + " " +
                    QDateTime::currentDateTime().toString("yyyy-MM-dd HH.mm").toStdString();
            const auto known = feed.wish_.byName.find(told->name);
            if (feed.wish_.batteryId == 0 && known != feed.wish_.byName.end())
                feed.wish_.batteryId = known->second;
        }
        if (feed.wish_.title.empty()) feed.wish_.title = LiveFeed::tr("Live").toStdString();
        Q_EMIT feed.opened(source->plain(), source->canStop(),
                           source->battery().value_or(Battery()));
        return true;
    }

    /// Opens the book when it is first needed; a full or missing disk is tried again.
    bool ready() {
        if (live > 0) return true;
        if (!book) {
            auto opened = BenchBook::open(feed.wish_.book, false);
            if (!opened) return tell(text(opened.error())), false;
            book = std::move(*opened);
        }
        LiveEntry entry;
        entry.batteryId = feed.wish_.batteryId;
        entry.title = feed.wish_.title;
        entry.source = source->name();
        entry.startedAt_s = wall_s();
        cells = unwritten.empty() ? 0 : unwritten.front().cells_V.size();
        entry.header = liveHeader(cells);
        entry.details = feed.wish_.details;
        const auto begun = book->beginLive(entry);
        if (!begun) return tell(text(begun.error())), false;
        live = *begun;
        return true;
    }

    void write(bool now) {
        if (unwritten.empty() || (!now && since(written) < 0.8)) return;
        written = Clock::now();
        if (!ready()) {
            diskTrouble = true;
            return;  // the rows wait in memory
        }
        const auto done = book->appendLive(live, liveLines(unwritten, cells));
        if (!done) {
            diskTrouble = true;
            tell(text(done.error()));
            return;
        }
        unwritten.clear();
        if (diskTrouble) tell({});
        diskTrouble = false;
    }

    /// What stands in the book was read otherwise: all of it comes again.
    void takeBack() {
        unwritten.clear();
        last_s = -1e18;
        offset_s = 0;
        if (live > 0 && book)
            if (const auto gone = book->dropLive(live); !gone) tell(text(gone.error()));
        live = 0;
    }

    void hand(std::vector<LiveRow> came) {
        if (came.empty()) return;
        // The book takes only what goes forward; the channel says what it left out.
        for (const LiveRow& r : came) {
            if (r.at_s <= last_s && last_s - r.at_s < 60) continue;
            if (r.at_s <= last_s) offset_s += last_s - r.at_s + 1;
            last_s = r.at_s;
            LiveRow kept = r;
            kept.at_s += offset_s;
            unwritten.push_back(kept);
        }
        Q_EMIT feed.rowsCame(came);
    }
    double last_s = -1e18, offset_s = 0;

    void look(bool over) {
        const std::size_t size = source->size();
        const bool other = source->replaced();
        if (size == seen && !other && !over) return;
        if (source->plain()) {
            auto bytes = source->bytes();
            if (!bytes || bytes->size() <= seen) return;
            // Behind the title line.
            const std::size_t from = seen > 0 ? seen : bytes->find('\n') + 1;
            hand(plainRows(std::string_view(*bytes).substr(from), began_s));
            seen = bytes->size();
            return;
        }
        // Where all of it must be read anew a look costs with every row: at most a twentieth of the
        // time goes into it.
        if (!over && since(read) < std::max(0.4, 20 * cost_s)) return;
        const auto start = Clock::now();
        if (other) log.forget();
        auto came =
            log.take([this](std::size_t from, std::size_t to) { return source->part(from, to); },
                     size, over, began_s);
        cost_s = since(start);
        read = Clock::now();
        if (!came) return tell(text(came.error()));
        seen = size;
        if (log.readOtherwise() && !other) takeBack();
        if (other || log.beganAnew()) Q_EMIT feed.beganAnew();
        hand(std::move(*came));
    }

    void run() {
        if (!open()) return;
        while (!feed.finish_ && !feed.leave_) {
            look(false);
            if (!diskTrouble) tell(QString::fromStdString(source->trouble()));
            write(false);
            if (feed.stop_.exchange(false)) {
                const auto done = source->stop();
                Q_EMIT feed.stopAnswered(done.has_value(),
                                         done ? LiveFeed::tr("The instrument confirms: it is off.")
                                              : text(done.error()));
            }
            if (source->ended() && source->size() == seen) break;
            QThread::msleep(30);
        }
        if (!feed.leave_) look(true);
        write(true);
        if (feed.leave_ || live == 0) {
            if (live == 0) Q_EMIT feed.finished_(0);
            return;
        }
        const auto done = finishLive(*book, live, wall_s());
        if (!done) {
            Q_EMIT feed.failed(text(done.error()));
            return;
        }
        Q_EMIT feed.finished_(done->recordingId);
    }
};

LiveFeed::LiveFeed(FeedWish wish, QObject* parent) : QThread(parent), wish_(std::move(wish)) {
    qRegisterMetaType<std::vector<nk::LiveRow>>();
    qRegisterMetaType<nk::Battery>();
}

LiveFeed::~LiveFeed() {
    leave_ = true;
    wait();
}

void LiveFeed::run() {
    Work work{.feed = *this,
              .source = nullptr,
              .book = nullptr,
              .live = 0,
              .unwritten = {},
              .began_s = wall_s(),
              .seen = 0,
              .cells = 0,
              .cost_s = 0,
              .log = GrowingLog(wish_.source, {}),
              .read = Clock::now() - std::chrono::hours(1),
              .written = Clock::now(),
              .lastTrouble = {},
              .diskTrouble = false,
              .last_s = -1e18,
              .offset_s = 0};
    work.run();
}

}  // namespace nk
