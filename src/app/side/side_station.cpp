#include "app/side/side_station.h"

#include <QButtonGroup>
#include <QDateTime>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QLocale>
#include <QMenu>
#include <QPushButton>
#include <QScrollArea>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <mutex>
#include <optional>

#include "app/session/text.h"
#include "app/shell/data_export.h"
#include "app/shell/sheet_export.h"
#include "app/side/kept_views.h"
#include "app/side/log_chooser.h"
#include "app/side/matching_bench.h"
#include "app/theme/word_label.h"
#include "quantity/two_threads.h"

namespace nk {

namespace {

constexpr const char* kViews = "side_views";

}  // namespace

SideStation::SideStation(Session& session, QWidget* parent) : Station(parent), session_(session) {
    setObjectName("sideStation");
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    middle_ = new QStackedWidget(this);
    outer->addWidget(middle_);
    auto* curves = new QWidget(middle_);
    auto* box = new QVBoxLayout(curves);
    box->setContentsMargins(10, 9, 8, 8);
    box->setSpacing(4);
    title_ = new QLabel(curves);
    title_->setObjectName("sideTitle");
    title_->setProperty("role", "title");
    title_->setTextFormat(Qt::PlainText);
    title_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    auto* head = new QHBoxLayout;
    head->addWidget(title_, 1);
    benchButton_ = new QPushButton(tr("Matching bench"), curves);
    benchButton_->setObjectName("openBench");
    benchButton_->setToolTip(tr("Modules into groups that hold alike"));
    views_ = new QPushButton(tr("Views"), curves);
    views_->setObjectName("sideViews");
    views_->setMenu(new QMenu(views_));
    head->addWidget(views_);
    head->addWidget(benchButton_);
    box->addLayout(head);
    auto* presets = new QHBoxLayout;
    presets->setSpacing(4);
    const std::pair<QString, SidePreset> names[] = {
        {tr("before and after"), SidePreset::BeforeAfter},
        {tr("cold and warm"), SidePreset::ColdWarm},
        {tr("siblings"), SidePreset::Siblings}};
    for (const auto& [name, preset] : names) {
        auto* b = new QPushButton(name, curves);
        b->setObjectName(QString("preset-%1").arg(static_cast<int>(preset)));
        connect(b, &QPushButton::clicked, this, [this, p = preset] { choosePreset(p); });
        presets->addWidget(b);
    }
    auto* choose = new QPushButton(tr("choose logs or steps…"), curves);
    choose->setObjectName("chooseLogs");
    choose->setToolTip(tr("Whole logs, or single steps of them"));
    connect(choose, &QPushButton::clicked, this, &SideStation::chooseLogs);
    presets->addWidget(choose);
    presets->addStretch(1);
    box->addLayout(presets);
    auto* switches = new QHBoxLayout;
    switches->setSpacing(2);
    lanes_ = new QButtonGroup(this);
    const QString lanes[] = {tr("Voltage"), tr("Temperature"), "dQ/dV", "dV/dQ"};
    for (int k = 0; k < 4; ++k) {
        auto* b = new QPushButton(lanes[k], curves);
        b->setObjectName(QString("lane-%1").arg(k));
        b->setCheckable(true);
        b->setProperty("role", "choice");
        lanes_->addButton(b, k);
        switches->addWidget(b);
    }
    switches->addSpacing(14);
    auto* over = new QLabel(tr("over"), curves);
    over->setProperty("role", "muted");
    switches->addWidget(over);
    axes_ = new QButtonGroup(this);
    const QString axes[] = {tr("time"), tr("charge"), tr("charge level"), tr("from the knee"),
                            tr("from the peak")};
    for (int k = 0; k < 5; ++k) {
        auto* b = new QPushButton(axes[k], curves);
        b->setObjectName(QString("axis-%1").arg(k));
        b->setCheckable(true);
        b->setProperty("role", "choice");
        axes_->addButton(b, k);
        switches->addWidget(b);
    }
    switches->addStretch(1);
    box->addLayout(switches);
    plot_ = new SidePlot(curves);
    box->addWidget(plot_, 1);
    words_ = new QLabel;
    words_->setObjectName("sideWords");
    words_->setTextFormat(Qt::PlainText);
    words_->setWordWrap(true);
    words_->setAlignment(Qt::AlignTop);
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    words_->setContentsMargins(4, 2, 4, 2);
    auto* scroll = new QScrollArea(curves);
    scroll->setWidgetResizable(true);
    scroll->setWidget(words_);
    scroll->setFixedHeight(104);
    scroll->setFocusPolicy(Qt::NoFocus);
    box->addWidget(scroll);
    middle_->addWidget(curves);
    bench_ = new MatchingBench(session, middle_);
    middle_->addWidget(bench_);
    lanes_->button(0)->setChecked(true);
    axes_->button(1)->setChecked(true);
    connect(lanes_, &QButtonGroup::idClicked, this,
            [this](int k) { setLane(static_cast<SideLane>(k)); });
    connect(axes_, &QButtonGroup::idClicked, this,
            [this](int k) { setAxis(static_cast<OverlayAxis>(k)); });
    connect(benchButton_, &QPushButton::clicked, this, &SideStation::openBench);
    connect(bench_, &MatchingBench::left, this, [this] { middle_->setCurrentIndex(0); });
    connect(plot_, &SidePlot::readingChanged, this,
            [this](const QString& words) { Q_EMIT rulerChanged(words, {}); });
    connect(plot_, &SidePlot::shifted, this, [this](int curve, double by) {
        choice_.shifts[plot_->view().curves[static_cast<std::size_t>(curve)].item] += by;
        make();
    });
    connect(&session_, &Session::besideRequested, this, &SideStation::addStep);
    connect(views_->menu(), &QMenu::aboutToShow, this, &SideStation::fillViews);
    connect(&job_, &Job::failed, this, [this](const QString& words) { session_.say(words, true); });
    connect(&session_, &Session::listsChanged, this, [this] {
        // A log that is gone leaves, whoever took it off.
        if (std::ranges::any_of(choice_.items, [this](const SideItem& i) {
                return session_.entryOf(i.recording) == nullptr;
            }))
            make();
    });
    connect(&session_, &Session::bookChanged, this, [this] {
        opened_.clear();
        choice_ = {};
    });
}

void SideStation::show(ShownPtr shown) {
    if (book_ != session_.path()) {
        opened_.clear();
        choice_.items.clear();
        book_ = session_.path();
    }
    if (!shown) {
        layLogs({});
        return;
    }
    // What lies side by side stays while it holds the log that was chosen; it is made anew, since
    // something of it may have changed.
    opened_.erase(shown->id);
    if (std::ranges::find(choice_.items, shown->id, &SideItem::recording) != choice_.items.end()) {
        make();
        return;
    }
    const RecordingEntry* entry = session_.entryOf(shown->id);
    std::vector<std::int64_t> wanted;
    if (entry != nullptr && entry->batteryId > 0)
        wanted = presetRecordings(SidePreset::BeforeAfter, *entry, session_.recordings(),
                                  session_.batteries());
    if (wanted.empty()) wanted = {shown->id};
    layLogs(wanted);
}

void SideStation::layLogs(const std::vector<std::int64_t>& recordings) {
    std::vector<SideItem> items;
    for (const std::int64_t id : recordings) items.push_back({id});
    lay(items);
}

void SideStation::lay(std::vector<SideItem> items) {
    if (items.size() > kMostCurves) {
        items.resize(kMostCurves);
        session_.say(tr("%1 curves at most lie over each other; the first ones are shown.")
                         .arg(kMostCurves));
    }
    choice_.items = std::move(items);
    choice_.shifts.clear();
    middle_->setCurrentIndex(0);
    make();
}

void SideStation::setAxis(OverlayAxis axis) {
    choice_.axis = axis;
    choice_.shifts.clear();
    make();
}

void SideStation::setLane(SideLane lane) {
    choice_.lane = lane;
    make();
}

void SideStation::choosePreset(SidePreset preset) {
    const RecordingEntry* shown =
        session_.shown() ? session_.entryOf(session_.shown()->id) : nullptr;
    std::vector<std::int64_t> wanted;
    if (shown != nullptr && shown->batteryId > 0)
        wanted = presetRecordings(preset, *shown, session_.recordings(), session_.batteries());
    if (wanted.empty()) {
        session_.say(
            preset == SidePreset::BeforeAfter
                ? tr("Before and after needs two whole discharges of the chosen log's battery.")
            : preset == SidePreset::ColdWarm
                ? tr("Cold and warm needs two whole discharges of this battery at temperatures 8 K "
                     "apart.")
                : tr("Siblings needs whole discharges of two batteries of the same kind."));
        return;
    }
    layLogs(wanted);
}

void SideStation::addStep(std::int64_t recording, double moment_s) {
    const SideItem added{recording, moment_s};
    // Steps of one log lie with one another; a whole log makes room for its step.
    std::erase_if(choice_.items,
                  [&](const SideItem& i) { return i.whole() || i.recording != recording; });
    if (std::ranges::find(choice_.items, added) == choice_.items.end())
        choice_.items.push_back(added);
    lay(choice_.items);
    Q_EMIT wanted();
}

void SideStation::chooseLogs() {
    auto* dialog = new LogChooser(session_, choice_.items, opened_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &LogChooser::taken, this, &SideStation::lay);
    dialog->open();
}

void SideStation::make() {
    std::erase_if(choice_.items,
                  [this](const SideItem& i) { return session_.entryOf(i.recording) == nullptr; });
    lanes_->button(static_cast<int>(choice_.lane))->setChecked(true);
    axes_->button(static_cast<int>(choice_.axis))->setChecked(true);
    const bool byVoltage =
        choice_.lane == SideLane::Incremental || choice_.lane == SideLane::Differential;
    for (QAbstractButton* b : axes_->buttons()) b->setEnabled(!byVoltage);
    const bool whole = std::ranges::all_of(choice_.items, &SideItem::whole);
    title_->setText(choice_.items.size() == 1
                        ? (whole ? tr("One log; choose others to lay over it")
                                 : tr("One step; choose others to lay over it"))
                    : whole ? tr("%1 logs side by side").arg(choice_.items.size())
                            : tr("%1 curves side by side").arg(choice_.items.size()));
    if (choice_.items.empty()) {
        job_.cancel();
        title_->setText(tr("Side by side"));
        plot_->setView({});
        words_->clear();
        return;
    }
    struct Made {
        std::map<std::int64_t, OpenedPtr> opened;
        SideView view;
    };
    job_.start(
        [path = session_.path(), choice = choice_, opened = opened_](
            std::stop_token stop, const Job::ProgressSink&) -> Expected<std::shared_ptr<Made>> {
            auto made = std::make_shared<Made>();
            // On two threads, each with a connection of its own.
            std::vector<std::int64_t> ids;  // each log once, however many of its steps are shown
            for (const SideItem& i : choice.items)
                if (std::ranges::find(ids, i.recording) == ids.end()) ids.push_back(i.recording);
            std::vector<OpenedPtr> logs(ids.size());
            std::mutex failing;
            std::optional<Error> problem;
            inTwo(logs.size(), 4, [&](std::size_t from, std::size_t to) {
                std::unique_ptr<BenchBook> book;
                const auto failed = [&](const Error& e) {
                    const std::lock_guard lock(failing);
                    problem = e;
                };
                for (std::size_t k = from; k < to; ++k) {
                    if (stop.stop_requested()) return failed({ErrorKind::Cancelled, "", "", ""});
                    const auto have = opened.find(ids[k]);
                    if (have != opened.end()) {
                        logs[k] = have->second;
                        continue;
                    }
                    if (!book) {
                        auto open = BenchBook::open(path, false);
                        if (!open) return failed(open.error());
                        book = std::move(*open);
                    }
                    auto read = openRecording(*book, ids[k]);
                    if (!read) return failed(read.error());
                    logs[k] = std::make_shared<const OpenedRecording>(std::move(*read));
                }
            });
            if (problem) return tl::unexpected<Error>(*problem);
            for (std::size_t k = 0; k < ids.size(); ++k) made->opened[ids[k]] = logs[k];
            std::vector<OpenedPtr> all;
            for (const SideItem& i : choice.items) all.push_back(made->opened[i.recording]);
            made->view = sideView(all, choice);
            return made;
        },
        [this](const Expected<std::shared_ptr<Made>>& made) {
            if (!made) {
                if (made.error().kind != ErrorKind::Cancelled)
                    session_.say(text(made.error()), true);
                return;
            }
            opened_ = (*made)->opened;
            plot_->setView((*made)->view);
            words_->setText(keepFigures((*made)->view.sentences.join("\n")));
        });
}

bool SideStation::busy() const {
    return job_.running() || bench_->busy();
}

void SideStation::openBench() {
    middle_->setCurrentWidget(bench_);
    bench_->begin();
}

void SideStation::keepView() {
    auto* dialog = new QInputDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setObjectName("keepView");
    dialog->setWindowTitle(tr("Keep this view"));
    dialog->setLabelText(tr("Name"));
    connect(dialog, &QInputDialog::textValueSelected, this, [this](const QString& typed) {
        const QString name = typed.trimmed().left(100);
        if (name.isEmpty()) return;
        session_.change(
            [name, choice = choice_](BenchBook& b) -> Expected<void> {
                const auto now = b.setting(kViews);
                if (!now) return tl::unexpected<Error>(now.error());
                std::vector<KeptView> all = readViews(*now);
                std::erase_if(all, [&](const KeptView& v) { return v.name == name; });
                all.push_back({name, choice});
                return b.setSetting(kViews, writeViews(all));
            },
            [this, name] { session_.say(tr("The view is kept as %1.").arg(name)); }, false);
    });
    dialog->open();
}

void SideStation::fillViews() {
    QMenu* menu = views_->menu();
    menu->clear();
    menu->addAction(tr("Keep this view…"), this, &SideStation::keepView)
        ->setEnabled(!choice_.items.empty());
    menu->addAction(tr("Save as a sheet…"), this, &SideStation::saveSheet)
        ->setEnabled(!choice_.items.empty());
    const auto kept = session_.book().setting(kViews);
    const auto all = kept ? readViews(*kept) : std::vector<KeptView>();
    if (all.empty()) return;
    menu->addSeparator();
    for (const KeptView& v : all)
        menu->addAction(QString(v.name).replace('&', "&&"), this, [this, choice = v.choice] {
            choice_ = choice;
            middle_->setCurrentIndex(0);
            make();
        });
    QMenu* forget = menu->addMenu(tr("Forget"));
    for (const KeptView& v : all)
        forget->addAction(QString(v.name).replace('&', "&&"), this, [this, name = v.name] {
            session_.change(
                [name](BenchBook& b) -> Expected<void> {
                    const auto now = b.setting(kViews);
                    if (!now) return tl::unexpected<Error>(now.error());
                    std::vector<KeptView> left = readViews(*now);
                    std::erase_if(left, [&](const KeptView& one) { return one.name == name; });
                    return b.setSetting(kViews, writeViews(left));
                },
                {}, false);
        });
}

void SideStation::applyColours() {
    plot_->applyColours();
    bench_->applyColours();
}

Expected<void> SideStation::writePicture(const QString& path) {
    return writeCurve(path, *plot_);
}

void SideStation::saveData() {
    if (plot_->view().curves.empty()) return session_.say(tr("Nothing lies side by side."));
    const QString target = session_.dialogs().saveAs(this, tr("Save the curves"),
                                                     tr("side by side.csv"), tr("Table (*.csv)"));
    if (target.isEmpty()) return;
    const auto done = writeWhole(target, QByteArray::fromStdString(sideTable(plot_->view())));
    session_.say(done ? tr("The curves are in %1.").arg(target) : text(done.error()), !done);
}

std::function<Expected<void>()> SideStation::sheetWork(const QString& path) {
    const SideView& view = plot_->view();
    SideSheetInput in;
    in.title = title_->text().toStdString();
    in.axes = tr("%1 over %2").arg(view.yLabel, view.xLabel).toStdString();
    in.madeOn = QLocale().toString(QDate::currentDate(), "d MMMM yyyy").toStdString();
    for (const QString& s : view.sentences) in.sentences.push_back(s.toStdString());
    for (const SideCurve& c : view.curves) {
        const auto have = opened_.find(c.item.recording);
        if (have == opened_.end()) continue;
        const OpenedRecording& o = *have->second;
        SideSheetRow row;
        row.name = c.name.toStdString();
        row.battery = o.battery.name;
        row.log = o.entry.title;
        if (std::isfinite(o.entry.startEpoch_s))
            row.when = QLocale()
                           .toString(QDateTime::fromSecsSinceEpoch(
                                         static_cast<qint64>(o.entry.startEpoch_s), Qt::UTC)
                                         .date(),
                                     "d MMM yyyy")
                           .toStdString();
        const int step = c.item.whole() ? -1 : o.analysis.steps.at(c.item.moment_s);
        if (step >= 0) row.step = stepTitle(o.analysis.steps, step).toStdString();
        const auto shift = choice_.shifts.find(c.item);
        if (shift != choice_.shifts.end() && shift->second != 0)
            row.shifted = QLocale().toString(shift->second, 'g', 3).toStdString();
        in.rows.push_back(std::move(row));
    }
    return [path, in = std::move(in), svg = plot_->onPaper(), size = plot_->size()] {
        return writeSheet(path, in, svg, size);
    };
}

Expected<void> SideStation::writeSideSheet(const QString& path) {
    return sheetWork(path)();
}

void SideStation::saveSheet() {
    if (plot_->view().curves.empty()) return session_.say(tr("Nothing lies side by side."));
    const QString target = session_.dialogs().saveAs(
        this, tr("Save the sheet"), tr("side by side.pdf"), tr("PDF (*.pdf);;HTML (*.html)"));
    if (target.isEmpty()) return;
    // The picture is drawn here; laid out and written it is beside the window.
    session_.run(
        tr("Writing %1").arg(QFileInfo(target).fileName()),
        [work = sheetWork(target)](std::stop_token, const Job::ProgressSink&) { return work(); },
        [this, target](const Expected<void>& done) {
            session_.say(done ? tr("The sheet is in %1.").arg(target) : text(done.error()), !done);
        });
}

std::vector<StationAction> SideStation::menuActions() {
    return {{tr("Side by side: choose logs…"), [this] { chooseLogs(); }},
            {tr("Side by side: save the curves as a table…"), [this] { saveData(); }},
            {tr("Side by side: save this view as a sheet…"), [this] { saveSheet(); }},
            {tr("Side by side: matching bench"), [this] { openBench(); }}};
}

}  // namespace nk
