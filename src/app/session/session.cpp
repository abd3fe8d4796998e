#include "app/session/session.h"

#include <QCoreApplication>
#include <algorithm>

#include "app/session/book_work.h"
#include "app/session/text.h"
#include "history/refresh.h"

namespace nk {

Session::Session(std::unique_ptr<BenchBook> book, Dialogs& dialogs, Preferences& preferences,
                 QObject* parent)
    : QObject(parent), book_(std::move(book)), dialogs_(dialogs), preferences_(preferences) {
    for (Job* job : {&load_, &changer_, &work_, &fresher_})
        connect(job, &Job::failed, this, [this](const QString& words) { say(words, true); });
    connect(&work_, &Job::failed, this, &Session::workDone);
    connect(&work_, &Job::progressed, this, &Session::workProgressed);
    adopt();
}

Session::~Session() = default;

void Session::adopt() {
    fresher_.cancel();
    // The usual accuracy is the book's; one that was set in this program before books had one goes
    // into it.
    const auto usual = book_->usualAccuracy();
    if (!usual || book_->readOnly()) return;
    if (*usual == InstrumentAccuracy() && !(preferences_.accuracy == InstrumentAccuracy()))
        (void)book_->setUsualAccuracy(preferences_.accuracy);
    else
        preferences_.accuracy = *usual;
}

void Session::setBook(std::unique_ptr<BenchBook> book) {
    load_.cancel();
    book_ = std::move(book);
    adopt();
    shown_.reset();
    battery_ = 0;
    Q_EMIT bookChanged();
    Q_EMIT shownChanged();
    chooseAny();
}

const RecordingEntry* Session::entryOf(std::int64_t id) const {
    const auto at = std::ranges::find(recordings_, id, &RecordingEntry::id);
    return at != recordings_.end() ? &*at : nullptr;
}

Battery Session::batteryOf(std::int64_t id) const {
    const auto at = std::ranges::find(batteries_, id, &BatteryEntry::id);
    return at != batteries_.end() ? at->battery : Battery{};
}

BatteryLife Session::lifeOf(std::int64_t id) const {
    const auto at = lives_.find(id);
    return at != lives_.end() ? at->second : BatteryLife{};
}

const KeptStanding* Session::standingOf(std::int64_t id) const {
    const auto at = standings_.find(id);
    return at != standings_.end() ? &at->second : nullptr;
}

void Session::choose(std::int64_t id) {
    const RecordingEntry* entry = entryOf(id);
    if (entry == nullptr) return;
    if (entry->batteryId > 0) chooseBattery(entry->batteryId);
    Q_EMIT chosen(id);
    load(id);
}

void Session::chooseBattery(std::int64_t id) {
    if (battery_ == id) return;
    battery_ = id;
    Q_EMIT batteryChanged(id);
}

void Session::foldBack() {
    std::error_code none;
    const std::filesystem::path beside = path().string() + "-wal";
    if (book_->readOnly() || folder_.running() || !std::filesystem::exists(beside, none) ||
        std::filesystem::file_size(beside, none) == 0)
        return;
    folder_.start(
        [path = path()](std::stop_token, const Job::ProgressSink&) -> Expected<bool> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            (*book)->foldBack();
            return true;
        },
        [](const Expected<bool>&) {});
}

void Session::reload() {
    if (shown_ && entryOf(shown_->id) != nullptr) load(shown_->id);
}

void Session::load(std::int64_t id) {
    load_.start([path = path(), id](std::stop_token,
                                    const Job::ProgressSink&) { return loadShown(path, id); },
                [this, id](auto loaded) {
                    if (!loaded) {
                        say(text(loaded.error()), true);
                        return;
                    }
                    shown_ = std::move(*loaded);
                    Q_EMIT shownChanged();
                    Q_EMIT recordingShown(id);
                });
}

void Session::chooseAny() {
    reread();
    if (shown_ && entryOf(shown_->id) != nullptr) return;
    load_.cancel();
    shown_.reset();
    Q_EMIT shownChanged();
    if (!recordings_.empty()) choose(recordings_.back().id);
}

void Session::reread() {
    auto batteries = book_->batteries();
    auto recordings = book_->recordings();
    auto lives = book_->lives();
    if (!batteries || !recordings || !lives) {
        say(text(!batteries    ? batteries.error()
                 : !recordings ? recordings.error()
                               : lives.error()),
            true);
        return;
    }
    lives_ = std::move(*lives);
    batteries_ = std::move(*batteries);
    recordings_ = std::move(*recordings);
    if (battery_ > 0 &&
        std::ranges::find(batteries_, battery_, &BatteryEntry::id) == batteries_.end())
        chooseBattery(0);
    Q_EMIT listsChanged();
    refreshReadings();
}

void Session::lookElsewhere() {
    if (busy() || !book_->changedElsewhere()) return;
    reread();
    if (!shown_) return;
    if (entryOf(shown_->id) == nullptr) {
        chooseAny();
        return;
    }
    // Whether it concerns what is shown is found out beside the window.
    elsewhere_.start([path = path(), id = shown_->id](
                         std::stop_token, const Job::ProgressSink&) { return shownSign(path, id); },
                     [this, id = shown_->id](const Expected<std::string>& sign) {
                         if (sign && shown_ && shown_->id == id && *sign != shown_->sign) reload();
                     });
}

void Session::change(BookWork work, std::function<void()> then, bool reload) {
    changes_.push_back({path(), std::move(work), std::move(then), reload});
    if (!changer_.running()) nextChange();
}

void Session::nextChange() {
    if (changes_.empty()) return;
    PendingChange next = std::move(changes_.front());
    changes_.pop_front();
    changer_.start(
        [path = next.book, work = std::move(next.work)](
            std::stop_token, const Job::ProgressSink&) -> Expected<void> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return work(**book);
        },
        [this, path = next.book, then = std::move(next.then),
         wanted = next.reload](Expected<void> done) {
            if (!done) say(text(done.error()), true);
            // What follows concerns the book it was made in.
            if (path == book_->path()) {
                if (done && then) then();
                reread();
                if (changes_.empty() && wanted) reload();
            }
            nextChange();
        });
}

void Session::changeBattery(std::int64_t id, std::function<void(Battery&)> edit, bool reload) {
    if (id == 0) return;
    // The newest card is read where it is changed: several changes may wait for each other.
    change(
        [id, edit = std::move(edit)](BenchBook& b) -> Expected<void> {
            // Read and written in one transaction: no other window comes between.
            const auto once =
                [&](const std::function<Expected<void>(const BatteryEntry&, const Battery&)>& with)
                -> Expected<void> {
                const auto all = b.batteries();
                if (!all) return tl::unexpected<Error>(all.error());
                const auto at = std::ranges::find(*all, id, &BatteryEntry::id);
                if (at == all->end()) return {};
                Battery changed = at->battery;
                edit(changed);
                return with(*at, changed);
            };
            return once([&](const BatteryEntry&, const Battery& named) {
                return b.change({"card", {named.name}}, [&] {
                    return once([&](const BatteryEntry& e, const Battery& changed) {
                        return b.updateBattery(id, e.revision, changed);
                    });
                });
            });
        },
        {}, reload);
}

void Session::step(Expected<std::string> (BenchBook::*way)(), const QString& nothing,
                   const QString& words) {
    auto label = std::make_shared<std::string>();
    change(
        [label, way](BenchBook& b) -> Expected<void> {
            auto done = (b.*way)();
            if (!done) return tl::unexpected<Error>(done.error());
            *label = *done;
            return {};
        },
        [this, label, nothing, words] {
            say(label->empty() ? nothing : words.arg(QString::fromStdString(*label)));
            chooseAny();
        });
}

void Session::undo() {
    step(&BenchBook::undo, tr("There is nothing to take back."), tr("Taken back: %1."));
}

void Session::redo() {
    step(&BenchBook::redo, tr("There is nothing to make again."), tr("Made again: %1."));
}

QStringList Session::finishChanges() {
    QStringList problems;
    const auto listening =
        connect(this, &Session::said, this, [&problems](const QString& words, bool problem) {
            if (problem) problems << words;
        });
    while (changer_.running() || !changes_.empty()) {
        changer_.wait();
        // Hands the result of the one that is done back, which starts the next.
        QCoreApplication::sendPostedEvents(&changer_, QEvent::MetaCall);
    }
    disconnect(listening);
    return problems;
}

void Session::enqueue(const QString& name, std::function<void()> start) {
    waiting_.push_back({name, std::move(start)});
    if (!active_) nextWork();
}

void Session::nextWork() {
    if (waiting_.empty()) return;
    PendingWork next = std::move(waiting_.front());
    waiting_.pop_front();
    active_ = true;
    Q_EMIT workChanged(next.name);
    next.start();
}

void Session::workDone() {
    active_ = false;
    if (waiting_.empty()) Q_EMIT workChanged({});
    nextWork();
}

void Session::stopWork() {
    work_.requestStop();
}

bool Session::busy() const {
    return active_ || load_.running() || changer_.running() || !changes_.empty();
}

void Session::refreshReadings() {
    // One at a time; what becomes stale meanwhile may be missing from its list: it looks again.
    refreshAgain_ = fresher_.running();
    if (refreshAgain_) return;
    struct Fresh {
        RefreshReport report;
        std::map<std::int64_t, KeptStanding> standings;
    };
    fresher_.start(
        [this, path = path(), writes = !book_->readOnly()](
            std::stop_token stop, const Job::ProgressSink&) -> Expected<Fresh> {
            Fresh out;
            std::vector<std::int64_t> ids;
            if (writes) {
                auto book = BenchBook::open(path, false);
                if (!book) return tl::unexpected<Error>(book.error());
                const auto stale = staleRecordings(**book);
                if (!stale) return tl::unexpected<Error>(stale.error());
                for (const Stale& s : *stale) ids.push_back(s.entry.id);
            }
            if (!ids.empty()) {
                std::ranges::sort(ids);
                QMetaObject::invokeMethod(
                    this,
                    [this, path, ids] {
                        if (path == book_->path() && fresher_.running()) Q_EMIT outOfDate(ids);
                    },
                    Qt::QueuedConnection);
                auto report = refreshBook(path, stop);
                if (!report) return tl::unexpected<Error>(report.error());
                out.report = *report;
                if (out.report.stored > 0) return out;  // all is read anew
            }
            auto book = writes ? BenchBook::open(path, false) : BenchBook::openForReading(path);
            if (!book) return tl::unexpected<Error>(book.error());
            auto standings = keptStandings(**book);
            if (!standings) return tl::unexpected<Error>(standings.error());
            out.standings = std::move(*standings);
            return out;
        },
        [this](Expected<Fresh> fresh) {
            if (!fresh) {
                say(text(fresh.error()), true);
            } else if (fresh->report.stored > 0) {
                reread();
            } else {
                standings_ = std::move(fresh->standings);
                Q_EMIT standingsChanged();
            }
            if (fresh && refreshAgain_) refreshReadings();
        });
}

}  // namespace nk
