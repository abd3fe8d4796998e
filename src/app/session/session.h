// The session: the open book with its lists, what is selected and shown, the changes that wait to
// be made, and long work. Stations, shelf and dialogs get it by reference and are told when it
// changes; no widget owns any of this.
#pragma once

#include <QObject>
#include <QStringList>
#include <deque>
#include <functional>
#include <memory>

#include "app/job/job.h"
#include "app/preferences/preferences.h"
#include "app/session/dialogs.h"
#include "app/session/shown_recording.h"
#include "book/bench_book.h"
#include "history/kept_standing.h"

namespace nk {

class Session : public QObject {
    Q_OBJECT
  public:
    Session(std::unique_ptr<BenchBook> book, Dialogs& dialogs, Preferences& preferences,
            QObject* parent = nullptr);
    ~Session() override;

    /// Files and questions are asked for through this alone, so that a test can answer.
    Dialogs& dialogs() const { return dialogs_; }
    BenchBook& book() const { return *book_; }
    /// A copy of the path, for workers: they must not look into the session.
    std::filesystem::path path() const { return book_->path(); }
    /// Goes on with another book. What was asked for of the old one is still made in it.
    void setBook(std::unique_ptr<BenchBook> book);

    const std::vector<BatteryEntry>& batteries() const { return batteries_; }
    const std::vector<RecordingEntry>& recordings() const { return recordings_; }
    /// Null when it is no longer on the shelf.
    const RecordingEntry* entryOf(std::int64_t id) const;
    Battery batteryOf(std::int64_t id) const;
    /// What is known beyond the card; nothing known: an empty one.
    BatteryLife lifeOf(std::int64_t id) const;
    const std::map<std::int64_t, BatteryLife>& lives() const { return lives_; }
    /// What is known of a battery, as every list quotes it; null: not made yet, or nothing is
    /// known.
    const KeptStanding* standingOf(std::int64_t id) const;
    const std::map<std::int64_t, KeptStanding>& standings() const { return standings_; }
    ShownPtr shown() const { return shown_; }
    /// The battery that everybody speaks of: whose page or log was opened last; 0: none.
    std::int64_t battery() const { return battery_; }
    /// Without opening anything: another battery is spoken of.
    void chooseBattery(std::int64_t id);
    /// Folds what lies beside the book back into it, in a worker, where there is anything.
    void foldBack();

    /// Loads and analyses a recording in a worker; shownChanged follows.
    void choose(std::int64_t id);
    /// The same of what is shown already, because something that makes it has changed: nobody has
    /// chosen anything.
    void reload();
    /// The shown recording may be gone: shows the newest one then.
    void chooseAny();
    /// Reads the lists again, and brings stored readings up to date in the background.
    void reread();

    /// Reads anew what another window has changed, when it has: the lists, and what is shown where
    /// its card, edits, corrections or names are others now.
    void lookElsewhere();

    /// Makes a change to the book that is open now in a worker, one after the other in the order
    /// they were asked for; errors are said, `then` runs after success, and the shown recording is
    /// made anew when `reload`.
    using BookWork = std::function<Expected<void>(BenchBook&)>;
    void change(BookWork work, std::function<void()> then = {}, bool reload = true);
    /// Changes the newest card of a battery.
    void changeBattery(std::int64_t id, std::function<void(Battery&)> edit, bool reload);
    void undo();
    void redo();
    /// Makes all changes that wait, for the end of the session. Returns what went wrong.
    QStringList finishChanges();

    /// Long work, one after the other in the order it was asked for: nothing that was begun is lost
    /// because something else is asked for. `name` is shown while it runs.
    template <class Work, class Done>
    void run(const QString& name, Work work, Done done) {
        enqueue(name, [this, work = std::move(work), done = std::move(done)]() mutable {
            work_.start(std::move(work), [this, done = std::move(done)](auto result) mutable {
                done(std::move(result));
                workDone();
            });
        });
    }
    bool working() const { return active_; }
    /// Asks the work under way to stop; what it says of itself follows.
    void stopWork();

    bool busy() const;
    void say(const QString& words, bool problem = false) { Q_EMIT said(words, problem); }

  Q_SIGNALS:
    void listsChanged();
    void standingsChanged();
    void bookChanged();
    void shownChanged();
    void recordingShown(qlonglong id);
    void chosen(qlonglong id);
    void batteryChanged(qlonglong id);
    void outOfDate(const std::vector<std::int64_t>& recordings);
    void said(const QString& words, bool problem);
    /// A bench card for the log that would tell more of a battery.
    void planRequested(qlonglong battery);
    /// The readings pad of a battery.
    void padRequested(qlonglong battery);
    /// A step of a log, the one that holds the moment, to be laid side by side with others.
    void besideRequested(qlonglong recording, double moment_s);
    /// Empty: nothing runs.
    void workChanged(const QString& name);
    void workProgressed(double fraction);

  private:
    struct PendingChange {
        std::filesystem::path book;
        BookWork work;
        std::function<void()> then;
        bool reload = true;
    };
    struct PendingWork {
        QString name;
        std::function<void()> start;
    };
    void adopt();
    void load(std::int64_t id);
    void nextChange();
    void enqueue(const QString& name, std::function<void()> start);
    void nextWork();
    void workDone();
    void refreshReadings();
    void step(Expected<std::string> (BenchBook::*way)(), const QString& nothing,
              const QString& words);

    std::unique_ptr<BenchBook> book_;
    Dialogs& dialogs_;
    Preferences& preferences_;
    std::vector<BatteryEntry> batteries_;
    std::vector<RecordingEntry> recordings_;
    std::map<std::int64_t, BatteryLife> lives_;
    std::map<std::int64_t, KeptStanding> standings_;
    ShownPtr shown_;
    std::int64_t battery_ = 0;
    std::deque<PendingChange> changes_;
    std::deque<PendingWork> waiting_;
    bool active_ = false;  ///< work is under way
    Job load_{this};
    Job changer_{this};
    Job elsewhere_{this};  ///< whether another window changed what is shown
    Job work_{this};
    Job folder_{this};
    Job fresher_{this};          ///< stored readings that are out of date
    bool refreshAgain_ = false;  ///< something was changed while it ran
};

}  // namespace nk
