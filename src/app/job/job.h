// The one way to do long work: a worker thread with a stop token and throttled progress. The result
// is handed back on the thread of the receiver; when the receiver is gone, or the job was replaced
// by a newer one, it is dropped. Work that throws, for want of memory or by mistake, ends as an
// error and never ends the program.
#pragma once

#include <QObject>
#include <atomic>
#include <functional>
#include <list>
#include <memory>
#include <new>
#include <optional>
#include <stop_token>
#include <thread>

#include "quantity/error.h"
#include "quantity/phrase.h"

namespace nk {

/// Whether a result can be an error.
template <class T>
inline constexpr bool canFail = false;
template <class T>
inline constexpr bool canFail<Expected<T>> = true;

class Job : public QObject {
    Q_OBJECT
  public:
    using ProgressSink = std::function<void(double)>;

    explicit Job(QObject* parent = nullptr) : QObject(parent) {}
    ~Job() override;

    /// Starts `work(stop, progress)` on a worker; `done(result)` runs on this object's thread
    /// unless a newer start or cancel came meanwhile. Never waits: work that was under way is asked
    /// to stop and ends by itself.
    template <class Work, class Done>
    void start(Work work, Done done) {
        retire();
        const int request = ++request_;
        setRunning(true);
        // The destructor waits for the worker, so `this` outlives it; a queued call to a Job that
        // is gone is dropped by Qt.
        Job* const self = this;
        ended_ = std::make_shared<std::atomic<bool>>(false);
        thread_ =
            std::jthread([self, request, work = std::move(work), done = std::move(done),
                          words = presentation(), ended = ended_](std::stop_token stop) mutable {
                const Ended mark{*ended};
                const Presenting presenting(std::move(words));
                int last = -1;
                const ProgressSink progress = [self, request, &last](double fraction) {
                    const int percent = static_cast<int>(fraction * 100);
                    if (percent == last) return;
                    last = percent;
                    QMetaObject::invokeMethod(
                        self,
                        [self, request, fraction] {
                            if (self->request_ == request) Q_EMIT self->progressed(fraction);
                        },
                        Qt::QueuedConnection);
                };
                using Result = decltype(work(stop, progress));
                auto result = std::make_shared<std::optional<Result>>();
                Error problem;
                try {
                    result->emplace(work(stop, progress));
                } catch (const std::bad_alloc&) {
                    problem = outOfMemory();
                } catch (...) {
                    problem = unexpected();
                }
                // A work that can say what went wrong says it; any other is not done.
                if constexpr (canFail<Result>)
                    if (!*result) result->emplace(tl::unexpected<Error>(problem));
                QMetaObject::invokeMethod(
                    self,
                    [self, request, result, problem, done = std::move(done)]() mutable {
                        if (self->request_ != request) return;
                        self->setRunning(false);
                        if (*result)
                            done(std::move(**result));
                        else
                            Q_EMIT self->failed(QString::fromStdString(problem.text()));
                    },
                    Qt::QueuedConnection);
            });
    }

    /// Asks the work to stop and drops its result. Returns at once.
    void cancel() {
        thread_.request_stop();
        if (!running_) return;
        ++request_;
        setRunning(false);
    }
    /// Asks the work to stop; what it says then is handed back as always.
    void requestStop() { thread_.request_stop(); }
    bool running() const { return running_; }
    /// How many jobs of the whole program run or have not handed back what they found. For those
    /// who wait until a window changes no more by itself: its pictures and its tests.
    static int underWay() { return underWay_; }
    /// Waits until the worker is done; its result is handed back later, as always.
    void wait() {
        if (thread_.joinable()) thread_.join();
    }

  Q_SIGNALS:
    /// The work threw and its result cannot say so.
    void failed(const QString& words);
    void progressed(double fraction);
    void runningChanged(bool running);

  private:
    void setRunning(bool running) {
        if (running != running_) underWay_ += running ? 1 : -1;
        running_ = running;
        Q_EMIT runningChanged(running);
    }
    static Error outOfMemory();
    static Error unexpected();

    /// Says at the end of a worker that it can be joined without waiting.
    struct Ended {
        std::atomic<bool>& flag;
        ~Ended() { flag = true; }
    };
    struct Retired {
        std::jthread thread;
        std::shared_ptr<std::atomic<bool>> ended;
    };
    /// Puts the worker aside; it is joined when it has ended, at the latest with this object.
    void retire();

    std::list<Retired> retired_;
    std::shared_ptr<std::atomic<bool>> ended_;
    std::jthread thread_;
    int request_ = 0;
    bool running_ = false;
    inline static int underWay_ = 0;  ///< of the window's thread, where all jobs live
};

}  // namespace nk
