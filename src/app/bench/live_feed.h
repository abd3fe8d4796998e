// A source of live rows in a thread of its own: opens it, reads it, writes every second of it into
// the book, and makes an ordinary recording of it in the end.
#pragma once

#include <QThread>
#include <atomic>
#include <filesystem>
#include <map>
#include <memory>
#include <vector>

#include "book/bench_book.h"
#include "recording/live_row.h"

namespace nk {

class WatchSource;

/// What a channel is: where its rows come from and whose they are.
struct FeedWish {
    std::string source;  ///< as openWatchSource takes it
    std::string title;
    std::int64_t batteryId = 0;
    std::filesystem::path book;
    std::map<std::string, std::int64_t> byName;  ///< batteries of the shelf
    std::string details = "{}";                  ///< JSON: what was ticked before the start
};

class LiveFeed : public QThread {
    Q_OBJECT
  public:
    explicit LiveFeed(FeedWish wish, QObject* parent = nullptr);
    ~LiveFeed() override;

    /// Ends the recording; the thread goes on until it is in the book.
    void finish() { finish_ = true; }
    /// Ends without waiting for anything; what came stays in the book as unfinished.
    void leave() { leave_ = true; }
    /// Asks the source to stop; its answer comes as stopAnswered().
    void askStop() { stop_ = true; }

  Q_SIGNALS:
    void opened(bool plain, bool canStop, const nk::Battery& battery);
    void rowsCame(const std::vector<nk::LiveRow>& rows);
    /// Another file stands in the place of the one that was followed.
    void beganAnew();
    void trouble(const QString& words);
    void failed(const QString& words);
    void stopAnswered(bool done, const QString& words);
    /// It is an ordinary recording now; 0: nothing came.
    void finished_(qlonglong recording);

  protected:
    void run() override;

  private:
    struct Work;
    FeedWish wish_;
    std::atomic<bool> finish_ = false, leave_ = false, stop_ = false;
};

}  // namespace nk
