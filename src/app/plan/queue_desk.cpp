#include "app/plan/queue_desk.h"

#include <QDateTime>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "app/plan/queue_bars.h"
#include "app/session/text.h"
#include "app/theme/let_go.h"
#include "app/theme/word_label.h"
#include "report/plan_json.h"

namespace nk {

namespace {

QString clock(double at_s) {
    return QString::fromStdString(localTime(at_s).substr(5)).replace('T', ' ');
}

QString doing(const QueueStep& s) {
    return s.what == "charge" ? QObject::tr("charge") : QObject::tr("discharge");
}

}  // namespace

QueueDesk::QueueDesk(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    bars_ = new QueueBars(this);
    box->addWidget(bars_);
    list_ = new QVBoxLayout;
    list_->setSpacing(1);
    box->addLayout(list_);
    connect(bars_, &QueueBars::moved, this,
            [this](qulonglong module, qulonglong link, int charger, int channel, double start_s) {
                std::erase_if(wish_.pins, [&](const QueuePin& p) {
                    return p.module == module && p.link == link;
                });
                wish_.pins.push_back({module, link, charger, channel, start_s});
                replan(true);
            });
    connect(&job_, &Job::failed, this, [this](const QString& what) { session_.say(what, true); });
    connect(&session_, &Session::listsChanged, this, &QueueDesk::lookForLogs);
}

double QueueDesk::now() const {
    if (clock_s_ > 0) return clock_s_;
    const QDateTime at = QDateTime::currentDateTime();
    return static_cast<double>(QDateTime(at.date(), at.time(), Qt::UTC).toSecsSinceEpoch());
}

void QueueDesk::setModules(std::vector<QueueModule> modules) {
    takenFrom_ = session_.path().string();
    const QueueWish before = wish_;
    wish_ = {};
    wish_.modules = std::move(modules);
    wish_.chargers = before.chargers;
    wish_.cycles = before.cycles;
    wish_.present = before.present;
    wish_.unattendedCharging = before.unattendedCharging;
    wish_.start_s = std::floor(now() / 60) * 60;
    replan(true);
}

void QueueDesk::setFigures(const std::vector<ChargerCard>& chargers, int cycles,
                           const Presence& present, bool unattended) {
    // Another bench or another number of cycles: what was done on it does not fit any more.
    const bool same =
        wish_.cycles == cycles && wish_.chargers.size() == chargers.size() &&
        std::ranges::equal(wish_.chargers, chargers, {}, &ChargerCard::name, &ChargerCard::name);
    if (!same) {
        wish_.done.clear();
        wish_.pins.clear();
        wish_.now_s = 0;
    }
    wish_.chargers = chargers;
    wish_.cycles = cycles;
    wish_.present = present;
    wish_.unattendedCharging = unattended;
    if (!empty()) replan(true);
}

bool QueueDesk::takeKept() {
    const std::string book = session_.path().string();
    if (takenFrom_ == book) return false;
    takenFrom_ = book;
    const auto kept = keptQueueIn(session_.book().setting(kQueueSetting).value_or(std::string()));
    if (!kept) {
        wish_ = {};
        plan_.reset();
        return false;
    }
    wish_ = *kept;
    wish_.now_s = 0;
    for (const QueueDone& d : wish_.done) wish_.now_s = std::max(wish_.now_s, d.start_s);
    replan(false);
    return true;
}

void QueueDesk::replan(bool keep) {
    problem_.reset();
    job_.start(
        [asked = wish_](std::stop_token, const Job::ProgressSink&) -> Expected<QueuePlan> {
            return planQueue(asked);
        },
        [this, keep](Expected<QueuePlan> plan) {
            if (plan) {
                plan_ = std::move(*plan);
                bars_->setPlan(*plan_, wish_);
                if (keep)
                    session_.change(
                        [kept = keptQueueText(wish_)](BenchBook& b) -> Expected<void> {
                            return b.keepComputed(kQueueSetting, kept);
                        },
                        {}, false);
            } else {
                plan_.reset();
                problem_ = plan.error();
                // What was put where it cannot be goes back.
                if (!wish_.pins.empty()) {
                    wish_.pins.pop_back();
                    session_.say(text(*problem_), true);
                    return replan(false);
                }
            }
            drawNow();
            Q_EMIT planned();
        });
}

void QueueDesk::addLine(const QString& words, const QString& way, const char* name,
                        std::function<void()> go, const QString& way2, std::function<void()> go2) {
    auto* row = new QWidget(this);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    QLabel* label = wordLabel(row, "queueLine", "");
    label->setText(words);
    line->addWidget(label, 1);
    const auto button = [&](const QString& text, const char* id, std::function<void()> act) {
        auto* b = new QPushButton(text, row);
        b->setObjectName(id);
        b->setProperty("role", "link");
        b->setAccessibleName(text + ": " + words);
        connect(b, &QPushButton::clicked, this, std::move(act));
        line->addWidget(b, 0, Qt::AlignTop);
    };
    if (go) button(way, name, std::move(go));
    if (go2) button(way2, "queueRetire", std::move(go2));
    list_->addWidget(row);
}

void QueueDesk::drawNow() {
    letGoOf(list_);
    if (!plan_) return;
    const double at = now();
    bars_->setNow(at);
    const auto retire = [this](std::size_t module) {
        return [this, module] {
            wish_.retired.push_back(module);
            wish_.now_s = std::max(wish_.now_s, now());
            replan(true);
        };
    };
    const auto place = [&](const QueueStep& s) {
        const ChargerCard& c = wish_.chargers[static_cast<std::size_t>(s.charger)];
        return c.channels > 1
                   ? tr("%1, channel %2").arg(QString::fromStdString(c.name)).arg(s.channel)
                   : QString::fromStdString(c.name);
    };
    const auto name = [&](const QueueStep& s) {
        return QString::fromStdString(wish_.modules[s.module].name);
    };
    const QueueNow moment = queueNow(*plan_, at);
    for (const std::size_t k : moment.running) {
        const QueueStep& s = plan_->steps[k];
        if (s.done) continue;
        addLine(
            tr("Now: %1 of %2 in %3, until about %4.")
                .arg(doing(s), name(s), place(s), clock(s.end_s)),
            tr("ended now"), "queueEnded",
            [this, k] {
                stepEnded(wish_, *plan_, k, now());
                replan(true);
            },
            tr("take it out"), retire(s.module));
    }
    if (moment.next) {
        const QueueStep& s = plan_->steps[*moment.next];
        addLine(tr("Next, %1: %2 into %3, %4.").arg(clock(s.start_s), name(s), place(s), doing(s)),
                {}, "", {}, tr("take it out"), retire(s.module));
    } else if (moment.running.empty() && !plan_->steps.empty() && at > plan_->finish_s) {
        addLine(tr("The queue is done."), {}, "", {});
    }
    if (!wish_.done.empty() || !wish_.pins.empty() || !wish_.retired.empty())
        addLine(tr("%1 steps begun or done, %2 moved by hand, %3 modules taken out.")
                    .arg(wish_.done.size())
                    .arg(wish_.pins.size())
                    .arg(wish_.retired.size()),
                tr("begin anew"), "queueAnew", [this] {
                    wish_.done.clear();
                    wish_.pins.clear();
                    wish_.retired.clear();
                    wish_.now_s = 0;
                    wish_.start_s = std::floor(now() / 60) * 60;
                    replan(true);
                });
}

void QueueDesk::lookForLogs() {
    if (!plan_ || empty()) return;
    const double offset = QDateTime::currentDateTime().offsetFromUtc();
    if (takeLogs(wish_, *plan_, session_.batteries(), session_.recordings(), offset) > 0) {
        session_.say(tr("A log came in: the queue is planned anew from its end."));
        replan(true);
    }
}

void QueueDesk::applyColours() {
    bars_->update();
}

}  // namespace nk
