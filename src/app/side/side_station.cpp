#include "app/side/side_station.h"

#include <QButtonGroup>
#include <QDialog>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QScrollArea>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <mutex>
#include <nlohmann/json.hpp>
#include <optional>

#include "app/session/text.h"
#include "app/shell/data_export.h"
#include "app/side/matching_bench.h"
#include "quantity/harmless.h"
#include "quantity/two_threads.h"

namespace nk {

namespace {

constexpr const char* kViews = "side_views";

struct KeptView {
    QString name;
    SideChoice choice;
};

/// Those of a book; what is damaged or of another kind is passed over.
std::vector<KeptView> readViews(const std::string& text) {
    std::vector<KeptView> out;
    const nlohmann::json all = nlohmann::json::parse(text, nullptr, false);
    if (!all.is_array()) return out;
    for (const auto& j : all) {
        if (!j.is_object() || !j.contains("name") || !j["name"].is_string() ||
            !j.contains("recordings") || !j["recordings"].is_array() || out.size() >= 200)
            continue;
        KeptView v;
        v.name = QString::fromStdString(harmless(j["name"].get<std::string>(), 100));
        const auto whole = [&](const char* key, int most) {
            return j.contains(key) && j[key].is_number_integer()
                       ? std::clamp(j[key].get<int>(), 0, most)
                       : 0;
        };
        v.choice.axis = static_cast<OverlayAxis>(whole("axis", 4));
        v.choice.lane = static_cast<SideLane>(whole("lane", 3));
        for (const auto& id : j["recordings"])
            if (id.is_number_integer() && v.choice.recordings.size() < kMostCurves)
                v.choice.recordings.push_back(id.get<std::int64_t>());
        if (j.contains("shifts") && j["shifts"].is_array())
            for (const auto& s : j["shifts"])
                if (s.is_array() && s.size() == 2 && s[0].is_number_integer() && s[1].is_number())
                    v.choice.shifts[s[0].get<std::int64_t>()] = s[1].get<double>();
        out.push_back(std::move(v));
    }
    return out;
}

std::string writeViews(const std::vector<KeptView>& views) {
    nlohmann::json all = nlohmann::json::array();
    for (const KeptView& v : views) {
        nlohmann::json shifts = nlohmann::json::array();
        for (const auto& [id, by] : v.choice.shifts) shifts.push_back({id, by});
        all.push_back({{"name", v.name.toStdString()},
                       {"recordings", v.choice.recordings},
                       {"axis", static_cast<int>(v.choice.axis)},
                       {"lane", static_cast<int>(v.choice.lane)},
                       {"shifts", shifts}});
    }
    return all.dump();
}

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
    auto* choose = new QPushButton(tr("choose logs…"), curves);
    choose->setObjectName("chooseLogs");
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
    connect(plot_, &SidePlot::shifted, this, [this](qlonglong id, double by) {
        choice_.shifts[id] += by;
        make();
    });
    connect(views_->menu(), &QMenu::aboutToShow, this, &SideStation::fillViews);
    connect(&job_, &Job::failed, this, [this](const QString& words) { session_.say(words, true); });
    connect(&session_, &Session::bookChanged, this, [this] {
        opened_.clear();
        choice_ = {};
    });
}

void SideStation::show(ShownPtr shown) {
    if (book_ != session_.path()) {
        opened_.clear();
        choice_.recordings.clear();
        book_ = session_.path();
    }
    if (!shown) {
        lay({});
        return;
    }
    // What lies side by side stays while it holds the log that was chosen; it is made anew, since
    // something of it may have changed.
    opened_.erase(shown->id);
    if (std::ranges::find(choice_.recordings, shown->id) != choice_.recordings.end()) {
        make();
        return;
    }
    const RecordingEntry* entry = session_.entryOf(shown->id);
    std::vector<std::int64_t> wanted;
    if (entry != nullptr && entry->batteryId > 0)
        wanted = presetRecordings(SidePreset::BeforeAfter, *entry, session_.recordings(),
                                  session_.batteries());
    if (wanted.empty()) wanted = {shown->id};
    lay(std::move(wanted));
}

void SideStation::lay(std::vector<std::int64_t> recordings) {
    if (recordings.size() > kMostCurves) {
        recordings.resize(kMostCurves);
        session_.say(
            tr("%1 logs at most lie over each other; the first ones are shown.").arg(kMostCurves));
    }
    choice_.recordings = std::move(recordings);
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
    lay(std::move(wanted));
}

void SideStation::chooseLogs() {
    auto* dialog = new QDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setObjectName("sideChoose");
    dialog->setWindowTitle(tr("Logs to lay over each other"));
    dialog->resize(460, 520);
    auto* box = new QVBoxLayout(dialog);
    auto* search = new QLineEdit(dialog);
    search->setObjectName("sideSearch");
    search->setPlaceholderText(tr("Show only logs with these letters"));
    search->setAccessibleName(tr("Filter of the logs"));
    box->addWidget(search);
    auto* list = new QListWidget(dialog);
    list->setObjectName("sideList");
    list->setAccessibleName(tr("Logs; Space ticks one"));
    for (const RecordingEntry& r : session_.recordings()) {
        const std::string battery = session_.batteryOf(r.batteryId).name;
        auto* item = new QListWidgetItem(
            (battery.empty() ? QString() : QString::fromStdString(battery) + " · ") +
                QString::fromStdString(r.title),
            list);
        item->setData(Qt::UserRole, qlonglong(r.id));
        const bool on = std::ranges::find(choice_.recordings, r.id) != choice_.recordings.end();
        item->setCheckState(on ? Qt::Checked : Qt::Unchecked);
    }
    box->addWidget(list, 1);
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"), dialog);
    auto* take = new QPushButton(tr("Lay over each other"), dialog);
    take->setObjectName("sideTake");
    take->setProperty("role", "primary");
    take->setDefault(true);
    row->addWidget(cancel);
    row->addWidget(take);
    box->addLayout(row);
    connect(search, &QLineEdit::textChanged, list, [list](const QString& t) {
        for (int k = 0; k < list->count(); ++k)
            list->item(k)->setHidden(
                !list->item(k)->text().contains(t.trimmed(), Qt::CaseInsensitive));
    });
    connect(cancel, &QPushButton::clicked, dialog, &QDialog::reject);
    connect(take, &QPushButton::clicked, dialog, [this, dialog, list] {
        // Those that lay there first stay first: the first is compared with.
        std::vector<std::int64_t> wanted;
        std::vector<std::int64_t> ticked;
        for (int k = 0; k < list->count(); ++k)
            if (list->item(k)->checkState() == Qt::Checked)
                ticked.push_back(list->item(k)->data(Qt::UserRole).toLongLong());
        for (const std::int64_t id : choice_.recordings)
            if (std::ranges::find(ticked, id) != ticked.end()) wanted.push_back(id);
        for (const std::int64_t id : ticked)
            if (std::ranges::find(wanted, id) == wanted.end()) wanted.push_back(id);
        dialog->accept();
        lay(std::move(wanted));
    });
    dialog->open();
}

void SideStation::make() {
    std::erase_if(choice_.recordings,
                  [this](std::int64_t id) { return session_.entryOf(id) == nullptr; });
    lanes_->button(static_cast<int>(choice_.lane))->setChecked(true);
    axes_->button(static_cast<int>(choice_.axis))->setChecked(true);
    const bool byVoltage =
        choice_.lane == SideLane::Incremental || choice_.lane == SideLane::Differential;
    for (QAbstractButton* b : axes_->buttons()) b->setEnabled(!byVoltage);
    title_->setText(choice_.recordings.size() == 1
                        ? tr("One log; choose others to lay over it")
                        : tr("%1 logs side by side").arg(choice_.recordings.size()));
    if (choice_.recordings.empty()) {
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
            std::vector<OpenedPtr> all(choice.recordings.size());
            std::mutex failing;
            std::optional<Error> problem;
            inTwo(all.size(), 4, [&](std::size_t from, std::size_t to) {
                std::unique_ptr<BenchBook> book;
                const auto failed = [&](const Error& e) {
                    const std::lock_guard lock(failing);
                    problem = e;
                };
                for (std::size_t k = from; k < to; ++k) {
                    if (stop.stop_requested()) return failed({ErrorKind::Cancelled, "", "", ""});
                    const auto have = opened.find(choice.recordings[k]);
                    if (have != opened.end()) {
                        all[k] = have->second;
                        continue;
                    }
                    if (!book) {
                        auto open = BenchBook::open(path, false);
                        if (!open) return failed(open.error());
                        book = std::move(*open);
                    }
                    auto read = openRecording(*book, choice.recordings[k]);
                    if (!read) return failed(read.error());
                    all[k] = std::make_shared<const OpenedRecording>(std::move(*read));
                }
            });
            if (problem) return tl::unexpected<Error>(*problem);
            for (std::size_t k = 0; k < all.size(); ++k)
                made->opened[choice.recordings[k]] = all[k];
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
            words_->setText((*made)->view.sentences.join("\n"));
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
        ->setEnabled(!choice_.recordings.empty());
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

std::vector<StationAction> SideStation::menuActions() {
    return {{tr("Side by side: choose logs…"), [this] { chooseLogs(); }},
            {tr("Side by side: save the curves as a table…"), [this] { saveData(); }},
            {tr("Side by side: matching bench"), [this] { openBench(); }}};
}

}  // namespace nk
