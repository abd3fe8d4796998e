// A channel of the bench in the window: its feed, what is known of it, and what it says.
#pragma once

#include <QDateTime>
#include <QElapsedTimer>
#include <QObject>
#include <QStringList>
#include <memory>
#include <set>

#include "app/bench/live_feed.h"
#include "live/channel.h"

class QTimer;

namespace nk {

class BenchChannel : public QObject {
    Q_OBJECT
  public:
    BenchChannel(FeedWish wish, const Battery& battery, std::vector<StopRule> rules,
                 QObject* parent = nullptr);

    const QString& title() const { return title_; }
    const LiveChannel& live() const { return *live_; }
    LiveChannel& live() { return *live_; }
    /// For what is drawn: it may outlive a channel that begins anew.
    std::weak_ptr<const LiveChannel> watched() const { return live_; }
    /// Values are of the past: the line is lost, or silent, or ended.
    bool lost() const { return over_ || !trouble_.isEmpty() || live_->silent(); }
    /// When the last row came, "14:03:12"; empty: none came.
    QString lastRowAt() const;
    /// "charges, constant current", "rests", "no row yet".
    QString doing() const;
    /// "done in 34 to 41 min", or why that is not known.
    QString remaining() const;
    /// Alarms that stand, the gravest first.
    std::vector<StandingAlarm> alarms() const;
    /// Somebody has seen an alarm.
    void acknowledge(const std::string& code);
    /// What is wrong with the source; empty: nothing.
    const QString& trouble() const { return trouble_; }
    bool running() const { return feed_ != nullptr && feed_->isRunning(); }
    bool over() const { return over_; }
    qlonglong recording() const { return recording_; }
    bool canStop() const { return canStop_; }
    bool armed() const { return armed_; }
    void arm(bool on) { armed_ = on; }
    const QStringList& log() const { return log_; }
    const QString& source() const { return source_; }

    /// On the shelf; 0: not there.
    std::int64_t batteryId() const { return batteryId_; }
    void setBatteryId(std::int64_t id) { batteryId_ = id; }
    void setWanted(double current_A);
    void setModel(std::shared_ptr<const OwnModel> model);
    /// The line that is dragged on the curve; the user's own rules are left alone. Called when the
    /// voltage of a cell passes it; NaN: not any more.
    void setVoltageStop(double cell_V);
    void finish();
    void stopSource();
    void leave();

  Q_SIGNALS:
    /// The instrument said whose battery it is.
    void identified(const QString& battery);
    /// New rows, at most 30 times a second.
    void changed();
    /// Something that asks for a hand; `hazard`: at once.
    void asks(const QString& words, bool hazard);
    void ended(qlonglong recording);
    void failed(const QString& words);
    /// An alarm rose, or was seen.
    void alarmed(const QString& code, const QString& words, bool hazard, const QString& told);
    void seen(const QString& code);
    void said(const QString& words);

  private:
    /// The channel anew, with all that is known of it.
    void begin();
    void take(const std::vector<LiveRow>& rows);
    void hear(const std::vector<LiveEvent>& events);

    QString title_, source_, trouble_;
    Battery given_;
    std::int64_t batteryId_ = 0;
    std::shared_ptr<const OwnModel> model_;
    std::vector<StopRule> rules_;
    std::optional<StopRule> line_;  ///< the one that is dragged
    std::shared_ptr<LiveChannel> live_;
    QDateTime lastRowAt_;
    LiveFeed* feed_ = nullptr;
    QTimer* silence_ = nullptr;
    QTimer* redraw_ = nullptr;
    QElapsedTimer lastRow_;
    QStringList log_;
    std::set<std::string> called_;  ///< alarms that were handed on
    double wanted_A_ = 0, lastWall_s_ = 0;
    qlonglong recording_ = 0;
    bool canStop_ = false, armed_ = false, over_ = false, told_ = false;
};

}  // namespace nk
