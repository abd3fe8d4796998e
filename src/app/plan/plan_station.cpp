#include "app/plan/plan_station.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/plan/card_view.h"
#include "app/plan/expected_charge.h"
#include "app/plan/expected_curve.h"
#include "app/plan/queue_desk.h"
#include "app/plan/what_if_panel.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "app/theme/word_label.h"
#include "history/open_recording.h"
#include "history/plan_files.h"
#include "ownmodel/judge.h"
#include "planning/log_next.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "safety/rules.h"

namespace nk {

namespace {

QString say(const std::string& words) {
    return QString::fromStdString(words);
}

double asLocal_s(const QDateTime& at) {
    return static_cast<double>(QDateTime(at.date(), at.time(), Qt::UTC).toSecsSinceEpoch());
}

}  // namespace

PlanStation::PlanStation(Session& session, QWidget* parent) : Station(parent), session_(session) {
    setObjectName("planStation");
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(10, 9, 8, 8);
    outer->setSpacing(6);
    auto* asks = new QHBoxLayout;
    asks->setSpacing(4);
    questions_ = new QButtonGroup(this);
    const QString names[] = {tr("charge it"),        tr("bring it back to life"),
                             tr("put it away"),      tr("ready by …"),
                             tr("join in parallel"), tr("many modules, few chargers"),
                             tr("what if …")};
    for (int k = 0; k < static_cast<int>(std::size(names)); ++k) {
        auto* b = new QPushButton(names[k], this);
        b->setObjectName(QString("ask-%1").arg(k));
        b->setCheckable(true);
        b->setProperty("role", "choice");
        QFont bold = font();
        bold.setWeight(QFont::DemiBold);
        b->setMinimumWidth(QFontMetrics(bold).horizontalAdvance(names[k]) + 22);
        questions_->addButton(b, k);
        asks->addWidget(b);
    }
    asks->addStretch(1);
    outer->addLayout(asks);
    form_ = new PlanForm(this);
    outer->addWidget(form_);
    auto* more = new QHBoxLayout;
    const auto button = [&](const QString& words, const char* name) {
        auto* b = new QPushButton(words, this);
        b->setObjectName(name);
        return b;
    };
    openFile_ = button({}, "planOpen");
    openChargers_ = button(tr("Chargers from a file…"), "planChargers");
    calendar_ = button(tr("As a calendar…"), "planCalendar");
    keep_ = button(tr("Keep for the next log"), "planKeep");
    keep_->setToolTip(
        tr("Keeps the card and what is ticked with the battery: the log that follows "
           "is set against it"));
    save_ = button(tr("Bench card…"), "planSave");
    save_->setToolTip(tr("The card as a PDF to print"));
    more->addWidget(openFile_);
    more->addStretch(1);
    for (QPushButton* b : {openChargers_, calendar_, keep_, save_}) more->addWidget(b);
    outer->addLayout(more);

    scroll_ = new QScrollArea(this);
    scroll_->setWidgetResizable(true);
    scroll_->setFrameShape(QFrame::NoFrame);
    auto* page = new QWidget(scroll_);
    scroll_->setWidget(page);
    auto* body = new QVBoxLayout(page);
    body->setContentsMargins(0, 4, 6, 4);
    body->setSpacing(6);
    title_ = wordLabel(page, "planTitle", "heading");
    lead_ = wordLabel(page, "planLead", "");
    desk_ = new QueueDesk(session_, page);
    curve_ = new ExpectedCurve(page);
    modelWords_ = wordLabel(page, "planModel", "muted");
    against_ = wordLabel(page, "planAgainst", "");
    cardView_ = new CardView(page);
    for (QWidget* w : std::initializer_list<QWidget*>{title_, lead_, desk_, curve_, modelWords_,
                                                      against_, cardView_})
        body->addWidget(w);
    body->addStretch(1);
    outer->addWidget(scroll_, 1);
    whatIf_ = new WhatIfPanel(this);
    outer->addWidget(whatIf_, 1);

    connect(form_, &PlanForm::changed, this, &PlanStation::answer);
    connect(questions_, &QButtonGroup::idClicked, this,
            [this](int k) { setAsked(static_cast<Asked>(k)); });
    connect(openChargers_, &QPushButton::clicked, this, &PlanStation::openChargers);
    connect(openFile_, &QPushButton::clicked, this, [this] {
        if (asked_ == Asked::Join)
            openPacks();
        else
            openModules();
    });
    connect(save_, &QPushButton::clicked, this, &PlanStation::saveCard);
    connect(keep_, &QPushButton::clicked, this, [this] {
        if (asked_ == Asked::Charge)
            keepCard();
        else
            keepWeek();
    });
    connect(calendar_, &QPushButton::clicked, this, &PlanStation::saveCalendar);
    connect(desk_, &QueueDesk::planned, this, [this] {
        if (asked_ == Asked::Queue) showQueue();
    });
    connect(&session_, &Session::planRequested, this, [this](qlonglong battery) {
        planFor(battery, Asked::BackToLife);
        form_->setBack(PlanForm::Back::Capacity);
        Q_EMIT wanted();
    });
    connect(&session_, &Session::bookChanged, this, [this] {
        learnedOf_ = learnedFor_ = 0;
        desk_->forgetBook();
    });
    built_ = true;
    setAsked(Asked::Charge);
}

bool PlanStation::busy() const {
    return desk_->busy() || model_.running() || whatIf_->busy();
}

QWidget* PlanStation::firstFocus() {
    return questions_->button(static_cast<int>(asked_));
}

void PlanStation::planFor(std::int64_t battery, Asked asked) {
    wantedBattery_ = battery;
    setAsked(asked);
}

void PlanStation::show(ShownPtr shown) {
    const RecordingEntry* entry = shown ? session_.entryOf(shown->id) : nullptr;
    const std::int64_t id = wantedBattery_ > 0       ? wantedBattery_
                            : session_.battery() > 0 ? session_.battery()
                            : entry != nullptr       ? entry->batteryId
                                                     : 0;
    wantedBattery_ = 0;
    if (id > 0) session_.chooseBattery(id);
    shown_ = entry != nullptr && entry->batteryId == id ? shown : nullptr;
    if (id > 0) {
        const Battery b = session_.batteryOf(id);
        form_->setBattery(b, id != learnedOf_);
        name_ = QString::fromStdString(b.name);
    } else {
        name_ = tr("a battery");
    }
    learn(id, shown_ ? shown_->id : 0);
    answer();
}

/// A refusal as a person reads it: why, and what to do instead, with the rule's source.
void PlanStation::refuse(const Error& why) {
    problem_ = say(why.where.empty() ? why.what : why.where + ": " + why.what);
    instead_.clear();
    if (!why.accepted.empty())
        instead_ = why.rule.empty() ? tr("Accepted: %1").arg(say(why.accepted))
                                    : tr("Instead: %1").arg(say(why.accepted));
    if (!why.rule.empty()) {
        const GateRule& rule = gateRule(why.rule);
        instead_ += "\n" + tr("The rule: %1 (%2)")
                               .arg(say(phrase(std::string(rule.says))),
                                    say(phrase(std::string(rule.source))));
    }
    form_->askRating(why.rule == "figures" &&
                     why.accepted.find("--rating-is-right") != std::string::npos);
}

void PlanStation::setAsked(Asked asked) {
    asked_ = asked;
    questions_->button(static_cast<int>(asked))->setChecked(true);
    form_->setAsked(asked);
    const bool table = asked == Asked::Join || asked == Asked::Queue;
    const bool card = asked != Asked::WhatIf;
    openFile_->setVisible(table);
    openFile_->setText(asked == Asked::Join ? tr("A table of packs…") : tr("A table of modules…"));
    openChargers_->setVisible(card && asked != Asked::Join);
    calendar_->setVisible(asked == Asked::Queue || asked == Asked::ReadyBy);
    keep_->setVisible(asked == Asked::Charge || asked == Asked::ReadyBy);
    keep_->setText(asked == Asked::Charge ? tr("Keep for the next log") : tr("Keep the week"));
    save_->setVisible(card);
    scroll_->setVisible(card);
    whatIf_->setVisible(!card);
    answer();
}

void PlanStation::answer() {
    if (!built_) return;
    problem_.clear();
    instead_.clear();
    card_ = {};
    ready_.reset();
    const auto take = [&](const auto& plan) {
        if (plan)
            card_ = benchCard(*plan, name_);
        else
            refuse(plan.error());
    };
    const ProgramWish wish = programWish();
    switch (asked_) {
        case Asked::Charge:
            if (const auto told = known()) {
                card_ = benchCard(told->plan, name_);
                for (const std::string& words : told->how) card_.reasons << say(words);
            } else {
                take(planCharge(chargeWish()));
            }
            if (problem_.isEmpty() && form_->anyCharger()) addComparison(card_);
            break;
        case Asked::BackToLife:
            switch (form_->back()) {
                case PlanForm::Back::Recondition:
                    take(planRecondition(wish));
                    break;
                case PlanForm::Back::BreakIn:
                    take(planBreakIn(wish));
                    break;
                case PlanForm::Back::Capacity:
                    take(planCapacityLog(wish));
                    break;
            }
            break;
        case Asked::Storage:
            take(planStorage(wish));
            break;
        case Asked::ReadyBy: {
            ReadyWish ready;
            ready.charge = chargeWish();
            if (const auto told = known(); told && told->from != "usual")
                ready.charge.known =
                    KnownTime{told->plan.time_s, told->plan.effectiveCurrent_A, told->plan.knee_s,
                              told->from, told->plan.reasons.at("time_s")};
            ready.charge.set_V = 0;
            ready.charge.overnight = form_->unattended();
            ready.now_s = asLocal_s(QDateTime::currentDateTime());
            ready.ready_s = form_->ready_s();
            ready.present = form_->present();
            ReadyRule rule;
            rule.days = form_->weekdays();
            rule.minute = static_cast<int>(std::fmod(ready.ready_s, 86400) / 60);
            if (const auto next = nextReady(rule, ready.now_s)) ready.ready_s = *next;
            const auto program = planReadyBy(ready);
            take(program);
            if (program) ready_ = *program;
            break;
        }
        case Asked::Join: {
            if (packs_.empty()) {
                problem_ = tr("Which packs?");
                instead_ =
                    tr("Open a table with a pack a row: name, chemistry, series, voltage_v, "
                       "rated_ah, and resistance_ohm, charge_limit_c, soc where they are known.");
                break;
            }
            const auto joined = planJoin(packs_);
            if (joined)
                card_ = benchCard(*joined);
            else
                refuse(joined.error());
            break;
        }
        case Asked::Queue: {
            if (desk_->takeKept()) {
                form_->setQueue(desk_->wish());
                return;
            }
            if (desk_->empty()) {
                problem_ = tr("Which modules?");
                instead_ =
                    tr("Open a table with a module a row: name, chemistry, series, rated_ah, and "
                       "capacity_ah, charge_a, discharge_a where they are known.");
                break;
            }
            desk_->setFigures(form_->chargers(), form_->cycles(), form_->present(),
                              form_->unattended());
            return;
        }
        case Asked::WhatIf:
            return;
    }
    drawCard();
}

void PlanStation::showQueue() {
    problem_.clear();
    if (desk_->problem())
        refuse(*desk_->problem());
    else
        instead_.clear();
    card_ = desk_->plan() ? benchCard(*desk_->plan(), desk_->wish()) : BenchCard();
    drawCard();
}

/// The chargers beside one another, by this task.
void PlanStation::addComparison(BenchCard& card) const {
    TaskWish wish;
    wish.charge = chargeWish();
    wish.discharge = false;
    const auto tasks = compareChargers(wish, form_->chargers());
    if (!tasks) return;
    for (const ChargerTask& t : *tasks)
        card.reasons << (t.can()
                             ? tr("With %1 a whole charge takes %2%3.")
                                   .arg(QString::fromStdString(t.charger),
                                        QString::fromStdString(durationText(3600 * t.hours)),
                                        t.words.empty() ? QString()
                                                        : ": " + QString::fromStdString(t.words))
                             : QString::fromStdString(t.words));
}

void PlanStation::drawCard() {
    title_->setText(problem_.isEmpty() ? card_.title : problem_);
    lead_->setText(problem_.isEmpty() ? card_.lead : instead_);
    const bool queue = asked_ == Asked::Queue && desk_->plan().has_value();
    desk_->setVisible(queue);
    save_->setEnabled(problem_.isEmpty() && !card_.rows.empty());
    keep_->setEnabled(learnedOf_ > 0 && (problem_.isEmpty() || asked_ == Asked::ReadyBy));
    calendar_->setEnabled(queue || ready_.has_value());
    expect();
    drawAgainst();
    if (problem_.isEmpty())
        cardView_->setCard(card_);
    else
        cardView_->clear();
}

void PlanStation::applyColours() {
    desk_->applyColours();
    curve_->applyColours();
    whatIf_->applyColours();
}

std::vector<StationAction> PlanStation::menuActions() {
    return {{tr("Plan: chargers from a file…"), [this] { openChargers(); }},
            {tr("Plan: a table of modules…"), [this] { openModules(); }},
            {tr("Plan: a table of packs…"), [this] { openPacks(); }},
            {tr("Plan: save the bench card…"), [this] { saveCard(); }}};
}

}  // namespace nk
