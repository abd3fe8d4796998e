#include "app/battery/battery_page.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSortFilterProxyModel>
#include <QTableView>
#include <QVBoxLayout>

#include "app/battery/history_plot.h"
#include "app/battery/history_table.h"
#include "app/battery/model_view.h"
#include "app/life/life_dialog.h"
#include "app/session/text.h"
#include "app/shell/table_habits.h"
#include "app/theme/let_go.h"
#include "app/theme/word_label.h"

namespace nk {

namespace {
constexpr int kModelPicture = 3;  ///< behind those of the history
}

BatteryPage::BatteryPage(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("batteryPage");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(12, 14, 12, 10);
    box->setSpacing(6);
    auto* head = new QHBoxLayout;
    name_ = wordLabel(this, "pageName", "heading");
    auto* edit = new QPushButton(tr("Edit the card…"), this);
    edit->setObjectName("pageEdit");
    auto* pad = new QPushButton(tr("Readings pad…"), this);
    pad->setObjectName("pagePad");
    head->addWidget(name_, 1);
    auto* more = new QPushButton(tr("More…"), this);
    more->setObjectName("pageMore");
    head->addWidget(pad);
    head->addWidget(edit);
    head->addWidget(more);
    box->addLayout(head);
    kind_ = wordLabel(this, "pageKind", "muted");
    auto* who = new QHBoxLayout;
    auto* lines = new QVBoxLayout;
    lines->setSpacing(6);
    lines->addWidget(kind_);
    about_ = wordLabel(this, "pageAbout", "");
    lines->addWidget(about_);
    outOfUse_ = wordLabel(this, "pageOutOfUse", "hazard");
    lines->addWidget(outOfUse_);
    verdict_ = wordLabel(this, "pageVerdict", "");
    QFont big = font();
    big.setPixelSize(20);
    big.setWeight(QFont::DemiBold);
    verdict_->setFont(big);
    lines->addWidget(verdict_);
    who->addLayout(lines, 1);
    photo_ = new QLabel(this);
    photo_->setObjectName("pagePhoto");
    photo_->setAccessibleName(tr("Picture of the battery"));
    who->addWidget(photo_, 0, Qt::AlignTop | Qt::AlignRight);
    box->addLayout(who);
    reasons_ = new QVBoxLayout;
    reasons_->setSpacing(0);
    box->addLayout(reasons_);
    next_ = wordLabel(this, "pageNext", "muted");
    auto* nextRow = new QHBoxLayout;
    nextRow->addWidget(next_, 1);
    card_ = new QPushButton(tr("bench card"), this);
    card_->setObjectName("pageCard");
    card_->setProperty("role", "link");
    card_->setToolTip(tr("The settings for that log, at Plan"));
    nextRow->addWidget(card_, 0, Qt::AlignTop);
    box->addLayout(nextRow);
    connect(card_, &QPushButton::clicked, this,
            [this] { Q_EMIT session_.planRequested(battery_); });
    auto* choices = new QHBoxLayout;
    pictures_ = new QButtonGroup(this);
    int picture = 0;
    for (const QString& name :
         {tr("Capacity"), tr("Resistance"), tr("Temperature"), tr("Its own model")}) {
        auto* button = new QPushButton(name, this);
        button->setObjectName(QString("history-%1").arg(picture));
        button->setCheckable(true);
        button->setProperty("role", "choice");
        pictures_->addButton(button, picture++);
        choices->addWidget(button);
    }
    pictures_->button(0)->setChecked(true);
    choices->addStretch(1);
    QPushButton* cycles = cycles_ = new QPushButton(tr("over full cycles"), this);
    cycles->setObjectName("historyCycles");
    cycles->setCheckable(true);
    cycles->setProperty("role", "choice");
    choices->addWidget(cycles);
    box->addLayout(choices);
    plot_ = new HistoryPlot(this);
    box->addWidget(plot_, 3);
    model_ = new ModelView(session_, this);
    model_->hide();
    box->addWidget(model_, 3);
    filter_ = new QLineEdit(this);
    filter_->setObjectName("historyFilter");
    filter_->setPlaceholderText(tr("Show only readings with these letters"));
    filter_->setAccessibleName(tr("Filter of the history"));
    filter_->setClearButtonEnabled(true);
    box->addWidget(filter_);
    readings_ = new HistoryTable(this);
    shown_ = new QSortFilterProxyModel(this);
    shown_->setSourceModel(readings_);
    shown_->setFilterKeyColumn(-1);
    shown_->setFilterCaseSensitivity(Qt::CaseInsensitive);
    shown_->setSortCaseSensitivity(Qt::CaseInsensitive);
    shown_->setSortLocaleAware(true);
    shown_->setSortRole(HistoryTable::kSortRole);
    table_ = new QTableView(this);
    table_->setTabKeyNavigation(false);  // Tab leads on to the next part
    table_->setModel(shown_);
    table_->setObjectName("history");
    table_->setAccessibleName(tr("History of the battery"));
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSortingEnabled(true);
    table_->sortByColumn(HistoryTable::kDay, Qt::DescendingOrder);
    table_->horizontalHeader()->setSectionResizeMode(HistoryTable::kConditions,
                                                     QHeaderView::Stretch);
    table_->setColumnWidth(HistoryTable::kDay, 96);
    table_->setColumnWidth(HistoryTable::kReading, 170);
    table_->setColumnWidth(HistoryTable::kValue, 132);
    table_->setColumnWidth(HistoryTable::kFrom, 120);
    giveHabits(table_, "history");
    box->addWidget(table_, 2);
    connect(edit, &QPushButton::clicked, this, [this] { Q_EMIT editRequested(battery_); });
    connect(pad, &QPushButton::clicked, this, [this] { Q_EMIT padRequested(battery_); });
    connect(more, &QPushButton::clicked, this, [this, more] {
        Q_EMIT moreRequested(battery_, more->mapToGlobal(QPoint(0, more->height())));
    });
    connect(pictures_, &QButtonGroup::idClicked, this, &BatteryPage::choosePicture);
    connect(cycles, &QPushButton::toggled, plot_, &HistoryPlot::setByCycles);
    connect(plot_, &HistoryPlot::evidenceChosen, this, &BatteryPage::evidenceChosen);
    connect(filter_, &QLineEdit::textChanged, shown_,
            [this](const QString& t) { shown_->setFilterFixedString(t.trimmed()); });
    connect(table_, &QTableView::activated, this, &BatteryPage::openRow);
    connect(&job_, &Job::failed, this, [this](const QString& what) { session_.say(what, true); });
}

void BatteryPage::show(std::int64_t batteryId) {
    battery_ = batteryId;
    name_->setText(breakable(QString::fromStdString(session_.batteryOf(batteryId).name)));
    job_.start(
        [path = session_.path(), batteryId, at = now_s()](
            std::stop_token, const Job::ProgressSink&) -> Expected<BatteryPageView> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            const auto read = readBatteryPage(**book, batteryId, at);
            if (!read) return tl::unexpected<Error>(read.error());
            return batteryPageView(*read);
        },
        [this](const Expected<BatteryPageView>& read) {
            if (read)
                take(*read);
            else
                session_.say(text(read.error()), true);
        });
}

void BatteryPage::take(BatteryPageView view) {
    view_ = std::move(view);
    readings_->setRows(view_.rows);
    name_->setText(breakable(view_.name));
    kind_->setText(view_.kind);
    verdict_->setText(view_.verdict);
    letGoOf(reasons_);
    about_->setText(breakable(view_.about));
    about_->setVisible(!view_.about.isEmpty());
    outOfUse_->setText(breakable(view_.outOfUse));
    outOfUse_->setVisible(!view_.outOfUse.isEmpty());
    constexpr int kPhoto = 110;
    const QPixmap photo = photoOf(view_.photo, kPhoto);
    photo_->setPixmap(photo);
    photo_->setVisible(!photo.isNull());
    for (const PageReason& r : view_.reasons)
        if (r.recording > 0)
            addLine(r.words, tr("show the log"), tr("Show the log: %1").arg(r.words),
                    [this, id = r.recording] { Q_EMIT recordingChosen(id); });
        else
            addLine(r.words, {}, {}, {});
    if (!view_.change.isEmpty()) addLine(view_.change, {}, {}, {});
    if (!view_.shelfLoss.isEmpty()) addLine(view_.shelfLoss, {}, {}, {});
    if (!view_.noDays.isEmpty())
        addLine(view_.noDays, tr("show the log"), tr("Show the log: %1").arg(view_.noDays),
                [this, id = view_.undated.front()] { Q_EMIT recordingChosen(id); });
    for (const auto& [name, id] : view_.parts)
        addLine(tr("Part: %1").arg(name), tr("open"), tr("Open %1").arg(name),
                [this, part = id] { Q_EMIT batteryChosen(part); });
    for (const auto& [words, task] : view_.due)
        addLine(words, tr("done"), tr("Done: %1").arg(words),
                [this, ticked = task] { Q_EMIT taskDone(ticked); });
    QString next = view_.next;
    if (!view_.leftOut.isEmpty())
        next += (next.isEmpty() ? "" : "\n") + tr("Left out: %1").arg(view_.leftOut);
    next_->setText(next);
    next_->setVisible(!next.isEmpty());
    card_->setVisible(!view_.next.isEmpty() && session_.batteryOf(battery_).rated_Ah > 0);
    plot_->setView(view_);
    if (pictures_->checkedId() == kModelPicture) model_->show(battery_);
}

bool BatteryPage::busy() const {
    return job_.running() || model_->busy();
}

void BatteryPage::choosePicture(int k) {
    const bool own = k == kModelPicture;
    plot_->setVisible(!own);
    cycles_->setVisible(!own);
    model_->setVisible(own);
    if (own)
        model_->show(battery_);
    else
        plot_->show(static_cast<HistoryPlot::Picture>(k));
}

void BatteryPage::addLine(const QString& sentence, const QString& way, const QString& name,
                          std::function<void()> go) {
    auto* row = new QWidget(this);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    QLabel* why = wordLabel(row, "reason", "");
    why->setText(sentence);
    line->addWidget(why, 1);
    if (go) {
        auto* open = new QPushButton(way, row);
        open->setProperty("role", "link");
        open->setAccessibleName(name);
        connect(open, &QPushButton::clicked, this, std::move(go));
        line->addWidget(open, 0, Qt::AlignTop);
    }
    reasons_->addWidget(row);
}

void BatteryPage::openRow(const QModelIndex& index) {
    const HistoryRow& row = readings_->row(shown_->mapToSource(index).row());
    if (row.recording > 0) Q_EMIT evidenceChosen(row.recording, row.evidence, row.value);
    if (row.spot > 0) Q_EMIT readingChosen(battery_, row.spot);
}

void BatteryPage::applyColours() {
    plot_->applyColours();
    model_->applyColours();
}

}  // namespace nk
