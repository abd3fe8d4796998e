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

namespace {

std::vector<StopRule> parsed(const std::vector<std::string>& rules) {
    std::vector<StopRule> out;
    for (const std::string& r : rules)
        if (auto rule = parseRule(r)) out.push_back(std::move(*rule));
    return out;
}

}  // namespace

BenchStation::BenchStation(Session& session, QWidget* parent) : Station(parent), session_(session) {
    setObjectName("benchStation");
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(10, 9, 8, 8);
    outer->setSpacing(7);
    auto* head = new QHBoxLayout;
    add_ = new QPushButton(tr("Watch a source"), this);
    add_->setObjectName("benchAdd");
    auto* menu = new QMenu(add_);
    menu->addAction(tr("a file that another program writes…"), this,
                    [this] { askFor(SourceDialog::Kind::File); });
    menu->addAction(tr("a serial line…"), this, [this] { askFor(SourceDialog::Kind::Serial); });
    menu->addAction(tr("the battery of this computer…"), this,
                    [this] { askFor(SourceDialog::Kind::Computer); });
    menu->addAction(tr("the simulated instrument…"), this,
                    [this] { askFor(SourceDialog::Kind::Simulated); });
    add_->setMenu(menu);
    largeButton_ = new QPushButton(tr("Large"), this);
    largeButton_->setObjectName("benchLarge");
    largeButton_->setCheckable(true);
    largeButton_->setProperty("role", "choice");
    largeButton_->setToolTip(tr("Readable from three metres"));
    muted_ = new QCheckBox(tr("quiet"), this);
    muted_->setObjectName("benchMuted");
    muted_->setToolTip(tr("No sound but for hazards"));
    span_ = new QComboBox(this);
    span_->setObjectName("benchSpan");
    span_->setAccessibleName(tr("How much of the curve is shown"));
    for (const auto& [words, seconds] :
         {std::pair(tr("all of it"), 0), std::pair(tr("the last hour"), 3600),
          std::pair(tr("the last ten minutes"), 600)})
        span_->addItem(words, seconds);
    head->addWidget(add_);
    head->addStretch(1);
    head->addWidget(muted_);
    head->addWidget(span_);
    head->addWidget(largeButton_);
    outer->addLayout(head);

    asks_ = new AskList(this);
    connect(asks_, &AskList::changed, this, &BenchStation::refreshAsks);
    outer->addWidget(asks_);
    empty_ = wordLabel(this, "benchEmpty", "");
    empty_->setText(
        tr("Nothing is watched yet.\n\nA source is a file that a logger keeps writing, a serial "
           "line that prints rows, the battery of this computer, or the simulated instrument that "
           "ships with this program: begin with that one to see how it goes.\n\nEvery row is in "
           "the bench book within a second; when it ends it is a recording like any other."));
    outer->addWidget(empty_);
    stripBox_ = new QVBoxLayout;
    stripBox_->setSpacing(6);
    outer->addLayout(stripBox_);

    opened_ = new QWidget(this);
    auto* open = new QVBoxLayout(opened_);
    open->setContentsMargins(0, 0, 0, 0);
    open->setSpacing(5);
    auto* line = new QHBoxLayout;
    openedTitle_ = wordLabel(opened_, "channelTitle", "heading");
    line->addWidget(openedTitle_, 1);
    const auto button = [&](const QString& words, const char* name, const QString& tip) {
        auto* b = new QPushButton(words, opened_);
        b->setObjectName(name);
        b->setToolTip(tip);
        line->addWidget(b);
        return b;
    };
    pad_ = button(tr("Note a reading"), "benchPad",
                  tr("What a meter beside it shows: volts, milliohms, degrees"));
    line_ = button(tr("Stop line"), "benchLine",
                   tr("A line on the voltage that can be dragged: over it you are called"));
    line_->setCheckable(true);
    arm_ = new QCheckBox(tr("switch it off when a rule says stop"), opened_);
    arm_->setObjectName("benchArm");
    arm_->setToolTip(tr("Only the simulated instrument can be switched off from here"));
    line->addWidget(arm_);
    stop_ = button(tr("Switch it off"), "benchStop", tr("Asks the simulated instrument to stop"));
    end_ = button(tr("End and keep"), "benchEnd", tr("The rows become a recording on the shelf"));
    away_ = button(tr("Put away"), "benchAway", tr("Takes the ended channel off the bench"));
    open->addLayout(line);
    openedWords_ = wordLabel(opened_, "channelWords", "muted");
    open->addWidget(openedWords_);
    auto* both = new QHBoxLayout;
    lanes_ = new LiveLanes(LiveLanes::Size::Full, opened_);
    both->addWidget(lanes_, 3);
    auto* scroll = new QScrollArea(opened_);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setMinimumWidth(220);
    log_ = wordLabel(scroll, "benchLog", "");
    log_->setContentsMargins(8, 0, 4, 0);
    scroll->setWidget(log_);
    both->addWidget(scroll, 1);
    open->addLayout(both, 1);
    outer->addWidget(opened_, 1);
    outer->addStretch(0);
    QLabel* caution = wordLabel(this, "benchCaution", "muted");
    caution->setText(
        tr("This program watches and calls; it is no protection device. Charging is "
           "never left alone, the maker's data sheet comes first."));
    outer->addWidget(caution);

    ticker_ = new QTimer(this);
    ticker_->setInterval(500);
    connect(ticker_, &QTimer::timeout, this, &BenchStation::refreshAsks);
    connect(largeButton_, &QPushButton::toggled, this, &BenchStation::setLarge);
    connect(span_, &QComboBox::currentIndexChanged, this,
            [this] { lanes_->setSpan(span_->currentData().toDouble()); });
    connect(end_, &QPushButton::clicked, this, [this] {
        if (BenchChannel* c = this->open()) c->finish();
    });
    connect(pad_, &QPushButton::clicked, this, [this] {
        if (const BenchChannel* c = this->open())
            Q_EMIT session_.padRequested(static_cast<qlonglong>(c->batteryId()));
    });
    connect(stop_, &QPushButton::clicked, this, [this] {
        if (BenchChannel* c = this->open()) c->stopSource();
    });
    connect(arm_, &QCheckBox::toggled, this, [this](bool on) {
        if (BenchChannel* c = this->open()) c->arm(on);
    });
    connect(line_, &QPushButton::toggled, this, [this](bool on) {
        BenchChannel* c = this->open();
        if (c == nullptr) return;
        const Chemistry* chemistry = c->live().battery().chemistryData();
        const double cells = std::max(1, c->live().battery().series);
        const double usual = chemistry == nullptr              ? c->live().voltage_V()
                             : std::isfinite(chemistry->set_V) ? chemistry->set_V * cells
                                                               : 1.55 * cells;
        lanes_->setVoltageRule(on ? std::round(100 * usual) / 100 : kNaN);
        applyRule();
    });
    connect(lanes_, &LiveLanes::ruleDragged, this, &BenchStation::applyRule);
    connect(away_, &QPushButton::clicked, this, [this] {
        if (chosen_ < 0 || !channels_[static_cast<std::size_t>(chosen_)]->over()) return;
        lanes_->setChannel({});
        letGo(strips_[static_cast<std::size_t>(chosen_)]);
        strips_.erase(strips_.begin() + chosen_);
        channels_.erase(channels_.begin() + chosen_);
        choose(channels_.empty() ? -1 : 0);
    });
    connect(&session_, &Session::bookChanged, this, &BenchStation::takeUnfinished);
    connect(&job_, &Job::failed, this, [this](const QString& what) { session_.say(what, true); });
    choose(-1);
    QTimer::singleShot(0, this, &BenchStation::takeUnfinished);
}

BenchStation::~BenchStation() {
    for (auto& c : channels_) c->leave();
    channels_.clear();
}

QWidget* BenchStation::firstFocus() {
    return strips_.empty() ? static_cast<QWidget*>(add_) : strips_.front();
}

BenchChannel* BenchStation::open() const {
    return chosen_ >= 0 ? channels_[static_cast<std::size_t>(chosen_)].get() : nullptr;
}

void BenchStation::askFor(SourceDialog::Kind kind) {
    auto* dialog = new SourceDialog(session_, kind, window());
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, dialog] {
        if (dialog->kind() == SourceDialog::Kind::Simulated)
            watchSimulated(dialog->speed(), 3, dialog->rules());
        else
            watch(dialog->wish(), dialog->rules());
    });
    dialog->open();
}

void BenchStation::watch(const FeedWish& wish, const std::vector<std::string>& rules) {
    const Battery battery = session_.batteryOf(wish.batteryId);
    std::vector<std::string> all = rules;
    // Rules kept with the battery at Finish hold here too.
    for (const std::string& r : battery.rules)
        if (std::ranges::find(all, r) == all.end()) all.push_back(r);
    FeedWish full = wish;
    for (const BatteryEntry& e : session_.batteries()) full.byName[e.battery.name] = e.id;
    channels_.push_back(std::make_unique<BenchChannel>(full, battery, parsed(all)));
    BenchChannel* c = channels_.back().get();
    if (wish.batteryId > 0) {
        const auto plans = plansOf(session_.book(), wish.batteryId);
        constexpr double kDay_s = 86400;
        if (!plans.empty() && now_s() - plans.back().at_s < kDay_s)
            c->setWanted(plans.back().current_A);
    }
    connect(c, &BenchChannel::identified, this, [this, c](const QString& name) {
        for (const BatteryEntry& e : session_.batteries())
            if (QString::fromStdString(e.battery.name) == name) {
                c->setBatteryId(e.id);
                learn(*c, e.id);
            }
    });
    if (wish.batteryId > 0) {
        learn(*c, wish.batteryId);
        // What may not be charged is said before it is watched.
        BatteryState state;
        state.battery = battery;
        state.ratingIsRight = true;
        state.skin = session_.lifeOf(wish.batteryId).outOfUse;
        if (auto hazards = hazardsOf(session_.book(), wish.batteryId))
            state.hazards = std::move(*hazards);
        ActWish act;
        act.act = Act::Charge;
        const bool anything = !state.hazards.empty() || !state.skin.empty();
        if (const auto gate = askGate(state, act); anything && !gate)
            call(tr("%1 is not to be charged: %2 Instead: %3")
                     .arg(QString::fromStdString(battery.name),
                          QString::fromStdString(gate.error().what),
                          QString::fromStdString(gate.error().accepted)),
                 true);
    }
    connect(c, &BenchChannel::asks, this, &BenchStation::call);
    connect(c, &BenchChannel::failed, this,
            [this](const QString& words) { session_.say(words, true); });
    connect(c, &BenchChannel::alarmed, this,
            [this, c](const QString& code, const QString& words, bool hazard, const QString& told) {
                kept_.push_back({c->title().toStdString(), code.toStdString(), words.toStdString(),
                                 now_s(), hazard, told.toStdString()});
                keepAlarms();
            });
    connect(c, &BenchChannel::seen, this, [this, c](const QString& code) {
        std::erase_if(kept_, [&](const KeptAlarm& a) {
            return a.channel == c->title().toStdString() && a.code == code.toStdString();
        });
        keepAlarms();
    });
    connect(c, &BenchChannel::changed, this, &BenchStation::refresh);
    connect(c, &BenchChannel::ended, this,
            [this, c](qlonglong recording) { channelEnded(c, recording); });
    addStrip(*c);
    ticker_->start();
    choose(static_cast<int>(channels_.size()) - 1);
}

/// Its own model, for the time to the end; in a worker, for it may have to be fitted.
void BenchStation::learn(BenchChannel& channel, std::int64_t battery) {
    auto* job = new Job(&channel);
    job->start(
        [path = session_.path(), battery](std::stop_token stop,
                                          const Job::ProgressSink&) -> Expected<KeptModel> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return ownModelOf(**book, battery, stop);
        },
        [c = &channel](Expected<KeptModel> told) {
            if (told) c->setModel(std::make_shared<const OwnModel>(std::move(told->model)));
        });
}

void BenchStation::addStrip(BenchChannel& channel) {
    auto* strip = new ChannelStrip(channel, this);
    strip->setLarge(large_);
    strips_.push_back(strip);
    stripBox_->addWidget(strip);
    connect(strip, &ChannelStrip::chosen, this, [this, strip] {
        choose(static_cast<int>(std::ranges::find(strips_, strip) - strips_.begin()));
    });
}

void BenchStation::watchSimulated(double speed, int channels,
                                  const std::vector<std::string>& rules) {
    simulators_.push_back(std::make_unique<Simulator>());
    Simulator* simulator = simulators_.back().get();
    connect(simulator, &Simulator::failed, this,
            [this](const QString& why) { session_.say(why, true); });
    connect(simulator, &Simulator::ready, this, [this, rules](const QStringList& terminals) {
        for (qsizetype k = 0; k < terminals.size(); ++k) {
            FeedWish wish;
            wish.source = QString("%1:%2").arg(terminals[k]).arg(k + 1).toStdString();
            wish.book = session_.path();
            wish.details = processMark();
            watch(wish, rules);
        }
        choose(0);
    });
    simulator->start(speed, channels);
}

void BenchStation::choose(int k) {
    chosen_ = k < static_cast<int>(channels_.size()) ? k : -1;
    for (std::size_t i = 0; i < strips_.size(); ++i)
        strips_[i]->setChosen(static_cast<int>(i) == chosen_);
    BenchChannel* c = open();
    empty_->setVisible(channels_.empty());
    opened_->setVisible(c != nullptr && !large_);
    span_->setVisible(c != nullptr && !large_);
    lanes_->setVoltageRule(kNaN);
    lanes_->setChannel(c != nullptr ? c->watched() : std::weak_ptr<const LiveChannel>());
    line_->setChecked(false);
    arm_->setChecked(c != nullptr && c->armed());
    refresh();
    refreshAsks();
}

void BenchStation::setLarge(bool large) {
    large_ = large;
    largeButton_->setChecked(large);
    for (ChannelStrip* s : strips_) s->setLarge(large);
    choose(chosen_);
}

void BenchStation::applyRule() {
    BenchChannel* c = open();
    if (c == nullptr) return;
    const double cells = std::max(1, c->live().battery().series);
    c->setVoltageStop(lanes_->voltageRule() / cells);
}

void BenchStation::refresh() {
    if (!isVisible() && !channels_.empty()) return;
    for (ChannelStrip* s : strips_) s->refresh();
    BenchChannel* c = open();
    if (c == nullptr || large_) return;
    // The channel's rows may have begun anew.
    lanes_->setChannel(c->watched());
    openedTitle_->setText(c->title());
    const LiveChannel& live = c->live();
    QStringList words;
    words << tr("%1 rows from %2")
                 .arg(QLocale().toString(static_cast<qlonglong>(live.rows())), c->source());
    if (live.rows() > 1)
        words << tr("%1 in %2")
                     .arg(QString::fromStdString(shortValue(std::abs(live.charge_Ah()), "Ah")),
                          QString::fromStdString(durationText(live.now_s())));
    if (live.leftOut() > 0) words << tr("%1 rows left out").arg(live.leftOut());
    if (!c->trouble().isEmpty()) words << c->trouble();
    if (c->over() && c->recording() > 0) words << tr("it is on the shelf");
    openedWords_->setText(words.join(" · "));
    QStringList lines = c->log();
    std::reverse(lines.begin(), lines.end());
    log_->setText(lines.isEmpty() ? tr("What happens is listed here.") : lines.join("\n"));
    pad_->setVisible(c->batteryId() > 0);
    end_->setVisible(!c->over());
    away_->setVisible(c->over());
    stop_->setVisible(c->canStop() && !c->over());
    arm_->setVisible(c->canStop() && !c->over());
    line_->setVisible(!c->over());
}

void BenchStation::call(const QString& words, bool hazard) {
    notifyDesktop(hazard ? tr("Hazard at the bench") : tr("At the bench"), words, hazard);
    if (hazard || !muted_->isChecked()) soundCall(hazard);
    session_.say(words, hazard);
    refreshAsks();
}

void BenchStation::channelEnded(BenchChannel* channel, qlonglong recording) {
    session_.reread();
    if (recording > 0) {
        notifyDesktop(tr("At the bench"), tr("%1 has ended.").arg(channel->title()), false);
        session_.say(
            tr("%1 has ended: it is on the shelf with its readings.").arg(channel->title()));
    }
    refresh();
    refreshAsks();
    promptQueue();
}

/// The next step of the queue that is kept in the book, if there is one.
void BenchStation::promptQueue() {
    const auto kept = keptQueueIn(session_.book().setting(kQueueSetting).value_or(std::string()));
    if (!kept) return;
    QueueWish wish = *kept;
    const double at = now_s() + localOffset_s(now_s());
    wish.now_s = at;
    queueJob_.start(
        [wish](std::stop_token, const Job::ProgressSink&) -> Expected<QueuePlan> {
            return planQueue(wish);
        },
        [this, wish, at](const Expected<QueuePlan>& plan) {
            if (!plan) return;
            const auto next = queueNow(*plan, at - 1).next;
            if (!next) return;
            const QueueStep& s = plan->steps[*next];
            call(tr("Next in the queue: %1 into %2.")
                     .arg(QString::fromStdString(wish.modules[s.module].name),
                          QString::fromStdString(
                              wish.chargers[static_cast<std::size_t>(s.charger)].name)),
                 false);
        });
}

void BenchStation::applyColours() {
    lanes_->update();
    for (ChannelStrip* s : strips_) s->update();
}

std::vector<StationAction> BenchStation::menuActions() {
    return {{tr("Bench: watch a file…"), [this] { askFor(SourceDialog::Kind::File); }},
            {tr("Bench: watch a serial line…"), [this] { askFor(SourceDialog::Kind::Serial); }},
            {tr("Bench: watch the simulated instrument"), [this] { watchSimulated(60, 3, {}); }}};
}

}  // namespace nk
