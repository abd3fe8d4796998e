#include "app/bench/bench_channel.h"

#include <fmt/format.h>
#include <QTimer>

#include <algorithm>
#include <cmath>

#include "app/preferences/preferences.h"
#include "app/session/text.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "report/words.h"

namespace nk {

namespace {
QString say(const std::string& words) {
    return QString::fromStdString(words);
}
/// "charge, constant current, is over: the voltage reached its limit".
QString stepOver(const LiveEvent& e) {
    Step s;
    s.kind = stepKindFrom(e.what).value_or(StepKind::Variable);
    EndedBy why = EndedBy::Unknown;
    for (int k = 0; k <= static_cast<int>(EndedBy::Unknown); ++k)
        if (toString(static_cast<EndedBy>(k)) == e.words) why = static_cast<EndedBy>(k);
    return QObject::tr("%1 is over: %2").arg(say(kindWords(s)), say(endingWords(why)));
}
/// It is called before the end by so much.
constexpr double kBefore_s = 300;
}  // namespace

BenchChannel::BenchChannel(FeedWish wish, const Battery& battery, std::vector<StopRule> rules,
                           QObject* parent)
    : QObject(parent),
      title_(say(wish.title)),
      source_(say(wish.source)),
      given_(battery),
      batteryId_(wish.batteryId),
      rules_(std::move(rules)) {
    begin();
    silence_ = new QTimer(this);
    silence_->setInterval(1000);
    connect(silence_, &QTimer::timeout, this, [this] {
        // A second that took longer by the clock on the wall: the computer slept.
        const double wall_s = now_s();
        const double slept = wall_s - lastWall_s_;
        constexpr double kSlept_s = 15;
        if (lastWall_s_ > 0 && slept > kSlept_s && !over_) {
            const QString words =
                tr("%1: this computer slept for %2; nothing was watched meanwhile.")
                    .arg(title_, say(durationText(slept)));
            log_ << words;
            Q_EMIT asks(words, false);
        }
        lastWall_s_ = wall_s;
        if (live_->rows() == 0 || over_) return;
        hear(live_->silence(static_cast<double>(lastRow_.elapsed()) / 1000));
        Q_EMIT changed();
    });
    redraw_ = new QTimer(this);
    redraw_->setSingleShot(true);
    redraw_->setInterval(33);
    connect(redraw_, &QTimer::timeout, this, &BenchChannel::changed);
    feed_ = new LiveFeed(std::move(wish), this);
    connect(feed_, &LiveFeed::opened, this, [this](bool, bool canStop, const nk::Battery& told) {
        canStop_ = canStop;
        // What the instrument says counts where the card says nothing.
        if (given_.chemistry.empty() && !told.chemistry.empty()) {
            given_ = told;
            begin();
            if (title_.isEmpty()) title_ = say(told.name);
            Q_EMIT identified(say(told.name));
        }
        Q_EMIT changed();
    });
    connect(feed_, &LiveFeed::rowsCame, this, &BenchChannel::take);
    connect(feed_, &LiveFeed::beganAnew, this, [this] {
        begin();
        log_ << tr("Another log stands in its place: begun anew.");
    });
    connect(feed_, &LiveFeed::trouble, this, [this](const QString& words) {
        trouble_ = words;
        if (!words.isEmpty()) log_ << words;
        Q_EMIT changed();
    });
    connect(feed_, &LiveFeed::failed, this, [this](const QString& words) {
        trouble_ = words;
        log_ << words;
        Q_EMIT failed(words);
        Q_EMIT changed();
    });
    connect(feed_, &LiveFeed::stopAnswered, this, [this](bool done, const QString& words) {
        log_ << words;
        Q_EMIT asks(words, !done);
        Q_EMIT changed();
    });
    connect(feed_, &LiveFeed::finished_, this, [this](qlonglong recording) {
        over_ = true;
        recording_ = recording;
        silence_->stop();
        hear(live_->end());
        Q_EMIT changed();
        Q_EMIT ended(recording);
    });
    lastRow_.start();
    silence_->start();
    feed_->start();
}

void BenchChannel::begin() {
    auto rules = rules_;
    if (line_) rules.push_back(*line_);
    live_ = std::make_shared<LiveChannel>(given_, std::move(rules));
    live_->setModel(model_);
    live_->setWanted(wanted_A_);
}

void BenchChannel::take(const std::vector<LiveRow>& rows) {
    lastRow_.restart();
    lastRowAt_ = QDateTime::currentDateTime();
    hear(live_->take(rows));
    if (!redraw_->isActive()) redraw_->start();
}

void BenchChannel::hear(const std::vector<LiveEvent>& events) {
    for (const StandingAlarm& a : live_->alarms())
        if (a.stands() && called_.insert(a.code).second)
            Q_EMIT alarmed(say(a.code), say(a.words), a.hazard, say(a.told));
    for (const LiveEvent& e : events) {
        const QString at = say(clockText(e.t_s)) + "  ";
        switch (e.kind) {
            case LiveEvent::Kind::Alarm:
                log_ << at + say(e.words);
                Q_EMIT asks(title_ + ": " + say(e.words), hazardousAlarm(e.what));
                break;
            case LiveEvent::Kind::Rule:
                log_ << at + tr("rule %1 says stop").arg(say(e.what));
                Q_EMIT asks(tr("%1: your rule %2 says stop.").arg(title_, say(e.what)), false);
                if (armed_ && canStop_) feed_->askStop();
                break;
            case LiveEvent::Kind::Peak:
                log_ << at + tr("voltage peak");
                Q_EMIT asks(tr("%1: the voltage has passed its peak.").arg(title_), false);
                break;
            case LiveEvent::Kind::StopNow:
                if (e.revision) break;
                log_ << at + tr("stop now: %1").arg(say(e.words));
                Q_EMIT asks(tr("%1: stop the charge now, %2.").arg(title_, say(e.words)), true);
                if (armed_ && canStop_) feed_->askStop();
                break;
            case LiveEvent::Kind::Knee:
                log_ << at + tr("knee: from here the voltage is held");
                break;
            case LiveEvent::Kind::Step:
                log_ << at + stepOver(e);
                break;
            default:
                break;
        }
    }
    const auto& estimate = live_->estimate();
    if (live_->stopNow()) told_ = true;
    if (!told_ && estimate && std::isfinite(estimate->likely_s) &&
        estimate->likely_s - live_->now_s() < kBefore_s && estimate->likely_s > live_->now_s()) {
        told_ = true;
        Q_EMIT asks(tr("%1: done in about %2.")
                        .arg(title_, say(durationText(estimate->likely_s - live_->now_s()))),
                    false);
    }
    constexpr int kMostLines = 400;
    while (log_.size() > kMostLines) log_.removeFirst();
}

QString BenchChannel::lastRowAt() const {
    return lastRowAt_.isValid() ? QLocale().toString(lastRowAt_.time(), "HH:mm:ss") : QString();
}

QString BenchChannel::doing() const {
    if (over_) return tr("ended");
    if (live_->rows() == 0)
        return trouble_.isEmpty() ? tr("waits for its first row") : tr("no row");
    const auto& step = live_->step();
    if (!step) return tr("begins");
    return say(kindWords(*step));
}

QString BenchChannel::remaining() const {
    if (over_) return recording_ > 0 ? tr("in the book") : QString();
    if (const auto& stop = live_->stopNow())
        return tr("stop now: %1 too much since %2")
            .arg(say(shortValue(std::max(0.0, stop->charge_Ah), "Ah")),
                 say(clockText(stop->low_s)));
    if (lost() && !lastRowAt().isEmpty()) return tr("last seen %1").arg(lastRowAt());
    const auto& step = live_->step();
    if (step && step->kind == StepKind::Rest) {
        // Warm from what went before: until within 5 K of where it began.
        const double warm = live_->temperature_C();
        const double start = live_->startTemperature_C();
        constexpr double kNear_K = 5;
        if (std::isfinite(warm) && std::isfinite(start) && warm > start + kNear_K)
            return tr("rests until it is under %1").arg(degreesText(start + kNear_K));
        return live_->charge_Ah() > 0 ? tr("nothing flows: it has been charged")
                                      : tr("nothing flows");
    }
    const auto& e = live_->estimate();
    if (!e) return tr("end not yet known");
    if (!std::isfinite(e->likely_s)) return say(e->words);
    const double now = live_->now_s();
    const double low = std::max(0.0, e->low_s - now);
    const double high = std::max(0.0, e->high_s - now);
    if (low < 60) return tr("done within %1").arg(say(durationText(high)));
    return high - low < 60
               ? tr("done in %1").arg(say(durationText(high)))
               : tr("done in %1 to %2").arg(say(durationText(low, high)), say(durationText(high)));
}

std::vector<StandingAlarm> BenchChannel::alarms() const {
    std::vector<StandingAlarm> out;
    for (const StandingAlarm& a : live_->alarms())
        if (a.stands()) out.push_back(a);
    std::ranges::stable_sort(
        out, [](const StandingAlarm& a, const StandingAlarm& b) { return a.hazard > b.hazard; });
    return out;
}

void BenchChannel::acknowledge(const std::string& code) {
    live_->acknowledge(code);
    Q_EMIT seen(say(code));
}

void BenchChannel::setWanted(double current_A) {
    wanted_A_ = current_A;
    live_->setWanted(current_A);
}

void BenchChannel::setModel(std::shared_ptr<const OwnModel> model) {
    model_ = std::move(model);
    live_->setModel(model_);
}

void BenchChannel::setVoltageStop(double cell_V) {
    line_.reset();
    if (std::isfinite(cell_V))
        if (auto rule = parseRule(fmt::format("vmax:{:.3f}V", cell_V))) line_ = std::move(*rule);
    auto rules = rules_;
    if (line_) rules.push_back(*line_);
    live_->setRules(std::move(rules));
}

void BenchChannel::finish() {
    feed_->finish();
    // A source that failed has no thread any more: what came of it, if anything, is in the book as
    // unfinished and is taken up there.
    if (!over_ && !feed_->isRunning()) {
        over_ = true;
        silence_->stop();
        hear(live_->end());
        Q_EMIT changed();
        Q_EMIT ended(0);
    }
}
void BenchChannel::stopSource() {
    feed_->askStop();
}
void BenchChannel::leave() {
    feed_->leave();
}

}  // namespace nk
