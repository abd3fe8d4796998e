// Station 7, Bench: watch it live. A strip a channel, one opened; what asks for a hand on top.
#pragma once

#include <QElapsedTimer>
#include <memory>
#include <vector>

#include "app/bench/bench_channel.h"
#include "app/bench/source_dialog.h"
#include "app/job/job.h"
#include "app/session/session.h"
#include "app/shell/station.h"
#include "history/kept_alarms.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;
class QScrollArea;
class QTimer;
class QVBoxLayout;

namespace nk {

class AskList;
class ChannelStrip;
class LiveLanes;
class Simulator;

class BenchStation : public Station {
    Q_OBJECT
  public:
    explicit BenchStation(Session& session, QWidget* parent = nullptr);
    ~BenchStation() override;

    QString name() const override { return tr("Bench"); }
    QString ask() const override { return tr("watch it live"); }
    Scope scope() const override { return Scope::Book; }
    bool hasFindings() const override { return false; }
    Question question() const override { return Question::Finish; }
    void show(ShownPtr) override {}
    bool showsEvidence() const override { return false; }
    void showEvidence(const Evidence&, const QString&) override {}
    void applyColours() override;
    QString helpPage() const override { return "bench"; }
    QWidget* firstFocus() override;
    bool busy() const override { return job_.running() || queueJob_.running(); }
    QString closeQuestion() const override;
    void keepNow() override;
    std::vector<StationAction> menuActions() override;

    const std::vector<std::unique_ptr<BenchChannel>>& channels() const { return channels_; }
    /// Opens the dialog for such a source.
    void askFor(SourceDialog::Kind kind);
    void watch(const FeedWish& wish, const std::vector<std::string>& rules);
    /// Starts narrow-knee-sim and watches so many of its channels.
    void watchSimulated(double speed, int channels, const std::vector<std::string>& rules);
    void setLarge(bool large);
    bool large() const { return large_; }
    /// Recordings of a program that ended in between become ordinary ones.
    void takeUnfinished();
    void keepAlarms();

  private:
    void choose(int k);
    void refresh();
    void refreshAsks();
    void call(const QString& words, bool hazard);
    void channelEnded(BenchChannel* channel, qlonglong recording);
    BenchChannel* open() const;
    void promptQueue();
    void applyRule();
    void learn(BenchChannel& channel, std::int64_t battery);
    void addStrip(BenchChannel& channel);

    Session& session_;
    Job job_{this};
    Job queueJob_{this};
    std::vector<std::unique_ptr<BenchChannel>> channels_;
    std::vector<ChannelStrip*> strips_;
    std::vector<std::unique_ptr<Simulator>> simulators_;
    int chosen_ = -1;
    bool large_ = false;
    QElapsedTimer sounded_;  ///< since the last hazard was heard
    QTimer* ticker_ = nullptr;

    QPushButton* add_ = nullptr;
    QPushButton* largeButton_ = nullptr;
    QComboBox* span_ = nullptr;
    QCheckBox* muted_ = nullptr;
    AskList* asks_ = nullptr;
    QLabel* empty_ = nullptr;
    QVBoxLayout* stripBox_ = nullptr;
    QWidget* opened_ = nullptr;
    QLabel* openedTitle_ = nullptr;
    QLabel* openedWords_ = nullptr;
    LiveLanes* lanes_ = nullptr;
    QLabel* log_ = nullptr;
    QPushButton* end_ = nullptr;
    QPushButton* pad_ = nullptr;
    QPushButton* stop_ = nullptr;
    QPushButton* line_ = nullptr;
    QCheckBox* arm_ = nullptr;
    QPushButton* away_ = nullptr;
    std::vector<KeptAlarm> kept_;  ///< that nobody has marked as seen
    std::string alarmsOf_;         ///< of which book
};

}  // namespace nk
