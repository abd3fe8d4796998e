#include "app/shelf/shelf.h"

#include <QApplication>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QTimer>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/shelf/battery_block.h"
#include "app/theme/let_go.h"

namespace nk {

namespace {

double orderOf(const RecordingEntry& r) {
    return std::isfinite(r.startEpoch_s) ? r.startEpoch_s : r.importedAt_s;
}

}  // namespace

Shelf::Shelf(QWidget* parent) : QWidget(parent) {
    setObjectName("shelf");
    setAttribute(Qt::WA_StyledBackground);
    setFixedWidth(232);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(12, 12, 8, 12);
    box->setSpacing(8);
    search_ = new QLineEdit(this);
    search_->setObjectName("search");
    search_->setPlaceholderText(tr("Find a battery or log"));
    search_->setAccessibleName(tr("Find a battery or log"));
    search_->setClearButtonEnabled(true);
    auto* searchRow = new QHBoxLayout;
    searchRow->setContentsMargins(0, 0, 4, 0);
    searchRow->addWidget(search_);
    box->addLayout(searchRow);
    scroll_ = new QScrollArea(this);
    scroll_->setWidgetResizable(true);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll_->setFocusPolicy(Qt::NoFocus);
    auto* body = new QWidget;
    body->setObjectName("scrollBody");
    list_ = new QVBoxLayout(body);
    list_->setContentsMargins(0, 0, 4, 0);
    list_->setSpacing(6);
    list_->addStretch(1);
    scroll_->setWidget(body);
    box->addWidget(scroll_, 1);
    auto* add = new QPushButton(tr("Add a log…"), this);
    add->setObjectName("add");
    add->setProperty("role", "primary");
    add->setToolTip(tr("Open log files (Ctrl+O). You can also drop them anywhere on the window."));
    auto* addRow = new QHBoxLayout;
    addRow->setContentsMargins(0, 0, 4, 0);
    addRow->addWidget(add);
    box->addLayout(addRow);
    connect(add, &QPushButton::clicked, this, &Shelf::addRequested);
    connect(search_, &QLineEdit::textChanged, this, [this] {
        wantedBlocks_ = kBatteries;
        rebuild();
    });
}

void Shelf::setContents(std::vector<BatteryEntry> batteries, std::vector<RecordingEntry> recordings,
                        std::map<std::int64_t, BatteryLife> lives) {
    batteries_ = std::move(batteries);
    lives_ = std::move(lives);
    recordings_ = std::move(recordings);
    std::stable_sort(recordings_.begin(), recordings_.end(),
                     [](const auto& a, const auto& b) { return orderOf(a) > orderOf(b); });
    rebuild();
}

void Shelf::setStandings(std::map<std::int64_t, KeptStanding> standings) {
    standings_ = std::move(standings);
    rebuild();
}

void Shelf::setOutOfDate(const std::vector<std::int64_t>& recordings) {
    bool changed = false;
    for (RecordingEntry& e : recordings_) {
        const bool now = std::ranges::binary_search(recordings, e.id);
        changed = changed || now != e.outOfDate;
        e.outOfDate = now;
    }
    if (changed) rebuild();
}

void Shelf::select(std::int64_t recordingId) {
    if (selected_ == recordingId) return;
    selected_ = recordingId;
    if (!mark()) {
        const bool row = askForRow();
        const std::int64_t battery = selectedBattery();
        const bool block = std::ranges::any_of(
            blocks_, [&](const BatteryBlock* b) { return b->batteryId() == battery; });
        if (row || (battery >= 0 && !block)) rebuild();
    }
    QTimer::singleShot(0, this, [this] {
        placeRows();
        if (auto* row = findChild<QWidget*>(QString("recording-%1").arg(selected_)))
            scroll_->ensureWidgetVisible(row, 0, 8);
    });
}

bool Shelf::mark() {
    bool found = false;
    for (BatteryBlock* block : blocks_) found = block->select(selected_) || found;
    return found;
}

bool Shelf::askForRow() {
    const auto entry = std::ranges::find(recordings_, selected_, &RecordingEntry::id);
    if (entry == recordings_.end() || !search_->text().trimmed().isEmpty()) return false;
    const auto before = std::count_if(recordings_.begin(), entry, [&](const RecordingEntry& r) {
        return r.batteryId == entry->batteryId;
    });
    std::size_t& wanted = wanted_[entry->batteryId];
    if (wanted > static_cast<std::size_t>(before)) return false;
    wanted = static_cast<std::size_t>(before) + 1;
    return true;
}

void Shelf::rebuild() {
    const QWidget* focus = window()->focusWidget();  // also while another window is in front
    const QString focused =
        focus != nullptr && scroll_->isAncestorOf(focus) ? focus->objectName() : QString();
    const int scrolled = scroll_->verticalScrollBar()->value();
    for (BatteryBlock* block : blocks_) {
        list_->removeWidget(block);
        block->setParent(nullptr);
        letGo(block);
    }
    blocks_.clear();
    delete drawer_;
    drawer_ = nullptr;
    delete more_;
    more_ = nullptr;
    const QString wanted = search_->text().trimmed();
    const auto matches = [&](const std::string& text) {
        return wanted.isEmpty() ||
               QString::fromStdString(text).contains(wanted, Qt::CaseInsensitive);
    };
    std::map<std::int64_t, bool> named = {{0, matches(tr("Without a battery").toStdString())}};
    for (const BatteryEntry& e : batteries_) {
        bool found = matches(e.battery.name);
        if (const auto life = lives_.find(e.id); !found && life != lives_.end())
            found = matches(life->second.serial) || matches(life->second.usedIn) ||
                    std::ranges::any_of(life->second.tags, matches);
        named[e.id] = found;
    }
    std::map<std::int64_t, std::vector<const RecordingEntry*>> of;
    for (const RecordingEntry& r : recordings_) {
        const auto owner = named.find(r.batteryId);
        if ((owner != named.end() && owner->second) || matches(r.title))
            of[r.batteryId].push_back(&r);
    }
    std::size_t retired = 0;
    std::size_t left = 0;
    const std::int64_t marked = selectedBattery();
    for (const BatteryEntry& e : batteries_) {
        if (inDrawer(e.id))
            ++retired;
        else if (blocks_.size() < wantedBlocks_ || e.id == marked)
            addBlock(&e, std::move(of[e.id]), named[e.id]);
        else if (named[e.id] || !of[e.id].empty())
            ++left;
    }
    if (left > 0) addMore(left);
    addBlock(nullptr, std::move(of[0]), false);
    // Last the drawer; a search looks into it by itself, and so does the log that is shown.
    if (retired > 0) {
        addDrawer(retired);
        for (const BatteryEntry& e : batteries_)
            if (inDrawer(e.id) && (drawerOpen_ || !wanted.isEmpty() || e.id == marked))
                addBlock(&e, std::move(of[e.id]), named[e.id]);
    }
    mark();
    // Where the user was: the keyboard on the row or name it was on, the list as far down.
    QTimer::singleShot(0, this, [this, focused, scrolled] {
        placeRows();
        scroll_->verticalScrollBar()->setValue(scrolled);
        auto* again = focused.isEmpty() ? nullptr : scroll_->findChild<QWidget*>(focused);
        if (again != nullptr && window()->focusWidget() == nullptr) again->setFocus();
    });
}

void Shelf::placeRows() {
    // Rows, then blocks, then the list: each asks the one around it for a new layout.
    QApplication::sendPostedEvents(nullptr, QEvent::LayoutRequest);
}

bool Shelf::inDrawer(std::int64_t batteryId) const {
    const auto life = lives_.find(batteryId);
    return life != lives_.end() && life->second.retired();
}

std::int64_t Shelf::selectedBattery() const {
    const auto shown = std::ranges::find(recordings_, selected_, &RecordingEntry::id);
    return shown != recordings_.end() ? shown->batteryId : -1;
}

void Shelf::addMore(std::size_t left) {
    more_ = new QPushButton(
        tr("Show %1 of %2 more batteries").arg(std::min(left, kBatteries)).arg(left),
        scroll_->widget());
    more_->setObjectName("moreBatteries");
    more_->setProperty("role", "link");
    list_->insertWidget(static_cast<int>(blocks_.size()), more_);
    connect(more_, &QPushButton::clicked, this, [this] {
        wantedBlocks_ += kBatteries;
        QTimer::singleShot(0, this, &Shelf::rebuild);  // the button itself is made anew
    });
}

void Shelf::addDrawer(std::size_t count) {
    drawer_ = new QPushButton(drawerOpen_ ? tr("Drawer, open: %1 retired").arg(count)
                                          : tr("Drawer: %1 retired").arg(count),
                              scroll_->widget());
    drawer_->setObjectName("drawer");
    drawer_->setProperty("role", "link");
    drawer_->setToolTip(tr("Batteries that are no longer used, with all that was logged of them"));
    list_->insertWidget(static_cast<int>(blocks_.size()) + (more_ != nullptr ? 1 : 0), drawer_);
    connect(drawer_, &QPushButton::clicked, this, [this] {
        drawerOpen_ = !drawerOpen_;
        // The button itself is made anew.
        QTimer::singleShot(0, this, &Shelf::rebuild);
    });
}

void Shelf::addBlock(const BatteryEntry* entry, std::vector<const RecordingEntry*> recordings,
                     bool named) {
    if (recordings.empty() && !named) return;
    const std::int64_t id = entry != nullptr ? entry->id : 0;
    std::size_t& wanted = wanted_[id];
    wanted = std::max(wanted, BatteryBlock::kBatch);
    const auto life = lives_.find(id);
    auto* block =
        new BatteryBlock(entry, std::move(recordings), wanted,
                         life != lives_.end() && !life->second.outOfUse.empty(), scroll_->widget(),
                         standings_.contains(id) ? &standings_.at(id) : nullptr);
    const int links = (more_ != nullptr ? 1 : 0) + (drawer_ != nullptr ? 1 : 0);
    list_->insertWidget(static_cast<int>(blocks_.size()) + links, block);
    blocks_.push_back(block);
    connect(block, &BatteryBlock::recordingChosen, this, &Shelf::recordingChosen);
    connect(block, &BatteryBlock::recordingMenuRequested, this, &Shelf::recordingMenuRequested);
    connect(block, &BatteryBlock::batteryChosen, this, &Shelf::batteryChosen);
    connect(block, &BatteryBlock::batteryMenuRequested, this, &Shelf::batteryMenuRequested);
    connect(block, &BatteryBlock::moreRequested, this, [this, id] {
        wanted_[id] += BatteryBlock::kBatch;
        rebuild();
    });
}

}  // namespace nk
