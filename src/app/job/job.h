// The one way to do long work: a worker thread with a stop token and throttled progress. The result
// is handed back on the thread of the receiver; when the receiver is gone, or the job was replaced
// by a newer one, it is dropped.
#pragma once

#include <QObject>
#include <functional>
#include <memory>
#include <stop_token>
#include <thread>

#include "quantity/phrase.h"

namespace nk {

class Job : public QObject {
    Q_OBJECT
  public:
    using ProgressSink = std::function<void(double)>;

    explicit Job(QObject* parent = nullptr) : QObject(parent) {}
    ~Job() override { cancelAndWait(); }

    /// Starts `work(stop, progress)` on a worker; `done(result)` runs on this object's thread
    /// unless a newer start or cancel came meanwhile.
    template <class Work, class Done>
    void start(Work work, Done done) {
        cancelAndWait();
        const int request = ++request_;
        running_ = true;
        Q_EMIT runningChanged(true);
        // The destructor waits for the worker, so `this` outlives it; a queued call to a Job that
        // is gone is dropped by Qt.
        Job* const self = this;
        thread_ = std::jthread([self, request, work = std::move(work), done = std::move(done),
                                words = presentation()](std::stop_token stop) mutable {
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
            auto result = std::make_shared<decltype(work(stop, progress))>(work(stop, progress));
            QMetaObject::invokeMethod(
                self,
                [self, request, result, done = std::move(done)]() mutable {
                    if (self->request_ != request) return;
                    self->running_ = false;
                    Q_EMIT self->runningChanged(false);
                    done(std::move(*result));
                },
                Qt::QueuedConnection);
        });
    }

    /// Asks the work to stop and drops its result. Returns at once.
    void cancel() {
        thread_.request_stop();
        if (!running_) return;
        ++request_;
        running_ = false;
        Q_EMIT runningChanged(false);
    }
    bool running() const { return running_; }
    /// Waits until the worker is done; its result is handed back later, as always.
    void wait() {
        if (thread_.joinable()) thread_.join();
    }

  Q_SIGNALS:
    void progressed(double fraction);
    void runningChanged(bool running);

  private:
    void cancelAndWait() {
        thread_.request_stop();
        if (thread_.joinable()) thread_.join();
        ++request_;
    }

    std::jthread thread_;
    int request_ = 0;
    bool running_ = false;
};

}  // namespace nk
