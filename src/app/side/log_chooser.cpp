#include "app/side/log_chooser.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPointer>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <algorithm>

#include "app/job/job.h"
#include "app/session/text.h"

namespace nk {

namespace {

constexpr int kRecording = Qt::UserRole;
constexpr int kMoment = Qt::UserRole + 1;  ///< of a step
constexpr int kFilled = Qt::UserRole + 2;  ///< its steps stand under it, or are being read
/// More are not listed: nobody ticks the thousandth pulse of a train.
constexpr int kMostSteps = 500;

}  // namespace

LogChooser::LogChooser(Session& session, const std::vector<SideItem>& chosen,
                       const std::map<std::int64_t, OpenedPtr>& opened, QWidget* parent)
    : QDialog(parent), session_(session), chosen_(chosen), opened_(opened) {
    setObjectName("sideChoose");
    setWindowTitle(tr("Logs and steps to lay over each other"));
    resize(520, 560);
    auto* box = new QVBoxLayout(this);
    auto* search = new QLineEdit(this);
    search->setObjectName("sideSearch");
    search->setPlaceholderText(tr("Show only logs with these letters"));
    search->setAccessibleName(tr("Filter of the logs"));
    box->addWidget(search);
    tree_ = new QTreeWidget(this);
    tree_->setObjectName("sideList");
    tree_->setHeaderHidden(true);
    tree_->setUniformRowHeights(true);
    tree_->setAccessibleName(tr("Logs and their steps; Space ticks one, Right shows the steps"));
    for (const RecordingEntry& r : session_.recordings()) {
        const std::string battery = session_.batteryOf(r.batteryId).name;
        auto* log = new QTreeWidgetItem(
            tree_, {(battery.empty() ? QString() : QString::fromStdString(battery) + " · ") +
                    QString::fromStdString(r.title)});
        log->setData(0, kRecording, qlonglong(r.id));
        log->setChildIndicatorPolicy(QTreeWidgetItem::ShowIndicator);
        const bool on = std::ranges::find(chosen_, SideItem{r.id}) != chosen_.end();
        log->setCheckState(0, on ? Qt::Checked : Qt::Unchecked);
    }
    box->addWidget(tree_, 1);
    auto* hint = new QLabel(tr("The first one is what the others are compared with."), this);
    hint->setProperty("role", "muted");
    auto* row = new QHBoxLayout;
    row->addWidget(hint, 1);
    auto* cancel = new QPushButton(tr("Cancel"), this);
    auto* take = new QPushButton(tr("Lay over each other"), this);
    take->setObjectName("sideTake");
    take->setProperty("role", "primary");
    take->setDefault(true);
    row->addWidget(cancel);
    row->addWidget(take);
    box->addLayout(row);
    connect(search, &QLineEdit::textChanged, this, [this](const QString& t) {
        for (int k = 0; k < tree_->topLevelItemCount(); ++k)
            tree_->topLevelItem(k)->setHidden(
                !tree_->topLevelItem(k)->text(0).contains(t.trimmed(), Qt::CaseInsensitive));
    });
    connect(tree_, &QTreeWidget::itemExpanded, this, &LogChooser::expand);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(take, &QPushButton::clicked, this, &LogChooser::take);
    // Where a step lies there already, the steps are shown.
    for (int k = 0; k < tree_->topLevelItemCount(); ++k) {
        QTreeWidgetItem* log = tree_->topLevelItem(k);
        const auto id = log->data(0, kRecording).toLongLong();
        if (std::ranges::any_of(chosen_,
                                [&](const SideItem& i) { return i.recording == id && !i.whole(); }))
            log->setExpanded(true);
    }
}

void LogChooser::expand(QTreeWidgetItem* log) {
    if (log->parent() != nullptr || log->data(0, kFilled).toBool()) return;
    log->setData(0, kFilled, true);
    const auto id = log->data(0, kRecording).toLongLong();
    if (const auto have = opened_.find(id); have != opened_.end()) {
        fill(log, have->second->analysis.steps);
        return;
    }
    auto* wait = new QTreeWidgetItem(log, {tr("Reading its steps…")});
    wait->setFlags(Qt::NoItemFlags);
    // Not the dialog's own: closing it does not wait for what is being read.
    auto* job = new Job(&session_);
    const QPointer<LogChooser> here(this);
    const auto say = [log](const QString& words) {
        qDeleteAll(log->takeChildren());
        auto* line = new QTreeWidgetItem(log, {words});
        line->setFlags(Qt::NoItemFlags);
    };
    connect(job, &Job::failed, this, say);
    connect(job, &Job::failed, job, &QObject::deleteLater);
    job->start(
        [path = session_.path(), id](std::stop_token,
                                     const Job::ProgressSink&) -> Expected<OpenedPtr> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            auto read = openRecording(**book, id);
            if (!read) return tl::unexpected<Error>(read.error());
            return std::make_shared<const OpenedRecording>(std::move(*read));
        },
        [this, here, log, job, id, say](const Expected<OpenedPtr>& read) {
            job->deleteLater();
            if (!here) return;
            if (!read) return say(text(read.error()));
            opened_[id] = *read;
            qDeleteAll(log->takeChildren());
            fill(log, (*read)->analysis.steps);
        });
}

void LogChooser::fill(QTreeWidgetItem* log, const Steps& steps) {
    const auto id = log->data(0, kRecording).toLongLong();
    const int count = static_cast<int>(steps.list.size());
    int listed = 0;
    std::vector<int> places;
    for (int k = 0; k < count && listed < kMostSteps; ++k) {
        const Step& s = steps.list[static_cast<std::size_t>(k)];
        if (s.kind == StepKind::Gap) continue;
        auto* item = new QTreeWidgetItem(log, {stepTitle(steps, k)});
        item->setData(0, kRecording, id);
        item->setData(0, kMoment, 0.5 * (s.start_s + s.end_s));
        const bool on = std::ranges::any_of(chosen_, [&](const SideItem& i) {
            return i.recording == id && !i.whole() && steps.at(i.moment_s) == k;
        });
        item->setCheckState(0, on ? Qt::Checked : Qt::Unchecked);
        places.push_back(k);
        ++listed;
    }
    // What lies there and is not in the list stays.
    for (const SideItem& i : chosen_)
        if (i.recording == id && !i.whole() &&
            std::ranges::none_of(places, [&](int k) { return steps.at(i.moment_s) == k; }))
            unlisted_.push_back(i);
    if (listed == kMostSteps && listed < count) {
        auto* more = new QTreeWidgetItem(
            log, {tr("… and %1 more: choose them on the Curve's ribbon").arg(count - listed)});
        more->setFlags(Qt::NoItemFlags);
    }
}

void LogChooser::take() {
    std::vector<SideItem> ticked;
    std::vector<std::int64_t> unread;  // logs whose steps were not looked at keep theirs
    for (int k = 0; k < tree_->topLevelItemCount(); ++k) {
        const QTreeWidgetItem* log = tree_->topLevelItem(k);
        const auto id = log->data(0, kRecording).toLongLong();
        if (log->checkState(0) == Qt::Checked) ticked.push_back({id});
        bool read = false;
        for (int c = 0; c < log->childCount(); ++c) {
            const QVariant moment = log->child(c)->data(0, kMoment);
            if (!moment.isValid()) continue;
            read = true;
            if (log->child(c)->checkState(0) == Qt::Checked)
                ticked.push_back({id, moment.toDouble()});
        }
        if (!read) unread.push_back(id);
    }
    // Of a step that lay there the moment may be another than its middle.
    const auto same = [this](const SideItem& a, const SideItem& b) {
        if (a == b) return true;
        if (a.recording != b.recording || a.whole() || b.whole()) return false;
        const auto have = opened_.find(a.recording);
        if (have == opened_.end()) return false;
        const Steps& steps = have->second->analysis.steps;
        return steps.at(a.moment_s) == steps.at(b.moment_s);
    };
    std::vector<SideItem> items;
    for (const SideItem& i : chosen_)
        if ((!i.whole() && std::ranges::find(unread, i.recording) != unread.end()) ||
            std::ranges::find(unlisted_, i) != unlisted_.end() ||
            std::ranges::any_of(ticked, [&](const SideItem& t) { return same(i, t); }))
            items.push_back(i);
    for (const SideItem& t : ticked)
        if (std::ranges::none_of(items, [&](const SideItem& i) { return same(i, t); }))
            items.push_back(t);
    accept();
    Q_EMIT taken(items);
}

}  // namespace nk
