#include "app/habits/habits_station.h"

#include <QComboBox>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QTimer>
#include <QVBoxLayout>
#include <cmath>

#include "ageing/storage.h"
#include "app/habits/end_chooser.h"
#include "app/habits/fade_plot.h"
#include "app/habits/habit_column.h"
#include "app/session/text.h"
#include "app/shell/data_export.h"
#include "app/theme/let_go.h"
#include "app/theme/word_label.h"
#include "formats/bytes.h"
#include "history/habit_file.h"

namespace nk {

namespace {

constexpr std::size_t kMostHabits = 6;

std::string endKey(std::int64_t battery) {
    return "fade_end:" + std::to_string(battery);
}

std::string betweenKey(std::int64_t battery) {
    return "between_logs:" + std::to_string(battery);
}

}  // namespace

HabitsStation::HabitsStation(Session& session, QWidget* parent)
    : Station(parent), session_(session) {
    setObjectName("habitsStation");
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    scroll_ = new QScrollArea(this);
    scroll_->setWidgetResizable(true);
    scroll_->setFrameShape(QFrame::NoFrame);
    outer->addWidget(scroll_);
    auto* page = new QWidget(scroll_);
    scroll_->setWidget(page);
    auto* box = new QVBoxLayout(page);
    box->setContentsMargins(10, 9, 8, 8);
    box->setSpacing(6);
    auto* head = new QHBoxLayout;
    title_ = new NameLabel(page);
    title_->setObjectName("habitsTitle");
    title_->setProperty("role", "title");
    head->addWidget(title_, 1);
    own_ = new QPushButton(tr("by its own fade"), page);
    own_->setObjectName("habitsOwn");
    own_->setCheckable(true);
    own_->setProperty("role", "choice");
    own_->setToolTip(tr("Scale the laws to what this battery really lost"));
    add_ = new QPushButton(tr("Add a habit"), page);
    add_->setObjectName("habitAdd");
    head->addWidget(own_);
    head->addWidget(add_);
    box->addLayout(head);

    auto* top = new QHBoxLayout;
    top->setSpacing(12);
    plot_ = new FadePlot(page);
    top->addWidget(plot_, 3);
    auto* told = new QVBoxLayout;
    fade_ = wordLabel(page, "fadeWords", "");
    told->addWidget(fade_);
    how_ = new QPushButton(tr("how?"), page);
    how_->setObjectName("fadeHow");
    how_->setCheckable(true);
    how_->setProperty("role", "link");
    told->addWidget(how_, 0, Qt::AlignLeft);
    why_ = wordLabel(page, "fadeWhy", "muted");
    why_->hide();
    told->addWidget(why_);
    connect(how_, &QPushButton::toggled, why_, &QLabel::setVisible);
    record_ = wordLabel(page, "recordWords", "");
    told->addWidget(record_);
    auto* between = new QHBoxLayout;
    betweenLabel_ = new QLabel(tr("Between the logs it was"), page);
    betweenLabel_->setProperty("role", "muted");
    between_ = new QComboBox(page);
    between_->setObjectName("betweenLogs");
    between_->addItems({tr("not known"), tr("stored at half"), tr("left full"), tr("used daily")});
    betweenLabel_->setBuddy(between_);
    between->addWidget(betweenLabel_);
    between->addWidget(between_);
    between->addStretch(1);
    told->addLayout(between);
    end_ = new EndChooser(page);
    told->addWidget(end_);
    told->addStretch(1);
    top->addLayout(told, 2);
    box->addLayout(top);

    row_ = new QHBoxLayout;
    row_->setSpacing(8);
    box->addLayout(row_);
    listTitle_ = new NameLabel(page);
    listTitle_->setObjectName("changesTitle");
    listTitle_->setProperty("role", "heading");
    box->addWidget(listTitle_);
    list_ = new QVBoxLayout;
    list_->setSpacing(1);
    box->addLayout(list_);
    away_ = wordLabel(page, "storageWords", "muted");
    box->addWidget(away_);
    box->addStretch(1);

    keeper_ = new QTimer(this);
    keeper_->setSingleShot(true);
    keeper_->setInterval(400);
    ranker_ = new QTimer(this);
    ranker_->setSingleShot(true);
    ranker_->setInterval(80);
    connect(ranker_, &QTimer::timeout, this, &HabitsStation::rank);
    connect(keeper_, &QTimer::timeout, this, &HabitsStation::keep);
    connect(own_, &QPushButton::toggled, this, [this] { answerAll(); });
    connect(add_, &QPushButton::clicked, this, [this] {
        Habit h = chosen_ != nullptr ? chosen_->habit() : Habit();
        h.name = tr("Another habit").toStdString();
        addHabit(h);
    });
    connect(between_, &QComboBox::activated, this, [this](int k) {
        found_.between = static_cast<BetweenLogs>(k);
        if (found_.habits)
            record_->setText(keepFigures(recordWords(*found_.habits, found_.between).join("\n")));
        if (battery_ > 0)
            session_.change(
                [key = betweenKey(battery_), k](BenchBook& b) -> Expected<void> {
                    return b.setSetting(key, std::to_string(k));
                },
                {}, false);
    });
    connect(end_, &EndChooser::changed, this, [this] {
        if (battery_ <= 0) return;
        session_.change([key = endKey(battery_), kept = keptEnd(end_->question())](
                            BenchBook& b) -> Expected<void> { return b.setSetting(key, kept); },
                        [this, id = battery_] {
                            if (battery_ == id) showBattery(id);
                        },
                        false);
    });
    connect(&job_, &Job::failed, this, [this](const QString& what) { session_.say(what, true); });
    connect(&session_, &Session::bookChanged, this, [this] { battery_ = -1; });
}

bool HabitsStation::keepLater() const {
    return keeper_->isActive() || ranker_->isActive();
}

void HabitsStation::keepNow() {
    if (keeper_->isActive()) keep();
}

QWidget* HabitsStation::firstFocus() {
    if (chosen_ != nullptr) return chosen_->findChild<QWidget*>("weekBand");
    return add_;
}

const Chemistry& HabitsStation::chemistry() const {
    if (found_.habits) {
        const Chemistry* own = found_.habits->battery.battery.chemistryData();
        if (own != nullptr) return *own;
    }
    return chemistries().front();
}

HabitBattery HabitsStation::setting() const {
    HabitBattery out;
    out.chemistry = &chemistry();
    if (found_.habits) {
        const Battery& b = found_.habits->battery.battery;
        out.series = std::max(1, b.series);
        out.rated_Ah = b.rated_Ah;
        if (found_.habits->drift) out.driftPerMonth = std::max(0.0, found_.habits->drift->perMonth);
        if (own_->isChecked())
            for (const OwnAgainstLaw& a : found_.habits->laws)
                if (a.school == schoolsFor(*out.chemistry).front()) out.ownScale = a.scale();
    }
    return out;
}

void HabitsStation::show(ShownPtr shown) {
    const RecordingEntry* entry = shown ? session_.entryOf(shown->id) : nullptr;
    showBattery(session_.battery() > 0 ? session_.battery()
                : entry != nullptr     ? entry->batteryId
                                       : 0);
}

void HabitsStation::showBattery(std::int64_t id) {
    if (keeper_->isActive()) keep();
    battery_ = id;
    if (id <= 0) {
        job_.cancel();  // of the battery before
        take({});
        return;
    }
    title_->setText(QString::fromStdString(session_.batteryOf(id).name));
    job_.start(
        [path = session_.path(), id](std::stop_token stop,
                                     const Job::ProgressSink& progress) -> Expected<HabitsFound> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            HabitsFound out;
            out.question = endIn((*book)->setting(endKey(id)).value_or(std::string()));
            auto habits = habitsOf(**book, id, stop, progress, out.question);
            if (!habits) return tl::unexpected<Error>(habits.error());
            out.habits = std::move(*habits);
            out.kept = habitsIn((*book)->setting(habitsSetting(id)).value_or(std::string()));
            const std::string said = (*book)->setting(betweenKey(id)).value_or(std::string());
            if (said.size() == 1 && said[0] >= '0' && said[0] <= '3')
                out.between = static_cast<BetweenLogs>(said[0] - '0');
            return out;
        },
        [this, id](Expected<HabitsFound> found) {
            if (found)
                takeOf(id, std::move(*found));
            else
                session_.say(text(found.error()), true);
        });
}

void HabitsStation::takeOf(std::int64_t id, HabitsFound found) {
    // What was changed last may still be on its way into the book.
    const auto newer = unwritten_.find(id);
    if (newer != unwritten_.end()) found.kept = newer->second;
    take(std::move(found));
}

void HabitsStation::take(HabitsFound found) {
    found_ = std::move(found);
    const bool known = found_.habits.has_value();
    title_->setText(known ? tr("%1: how do I make it last?")
                                .arg(QString::fromStdString(found_.habits->battery.battery.name))
                          : tr("How do I make it last?"));
    const bool nickel = chemistry().nickel();
    if (known) {
        const auto& fade = found_.habits->fade;
        plot_->setPicture(fade ? fadePicture(*fade) : FadePicture(),
                          fade ? tr("No curve can be drawn yet.")
                               : QString::fromStdString(found_.habits->whyNoFade) + " " +
                                     tr("Log a full discharge now and then."));
        fade_->setText(fade ? keepFigures(fadeWords(*found_.habits).join("\n")) : QString());
        record_->setText(keepFigures(recordWords(*found_.habits, found_.between).join("\n")));
        why_->setText(fadeCaveats(*found_.habits).join("\n"));
    } else {
        plot_->setPicture({}, tr("Choose a battery with logs: its own fade stands here. The habits "
                                 "below work without."));
        fade_->setText({});
        record_->setText({});
    }
    how_->setVisible(known && found_.habits->fade);
    if (!how_->isVisibleTo(this)) how_->setChecked(false);
    const bool gaps = known && found_.habits->record.unknownDays >= 1;
    betweenLabel_->setVisible(gaps);
    between_->setVisible(gaps);
    between_->setCurrentIndex(static_cast<int>(found_.between));
    end_->setVisible(known);
    end_->setRated(known && found_.habits->battery.battery.rated_Ah > 0);
    end_->setQuestion(found_.question);
    own_->setVisible(known && !found_.habits->laws.empty());
    if (!own_->isVisibleTo(this)) own_->setChecked(false);
    if (nickel)
        fillColumns({});
    else
        fillColumns(found_.kept.empty() ? presetHabits(chemistry()) : found_.kept);
}

void HabitsStation::fillColumns(const std::vector<Habit>& habits) {
    // Who works in a column that goes goes on in the first that comes.
    const QWidget* focus = window()->focusWidget();
    const bool held =
        std::ranges::any_of(columns_, [&](const HabitColumn* c) { return c->isAncestorOf(focus); });
    if (held) add_->setFocus();
    columns_.clear();
    chosen_ = nullptr;
    letGoOf(row_);
    for (const Habit& h : habits) {
        auto* column = new HabitColumn(scroll_->widget());
        column->setHabit(h, chemistry());
        connect(column, &HabitColumn::changed, this, &HabitsStation::answerAll);
        connect(column, &HabitColumn::settled, keeper_, qOverload<>(&QTimer::start));
        connect(column, &HabitColumn::chosen, this, [this, column] { choose(column); });
        connect(column, &HabitColumn::removed, this, [this, column] {
            std::vector<Habit> left;
            for (const HabitColumn* c : columns_)
                if (c != column) left.push_back(c->habit());
            fillColumns(left);
            keeper_->start();
        });
        columns_.push_back(column);
        row_->addWidget(column, 1);
    }
    row_->addStretch(0);
    if (!columns_.empty()) chosen_ = columns_.front();
    if (held) firstFocus()->setFocus();
    answerAll();
}

void HabitsStation::addHabit(const Habit& habit) {
    if (columns_.size() >= kMostHabits) {
        session_.say(
            tr("%1 habits at most stand side by side; remove one first.").arg(kMostHabits));
        return;
    }
    std::vector<Habit> all;
    for (const HabitColumn* c : columns_) all.push_back(c->habit());
    all.push_back(habit);
    fillColumns(all);
    choose(columns_.back());
    keeper_->start();
}

void HabitsStation::choose(HabitColumn* column) {
    chosen_ = column;
    for (HabitColumn* c : columns_) c->setChosen(c == column);
    rank();
}

void HabitsStation::answerAll() {
    const HabitBattery battery = setting();
    const BatteryLife life = battery_ > 0 ? session_.lifeOf(battery_) : BatteryLife();
    std::vector<std::optional<HabitAnswer>> answers;
    std::vector<HabitFigures> figures;
    double most = 1;
    for (HabitColumn* c : columns_) {
        auto answer = answerHabit(c->habit(), battery);
        figures.emplace_back();
        answers.emplace_back();
        if (!answer) {
            c->setProblem(text(answer.error()));
            continue;
        }
        figures.back() = habitFigures(*answer, battery, life);
        if (std::isfinite(figures.back().high)) most = std::max(most, figures.back().high);
        answers.back() = std::move(*answer);
    }
    most = std::min(most * 1.05, kFarYears * 1.0);
    for (std::size_t k = 0; k < columns_.size(); ++k)
        if (answers[k]) columns_[k]->setAnswer(*answers[k], figures[k], most);
    for (HabitColumn* c : columns_) c->setChosen(c == chosen_);
    // While an edge is dragged the figures follow at once, the ranking a moment later.
    if (changes_.empty())
        rank();
    else
        ranker_->start();
}

void HabitsStation::rank() {
    ranker_->stop();
    letGoOf(list_);
    changes_.clear();
    if (chosen_ == nullptr) {
        listTitle_->setText(
            chemistry().nickel()
                ? tr("The laws of habits are of lithium batteries: what helps a nickel battery is "
                     "at Finish and Plan.")
                : QString());
        away_->setText(QString::fromStdString(storageWords(Habit(), chemistry()).front()));
        return;
    }
    listTitle_->setText(
        tr("What changes most: %1").arg(QString::fromStdString(chosen_->habit().name)));
    const HabitBattery battery = setting();
    const auto answer = answerHabit(chosen_->habit(), battery);
    if (answer) changes_ = whatChangesMost(*answer, battery);
    for (const HabitChange& c : changes_) {
        auto* line = new QWidget(scroll_->widget());
        auto* box = new QHBoxLayout(line);
        box->setContentsMargins(0, 0, 0, 0);
        QLabel* sentence = wordLabel(line, "change", "");
        sentence->setText(QString::fromStdString(plainAnswer(c)));
        box->addWidget(sentence, 1);
        auto* attempt = new QPushButton(tr("try it"), line);
        attempt->setObjectName("changeTry");
        attempt->setProperty("role", "link");
        attempt->setAccessibleName(tr("Try it: %1").arg(sentence->text()));
        connect(attempt, &QPushButton::clicked, this, [this, c] {
            Habit h = c.habit;
            h.name = c.words;
            addHabit(h);
        });
        QStringList silent;
        for (const std::string& id : c.silent)
            if (const auto school = schoolOf(id)) silent << schoolName(*school);
        if (!silent.isEmpty())
            sentence->setToolTip(tr("No word of it from: %1").arg(silent.join(", ")));
        box->addWidget(attempt, 0, Qt::AlignTop);
        list_->addWidget(line);
    }
    QStringList away;
    for (const std::string& s : storageWords(chosen_->habit(), chemistry()))
        away << QString::fromStdString(s);
    away_->setText(away.join("\n"));
}

void HabitsStation::keep() {
    keeper_->stop();
    if (battery_ <= 0) return;
    std::vector<Habit> all;
    for (const HabitColumn* c : columns_) all.push_back(c->habit());
    const std::string kept = keptHabits(all);
    session_.change([key = habitsSetting(battery_),
                     kept](BenchBook& b) -> Expected<void> { return b.setSetting(key, kept); },
                    [this, id = battery_, kept] {
                        const auto at = unwritten_.find(id);
                        if (at != unwritten_.end() && keptHabits(at->second) == kept)
                            unwritten_.erase(at);
                    },
                    false);
    unwritten_[battery_] = std::move(all);
}

void HabitsStation::applyColours() {
    plot_->applyColours();
    for (HabitColumn* c : columns_) c->applyColours();
}

Expected<void> HabitsStation::writePicture(const QString& path) {
    return writeCurve(path, *plot_);
}

void HabitsStation::openHabit() {
    const QString file =
        session_.dialogs().openFile(this, tr("Open a habit"), tr("Habits (*.json);;All files (*)"));
    if (file.isEmpty()) return;
    const auto bytes = readFile(file.toStdString());
    if (!bytes) return session_.say(text(bytes.error()), true);
    const auto read = readHabit(*bytes, file.toStdString());
    if (!read) return session_.say(text(read.error()), true);
    addHabit(read->habit);
}

void HabitsStation::saveHabit() {
    if (chosen_ == nullptr) return session_.say(tr("There is no habit to save."));
    const QString target =
        session_.dialogs().saveAs(this, tr("Save the habit"), tr("habit.json"), "JSON (*.json)");
    if (target.isEmpty()) return;
    const auto done = writeWhole(target, QByteArray::fromStdString(writeHabit(chosen_->habit())));
    session_.say(done ? tr("The habit is in %1.").arg(target) : text(done.error()), !done);
}

std::vector<StationAction> HabitsStation::menuActions() {
    return {{tr("Habits: open a habit…"), [this] { openHabit(); }},
            {tr("Habits: save the chosen habit…"), [this] { saveHabit(); }}};
}

}  // namespace nk
