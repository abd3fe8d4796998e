// What of the bench outlives a moment: alarms until somebody has seen them, rows of a window that
// ended, the question before the window is closed.
#include "app/bench/bench_station.h"

#include <QCheckBox>
#include <QComboBox>
#include <QCoreApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QScrollArea>
#include <QTimer>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/bench/ask_list.h"
#include "app/bench/bench_process.h"
#include "app/bench/channel_strip.h"
#include "app/bench/live_lanes.h"
#include "app/bench/notify.h"
#include "app/bench/simulator.h"
#include "app/session/text.h"
#include "app/theme/let_go.h"
#include "app/theme/word_label.h"
#include "history/hazards.h"
#include "history/kept_plans.h"
#include "history/kept_queue.h"
#include "history/live_log.h"
#include "history/own_models.h"
#include "history/ready_rule.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "safety/gate.h"

namespace nk {

void BenchStation::refreshAsks() {
    std::vector<BenchChannel*> all;
    for (const auto& c : channels_) all.push_back(c.get());
    std::vector<Ask> asks = asksOf(all);
    // Those of channels that are gone stand until somebody has seen them.
    for (const KeptAlarm& k : kept_) {
        const bool here = std::ranges::any_of(channels_, [&](const auto& c) {
            return !c->over() && c->title().toStdString() == k.channel;
        });
        if (here) continue;
        asks.push_back(
            {tr("%1  %2: %3")
                 .arg(QLocale().toString(QDateTime::fromSecsSinceEpoch(static_cast<qint64>(k.at_s)),
                                         "yyyy-MM-dd HH:mm"),
                      QString::fromStdString(k.channel), QString::fromStdString(k.words)),
             nullptr, k.code, false, [this, k] {
                 std::erase(kept_, k);
                 keepAlarms();
             }});
    }
    asks_->setAsks(asks, large_);
    // A hazard that stands calls again.
    constexpr int kAgain_ms = 10000;
    const bool hazard = std::ranges::any_of(asks, &Ask::hazard);
    if (hazard && (!sounded_.isValid() || sounded_.elapsed() > kAgain_ms)) {
        sounded_.start();
        soundCall(true);
    }
    // The window's title says what asks for a hand, else when the next one is done.
    const auto stops = std::ranges::find_if(
        channels_, [](const auto& c) { return !c->over() && c->live().stopNow().has_value(); });
    double soonest = std::numeric_limits<double>::infinity();
    for (const auto& c : channels_) {
        const auto& e = c->live().estimate();
        if (!c->over() && !c->lost() && !c->live().stopNow() && e && std::isfinite(e->likely_s))
            soonest = std::min(soonest, e->likely_s - c->live().now_s());
    }
    if (window() != nullptr)
        window()->setWindowTitle(
            stops != channels_.end() ? tr("Narrow Knee: stop %1 now").arg((*stops)->title())
            : std::isfinite(soonest) && soonest > 0
                ? tr("Narrow Knee: done in about %1")
                      .arg(QString::fromStdString(durationText(soonest)))
                : QCoreApplication::translate("nk::MainWindow", "Narrow Knee"));
}

void BenchStation::keepAlarms() {
    session_.change([text = kept_.empty() ? std::string() : keptAlarmsText(kept_)](
                        BenchBook& b) { return b.keepComputed(kAlarmSetting, text); },
                    {}, false);
}

void BenchStation::takeUnfinished() {
    if (const std::string path = session_.path().string(); alarmsOf_ != path) {
        alarmsOf_ = path;
        kept_ = keptAlarmsIn(session_.book().setting(kAlarmSetting).value_or(std::string()));
        refreshAsks();
    }
    if (job_.running()) return;
    job_.start(
        [path = session_.path()](std::stop_token,
                                 const Job::ProgressSink&) -> Expected<std::vector<std::string>> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            std::vector<std::string> out;
            const auto open = (*book)->unfinished();
            if (!open) return tl::unexpected<Error>(open.error());
            for (const LiveEntry& e : *open) {
                // Another window is still at it, or this one.
                if (anotherIsAtIt(e.details) || isThisProcess(e.details)) continue;
                if (const auto done = finishLive(**book, e.id, now_s());
                    done && done->recordingId > 0)
                    out.push_back(e.title);
            }
            return out;
        },
        [this](const Expected<std::vector<std::string>>& taken) {
            if (!taken || taken->empty()) return;
            QStringList names;
            for (const std::string& n : *taken) names << QString::fromStdString(n);
            session_.reread();
            session_.say(tr("What was being watched when the program ended is on the shelf: %1.")
                             .arg(names.join(", ")));
        });
}

QString BenchStation::closeQuestion() const {
    const auto alive = std::ranges::count_if(channels_, [](const auto& c) { return !c->over(); });
    if (alive == 0) return {};
    return tr("%1 channels are being watched. Closing ends the watching: what charges goes on "
              "without it. The rows so far are kept as recordings.")
        .arg(alive);
}

void BenchStation::keepNow() {
    // Each becomes a recording; what does not come to its end in time is taken up at the next
    // start.
    for (auto& c : channels_)
        if (!c->over()) c->finish();
    QElapsedTimer waited;
    waited.start();
    constexpr int kMost_ms = 4000;
    while (std::ranges::any_of(channels_, [](const auto& c) { return c->running(); }) &&
           waited.elapsed() < kMost_ms)
        QThread::msleep(10);
}

}  // namespace nk
