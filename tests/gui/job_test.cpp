// Long work: its result comes once, on the thread that asked; newer work replaces older; nothing
// waits for it and nothing it does ends the program.
#include "app/job/job.h"

#include <condition_variable>
#include <mutex>

namespace nk {
namespace {

/// Holds a worker until it is let go.
class Gate {
  public:
    void open() {
        const std::lock_guard lock(mutex_);
        open_ = true;
        changed_.notify_all();
    }
    void pass() {
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [&] { return open_; });
    }

  private:
    std::mutex mutex_;
    std::condition_variable changed_;
    bool open_ = false;
};

bool comes(const std::function<bool()>& what) {
    return QTest::qWaitFor(what, 10000);
}

TEST(Jobs, TheResultComesOnceOnTheThreadThatAsked) {
    Job job;
    int came = 0;
    QThread* at = nullptr;
    QThread* worked = nullptr;
    std::vector<bool> running;
    QObject::connect(&job, &Job::runningChanged, [&](bool on) { running.push_back(on); });
    job.start(
        [&](std::stop_token, const Job::ProgressSink&) {
            worked = QThread::currentThread();
            return 42;
        },
        [&](int result) {
            came += result;
            at = QThread::currentThread();
        });
    EXPECT_TRUE(job.running());
    ASSERT_TRUE(comes([&] { return came > 0; }));
    QCoreApplication::processEvents();
    EXPECT_EQ(came, 42);
    EXPECT_EQ(at, QThread::currentThread());
    EXPECT_NE(worked, at);
    EXPECT_FALSE(job.running());
    EXPECT_EQ(running, (std::vector<bool>{true, false}));
}

TEST(Jobs, NewerWorkReplacesOlderAndNobodyWaits) {
    Gate gate;
    bool oldAsked = false;
    std::string came;
    {
        Job job;
        job.start(
            [&](std::stop_token stop, const Job::ProgressSink&) {
                gate.pass();
                oldAsked = stop.stop_requested();
                return std::string("old");
            },
            [&](const std::string& s) { came += s; });
        QElapsedTimer clock;
        clock.start();
        for (int k = 0; k < 20; ++k)
            job.start([k](std::stop_token,
                          const Job::ProgressSink&) { return "new " + std::to_string(k); },
                      [&](const std::string& s) { came += s; });
        ASSERT_TRUE(comes([&] { return !came.empty(); })) << "the old one still sits at its gate";
        gate.open();
    }
    QCoreApplication::processEvents();
    EXPECT_EQ(came, "new 19") << "of what was replaced nothing is handed back";
    EXPECT_TRUE(oldAsked);
}

TEST(Jobs, CancelledWorkSaysNothing) {
    Gate gate;
    Job job;
    bool came = false;
    job.start(
        [&](std::stop_token, const Job::ProgressSink&) {
            gate.pass();
            return 1;
        },
        [&](int) { came = true; });
    job.cancel();
    EXPECT_FALSE(job.running());
    gate.open();
    job.wait();
    QCoreApplication::processEvents();
    EXPECT_FALSE(came);
    job.cancel();  // twice, and with nothing under way
    EXPECT_FALSE(job.running());
}

TEST(Jobs, AskedToStopItStillSaysWhatCameOfIt) {
    Job job;
    int done = -1;
    job.start(
        [](std::stop_token stop, const Job::ProgressSink&) {
            int steps = 0;
            while (!stop.stop_requested()) ++steps;
            return steps;
        },
        [&](int steps) { done = steps; });
    job.requestStop();
    ASSERT_TRUE(comes([&] { return done >= 0; }));
}

TEST(Jobs, ProgressIsOfTheWorkThatRunsAndOncePerCent) {
    Job job;
    std::vector<double> seen;
    bool done = false;
    QObject::connect(&job, &Job::progressed, [&](double f) { seen.push_back(f); });
    job.start(
        [](std::stop_token, const Job::ProgressSink& progress) {
            for (int k = 0; k <= 100000; ++k) progress(k / 100000.0);
            return true;
        },
        [&](bool) { done = true; });
    ASSERT_TRUE(comes([&] { return done; }));
    EXPECT_EQ(seen.size(), 101U);
    EXPECT_TRUE(std::ranges::is_sorted(seen));
}

TEST(Jobs, WhoIsGoneIsNotCalled) {
    Gate gate;
    bool came = false;
    auto job = std::make_unique<Job>();
    job->start(
        [&](std::stop_token stop, const Job::ProgressSink&) {
            gate.pass();
            return stop.stop_requested();
        },
        [&](bool) { came = true; });
    gate.open();
    job.reset();
    QCoreApplication::processEvents();
    EXPECT_FALSE(came);
}

}  // namespace
}  // namespace nk
