#include "app/finish/finish_station.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QStyledItemDelegate>
#include <QTableWidget>
#include <QVBoxLayout>
#include <cmath>
#include <utility>

#include "app/finish/flag_strip.h"
#include "app/plot/lanes_plot.h"
#include "app/shell/table_habits.h"
#include "app/theme/theme.h"
#include "app/theme/word_label.h"
#include "quantity/format.h"

namespace nk {

namespace {

enum Column { kRule, kWords, kStops, kCharge, kTemperature, kAgainst, kColumns };
constexpr int kShareRole = Qt::UserRole + 1;
constexpr int kRuleRole = Qt::UserRole + 2;
constexpr int kScaleRole = Qt::UserRole + 3;

/// A bar from the middle: to the left short of full, to the right beyond it; the words over it.
class AgainstFull : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* p, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override {
        const Theme& t = currentTheme();
        p->save();
        const bool chosen = option.state & QStyle::State_Selected;
        p->fillRect(option.rect, chosen ? t.selection : t.card);
        const double share = index.data(kShareRole).toDouble();
        const QRect r = option.rect.adjusted(6, 5, -4, -5);
        const int half = 18;
        const int middle = r.left() + half;
        if (std::isfinite(share)) {
            const double unit = half / std::max(index.data(kScaleRole).toDouble(), 0.02);
            const int length = std::clamp(static_cast<int>(std::abs(share) * unit), 2, half);
            p->fillRect(QRect(share > 0 ? middle : middle - length, r.top(), length, r.height()),
                        share > 0 ? t.current : t.voltage);
            p->setPen(QPen(t.muted, 1));
            p->drawLine(middle, r.top() - 2, middle, r.bottom() + 2);
        }
        p->setPen(t.text);
        p->setFont(option.font);
        const QRect words =
            option.rect.adjusted(std::isfinite(share) ? 2 * half + 14 : 6, 0, -2, 0);
        p->drawText(
            words, Qt::AlignVCenter | Qt::AlignLeft,
            p->fontMetrics().elidedText(index.data().toString(), Qt::ElideRight, words.width()));
        p->restore();
    }
};

}  // namespace

FinishStation::FinishStation(QWidget* parent) : Station(parent) {
    setObjectName("finishStation");
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(10, 9, 8, 8);
    outer->setSpacing(4);
    auto* head = new QHBoxLayout;
    title_ = new NameLabel(this);
    title_->setObjectName("finishTitle");
    title_->setProperty("role", "title");
    charges_ = new QComboBox(this);
    charges_->setObjectName("charges");
    charges_->setAccessibleName(tr("Which charge of the log"));
    head->addWidget(title_, 1);
    head->addWidget(charges_);
    outer->addLayout(head);
    nothing_ = wordLabel(this, "noCharge", "muted");
    nothing_->setText(
        tr("There is no charge in this log. Choose another recording on the shelf, or log a "
           "charge from its start until some minutes after its end."));
    outer->addWidget(nothing_);
    body_ = new QWidget(this);
    auto* box = new QVBoxLayout(body_);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(4);
    full_ = wordLabel(body_, "fullWords", "muted");
    box->addWidget(full_);
    flags_ = new FlagStrip(body_);
    box->addWidget(flags_);
    plot_ = new LanesPlot(body_);
    plot_->setObjectName("finishLanes");
    plot_->setMinimumHeight(170);
    box->addWidget(plot_, 1);
    advice_ = wordLabel(body_, "advice", "");
    advice_->setStyleSheet("font-weight:600;");
    box->addWidget(advice_);
    table_ = new QTableWidget(0, kColumns, body_);
    table_->setTabKeyNavigation(false);  // Tab leads on to the next part
    table_->setObjectName("rules");
    table_->setAccessibleName(tr("Stop rules, the one that suits best first"));
    table_->setHorizontalHeaderLabels({tr("Rule"), tr("It ends the charge at"), tr("Time"),
                                       tr("Charge in"), tr("Warm"), tr("Against full")});
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(25);
    table_->setShowGrid(false);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                            QAbstractItemView::SelectedClicked);
    table_->setItemDelegateForColumn(kAgainst, new AgainstFull(table_));
    table_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->horizontalHeader()->setSectionResizeMode(kWords, QHeaderView::Stretch);
    table_->horizontalHeader()->setSectionResizeMode(kAgainst, QHeaderView::Fixed);
    table_->setColumnWidth(kRule, 88);
    table_->setColumnWidth(kStops, 62);
    table_->setColumnWidth(kCharge, 72);
    table_->setColumnWidth(kTemperature, 58);
    table_->setColumnWidth(kAgainst, 204);
    giveHabits(table_, "rules");
    box->addWidget(table_);
    problem_ = wordLabel(body_, "ruleProblem", "muted");
    box->addWidget(problem_);
    auto* buttons = new QHBoxLayout;
    buttons->setContentsMargins(4, 0, 0, 0);
    const auto button = [&](const QString& words, const char* name, const QString& tip) {
        auto* b = new QPushButton(words, body_);
        b->setObjectName(name);
        b->setProperty("role", "link");
        b->setToolTip(tip);
        buttons->addWidget(b);
        return b;
    };
    auto* add = button(tr("Add a rule"), "addRule", tr("A new row to type a rule into"));
    remove_ = button(tr("Remove it"), "removeRule", tr("Takes the selected rule off the list"));
    auto* usual = button(tr("The usual rules"), "usualRules",
                         tr("Back to the usual rules of this chemistry"));
    buttons->addStretch(1);
    auto* meter =
        button(tr("Meter check…"), "meterCheck",
               tr("Compare the log with an independent meter: offset and lead resistance"));
    box->addLayout(buttons);
    outer->addWidget(body_, 1);

    connect(charges_, &QComboBox::activated, this, &FinishStation::chooseCharge);
    connect(plot_, &LanesPlot::viewChanged, this, [this] {
        const auto [left, right] = plot_->laneEdges();
        flags_->setView(plot_->rangeLow(), plot_->rangeHigh(), left, right);
    });
    connect(plot_, &LanesPlot::pointerAt, this,
            [this](double t) { Q_EMIT rulerChanged(QString::fromStdString(clockText(t)), {}); });
    connect(flags_, &FlagStrip::flagSelected, this, [this](int rule) {
        for (int row = 0; row < table_->rowCount(); ++row)
            if (table_->item(row, kRule)->data(kRuleRole).toInt() == rule) table_->selectRow(row);
    });
    connect(flags_, &FlagStrip::flagDragged, this, [this](int rule, double t) {
        wanted_ = Drag{rule, t};
        if (!dragging_) followDrag();
    });
    connect(flags_, &FlagStrip::flagDropped, this, [this](int) {
        dropped_ = true;
        if (!dragging_) followDrag();
    });
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        const int row = table_->currentRow();
        if (filling_ || row < 0) return;
        flags_->select(table_->item(row, kRule)->data(kRuleRole).toInt());
    });
    connect(table_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
        if (filling_ || item->column() != kRule) return;
        const auto typed = presenter_.typeRule(item->data(kRuleRole).toInt(), item->text());
        if (!typed) {
            say(QString::fromStdString(typed.error().text()));
            fillTable();
            return;
        }
        say({});
        rank(true);
        keepRules();
    });
    connect(add, &QPushButton::clicked, this, [this] {
        // A timer is a backstop that every charge bears; the user types over it.
        for (int hours = 2; hours < 48; ++hours)
            if (presenter_.typeRule(-1, QString("timer:%1h").arg(hours))) break;
        rank(true);
        keepRules();
    });
    connect(remove_, &QPushButton::clicked, this, [this] {
        auto rules = presenter_.rules();
        const int rule = flags_->selectedRule();
        if (rule < 0 || rule >= static_cast<int>(rules.size())) {
            say(tr("Select a rule first."));
            return;
        }
        rules.erase(rules.begin() + rule);
        presenter_.setRules(std::move(rules));
        flags_->select(-1);
        rank(true);
        keepRules();
    });
    connect(usual, &QPushButton::clicked, this, [this] {
        presenter_.resetRules();
        rank(true);
        Q_EMIT rulesChanged(batteryId_, {});
    });
    connect(meter, &QPushButton::clicked, this, &Station::meterCheckRequested);
}

/// One step of a drag at a time, in the worker: what the pointer asked for meanwhile is looked at
/// next, so that flags and figures follow on logs of any size, and the rules are kept once it was
/// let go.
void FinishStation::followDrag() {
    if (!wanted_) {
        if (std::exchange(dropped_, false)) keepRules();
        return;
    }
    const Drag drag = *std::exchange(wanted_, std::nullopt);
    dragging_ = true;
    last_ = drag;
    job_.start([work = presenter_.movingWork(charge_, drag.rule, drag.time_s)](
                   std::stop_token, const Job::ProgressSink&) mutable { return work(); },
               [this](const Expected<FinishPresenter::Moved>& moved) {
                   dragging_ = false;
                   say(moved ? QString() : QString::fromStdString(moved.error().text()));
                   if (moved) {
                       presenter_.setRules(moved->rules);
                       take(moved->ranking, true);
                   }
                   followDrag();
               });
}

void FinishStation::forgetDrag() {
    dragging_ = dropped_ = false;
    wanted_.reset();
}

void FinishStation::say(const QString& words) {
    problem_->setText(words);
    problem_->setVisible(!words.isEmpty());
}

void FinishStation::keepRules() {
    Q_EMIT rulesChanged(batteryId_, presenter_.ruleTexts());
}

void FinishStation::show(ShownPtr shown) {
    const bool same = presenter_.chargeCount() > 0 && shown &&
                      title_->property("recording") == static_cast<qlonglong>(shown->id);
    presenter_.setShown(shown);
    batteryId_ = shown ? shown->batteryId : 0;
    say({});
    const bool any = shown && presenter_.chargeCount() > 0;
    nothing_->setVisible(!any);
    body_->setVisible(any);
    charges_->setVisible(any && presenter_.chargeCount() > 1);
    title_->setText(shown ? shown->title : QString());
    title_->setProperty("recording", shown ? static_cast<qlonglong>(shown->id) : 0LL);
    if (!any) {
        forgetDrag();
        job_.cancel();  // a ranking of what was shown before
        plot_->setRecording(nullptr);
        return;
    }
    charges_->clear();
    for (int k = 0; k < presenter_.chargeCount(); ++k) charges_->addItem(presenter_.chargeLabel(k));
    const double low = plot_->rangeLow();
    const double high = plot_->rangeHigh();
    // What tells most: warmth for nickel, the tapering current for lithium.
    plot_->setRecording(shown->recording, presenter_.nickel() && shown->recording->hasTemperature()
                                              ? LanesPlot::kVoltage | LanesPlot::kTemperature
                                              : LanesPlot::kVoltage | LanesPlot::kCurrent);
    if (same) plot_->showRange(low, high);
    if (!same || charge_ >= presenter_.chargeCount()) charge_ = 0;
    charges_->setCurrentIndex(charge_);
    if (same && dragging_) {
        // Read anew while a flag is moved: what was asked for last is asked for again.
        if (!wanted_) wanted_ = last_;
        followDrag();
        return;
    }
    rank(same);
}

void FinishStation::chooseCharge(int charge) {
    charge_ = charge;
    rank(false);
}

void FinishStation::rank(bool keepView) {
    if (presenter_.chargeCount() == 0) return;
    forgetDrag();
    job_.start([work = presenter_.rankingWork(charge_)](
                   std::stop_token, const Job::ProgressSink&) { return work(); },
               [this, keepView](const Ranking& ranking) { take(ranking, keepView); });
}

void FinishStation::take(const Ranking& ranking, bool keepView) {
    view_ = presenter_.view(charge_, ranking);
    full_->setText(view_.fullWords);
    advice_->setText(view_.advice);
    if (!keepView) plot_->showRange(view_.from_s, view_.to_s);
    std::vector<PlotMark> marks;
    if (std::isfinite(view_.full_s)) marks.push_back({view_.full_s, {}});
    plot_->setMarks(std::move(marks));
    plot_->replot(QCustomPlot::rpQueuedReplot);
    flags_->setFull(view_.full_s, view_.fullWords);
    Q_EMIT rulerChanged(
        tr("Drag a flag along the curve, or double click a rule to type another threshold"), {});
    std::vector<Flag> flags;
    for (std::size_t k = 0; k < view_.rows.size(); ++k) {
        const RuleRow& row = view_.rows[k];
        Flag f;
        f.rule = row.rule;
        f.time_s = row.time_s;
        f.label = row.label;
        f.best = k == 0 && row.fired;
        f.movable = !row.text.startsWith("inflection");
        f.tip = row.words + "\n" + row.against + (row.note.isEmpty() ? "" : "\n" + row.note);
        flags.push_back(std::move(f));
    }
    flags_->setFlags(std::move(flags));
    const auto [left, right] = plot_->laneEdges();
    flags_->setView(plot_->rangeLow(), plot_->rangeHigh(), left, right);
    fillTable();
}

void FinishStation::fillTable() {
    filling_ = true;
    table_->setRowCount(static_cast<int>(view_.rows.size()));
    double scale = 0;
    for (const RuleRow& row : view_.rows)
        if (std::isfinite(row.share)) scale = std::max(scale, std::abs(row.share));
    for (int r = 0; r < table_->rowCount(); ++r) {
        const RuleRow& row = view_.rows[static_cast<std::size_t>(r)];
        const QString texts[kColumns] = {row.text,   row.words,       row.stops,
                                         row.charge, row.temperature, row.against};
        for (int c = 0; c < kColumns; ++c) {
            auto* item = new QTableWidgetItem(texts[c]);
            item->setData(kRuleRole, row.rule);
            if (c == kAgainst)
                item->setData(kShareRole, row.share), item->setData(kScaleRole, scale);
            if (c != kRule) item->setFlags(item->flags() & ~Qt::ItemIsEditable);
            item->setToolTip(c == kRule ? tr("Double click or F2 to type another threshold")
                             : row.note.isEmpty() ? row.words
                                                  : row.note);
            table_->setItem(r, c, item);
        }
        if (row.rule == flags_->selectedRule()) table_->selectRow(r);
    }
    const int height = table_->horizontalHeader()->sizeHint().height() +
                       25 * std::clamp(table_->rowCount(), 3, 7) + 4;
    table_->setFixedHeight(height);
    filling_ = false;
}

void FinishStation::showEvidence(const Evidence& evidence, const QString& words) {
    plot_->showEvidence(evidence, words);
}

QWidget* FinishStation::firstFocus() {
    return flags_;
}

void FinishStation::applyColours() {
    plot_->applyColours();
    flags_->update();
    table_->viewport()->update();
}

}  // namespace nk
