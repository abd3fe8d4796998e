#include "app/shell/book_actions.h"

#include <QDateTime>
#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>
#include <QSettings>

#include "app/origin/things_dialog.h"
#include "app/session/text.h"
#include "app/shell/backup_list.h"
#include "app/shell/book_door.h"
#include "history/hand_on.h"

namespace nk {

BookActions::BookActions(Session& session, Dialogs& dialogs, const Preferences& preferences,
                         QWidget* window)
    : QObject(window),
      session_(session),
      dialogs_(dialogs),
      preferences_(preferences),
      window_(window) {
    connect(&upkeep_, &Job::failed, this,
            [this](const QString& words) { session_.say(words, true); });
    rememberBook();
    startTimer(3600 * 1000);
    backUpWhenDue();
}

void BookActions::timerEvent(QTimerEvent*) {
    backUpWhenDue();
}

namespace {

constexpr int kRecentBooks = 8;

QString pathOf(const BenchBook& book) {
    return QFileInfo(QString::fromStdString(book.path().string())).absoluteFilePath();
}

}  // namespace

void BookActions::switchBook() {
    const QString path = dialogs_.openBook(window_);
    if (!path.isEmpty()) openBook(QFileInfo(path).suffix().isEmpty() ? path + ".nkbook" : path);
}

void BookActions::openBook(const QString& path) {
    auto opened = BenchBook::open(path.toStdString());
    if (!opened) {
        if (opened.error().kind == ErrorKind::Foreign &&
            dialogs_.confirm(window_, tr("This book is not opened"),
                             text(opened.error()) + "\n\n" +
                                 tr("Its rows can be copied into a new book; nothing else "
                                    "of it is used."),
                             tr("Copy the rows …"))) {
            if (const QString target = rescueInto(path, dialogs_, window_); !target.isEmpty())
                openBook(target);
            return;
        }
        session_.say(text(opened.error()), true);
        return;
    }
    upkeep_.cancel();
    session_.setBook(std::move(*opened));
    QSettings().setValue("book", pathOf(session_.book()));
    rememberBook();
    backUpWhenDue();
}

void BookActions::rememberBook() {
    QSettings settings;
    QStringList recent = settings.value("recentBooks").toStringList();
    const QString path = pathOf(session_.book());
    recent.removeAll(path);
    recent.prepend(path);
    settings.setValue("recentBooks", recent.mid(0, kRecentBooks));
}

void BookActions::fillRecentBooks(QMenu& menu) {
    menu.clear();
    const QString now = pathOf(session_.book());
    for (const QString& path : QSettings().value("recentBooks").toStringList()) {
        if (path == now) continue;
        const QFileInfo file(path);
        QAction* action = menu.addAction(file.completeBaseName(), this, [this, path] {
            if (QFileInfo::exists(path))
                openBook(path);
            else
                session_.say(
                    tr("%1 is no longer there. It may have been moved or renamed.").arg(path),
                    true);
        });
        action->setToolTip(path);
        action->setEnabled(file.exists());
    }
    if (menu.isEmpty()) menu.addAction(tr("No other book yet"))->setEnabled(false);
}

BackupPlan BookActions::backupPlan() const {
    BackupPlan plan;
    plan.room_bytes = static_cast<std::uintmax_t>(preferences_.backupRoom_GB) << 30;
    return plan;
}

void BookActions::backUpWhenDue() {
    if (!preferences_.backups || upkeep_.running() || session_.book().readOnly()) return;
    upkeep_.start(
        [path = session_.path(), now = now_s(), plan = backupPlan()](
            std::stop_token,
            const Job::ProgressSink&) -> Expected<std::optional<std::filesystem::path>> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            const auto batteries = (*book)->batteries();
            if (batteries && batteries->empty()) return std::nullopt;  // nothing to keep yet
            return backupWhenDue(**book, now, plan);
        },
        [this](auto made) {
            if (!made)
                session_.say(tr("The daily backup was not made. %1").arg(text(made.error())), true);
        });
}

void BookActions::backUpNow() {
    upkeep_.start(
        [path = session_.path(), now = now_s(), plan = backupPlan()](
            std::stop_token, const Job::ProgressSink&) -> Expected<std::filesystem::path> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return backupNow(**book, now, plan);
        },
        [this](auto made) {
            if (!made)
                session_.say(text(made.error()), true);
            else
                session_.say(tr("Backed up to %1.").arg(QString::fromStdString(made->string())));
        });
}

void BookActions::chooseBackup() {
    const auto backups = backupsOf(session_.path());
    if (!backups) {
        session_.say(text(backups.error()), true);
        return;
    }
    auto* list = new BackupList(*backups, window_);
    list->setAttribute(Qt::WA_DeleteOnClose);
    connect(list, &BackupList::restoreRequested, this, &BookActions::restore);
    list->open();
}

void BookActions::restore(const QString& backup) {
    upkeep_.start(
        [path = session_.path(), from = std::filesystem::path(backup.toStdString()), now = now_s()](
            std::stop_token, const Job::ProgressSink&) { return restoreBackup(path, from, now); },
        [this](auto kept) {
            if (!kept) {
                session_.say(text(kept.error()), true);
                return;
            }
            openBook(QString::fromStdString(session_.path().string()));
            session_.say(tr("The backup is in force. The book as it was before is %1.")
                             .arg(QString::fromStdString(kept->string())));
        });
}

void BookActions::verifyBook() {
    upkeep_.start(
        [path = session_.path()](std::stop_token stop,
                                 const Job::ProgressSink&) -> Expected<VerifyReport> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return (*book)->verify(stop);
        },
        [this](auto report) {
            if (!report) {
                session_.say(text(report.error()), true);
                return;
            }
            QString words = tr("%L1 batteries, %L2 recordings, %L3 samples were read back and "
                               "compared with what was stored.")
                                .arg(report->batteries)
                                .arg(report->recordings)
                                .arg(report->samples);
            if (report->faults.empty()) {
                words += "\n\n" + tr("All is well.");
            } else {
                words += "\n\n" + tr("These faults were found. A backup from before them brings "
                                     "the book back; what is readable stays usable.");
                for (const std::string& fault : report->faults)
                    words += "\n· " + QString::fromStdString(fault);
            }
            showReport(tr("Check of the book"), words);
        });
}

void BookActions::showReport(const QString& title, const QString& words) {
    auto* box = new QMessageBox(QMessageBox::NoIcon, title, words, QMessageBox::Close, window_);
    box->setObjectName("report");
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
    box->open();
}

void BookActions::handOn(std::int64_t batteryId) {
    const QString name = QString::fromStdString(session_.batteryOf(batteryId).name);
    const QString target = dialogs_.saveAs(window_, tr("Hand on %1 with its logs").arg(name),
                                           name + ".nkbook", tr("Bench book (*.nkbook)"));
    if (target.isEmpty()) return;
    session_.run(
        tr("Writing %1").arg(QFileInfo(target).fileName()),
        [path = session_.path(), batteryId, target](
            std::stop_token stop, const Job::ProgressSink&) -> Expected<MergeReport> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return handOnBattery(**book, batteryId, target.toStdString(), stop);
        },
        [this, name, target](Expected<MergeReport> report) {
            if (!report)
                session_.say(text(report.error()), true);
            else
                session_.say(
                    tr("%1 and its logs (%2) are in %3. Whoever gets the file takes it in with "
                       "“Take in another book”.")
                        .arg(name)
                        .arg(report->recordings)
                        .arg(target));
        });
}

void BookActions::takeInBook() {
    const QString path = dialogs_.openBook(window_);
    if (path.isEmpty()) return;
    auto report = std::make_shared<MergeReport>();
    session_.change(
        [path, report](BenchBook& b) -> Expected<void> {
            auto other = BenchBook::openForReading(path.toStdString());
            if (!other) return tl::unexpected<Error>(other.error());
            auto done = b.takeIn(**other);
            if (!done) return tl::unexpected<Error>(done.error());
            *report = *done;
            return {};
        },
        [this, report] {
            QString words = tr("Batteries that came in: %1; logs: %2; logs that were here already: "
                               "%3. Undo (Ctrl+Z) takes it all back.")
                                .arg(report->batteries)
                                .arg(report->recordings)
                                .arg(report->known);
            for (const std::string& n : report->notes) words += "\n" + QString::fromStdString(n);
            session_.say(words);
            session_.chooseAny();
        });
}

void BookActions::showThings() {
    session_.run(
        tr("Reading what the charges tell"),
        [path = session_.path()](std::stop_token,
                                 const Job::ProgressSink&) -> Expected<BookThings> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return readThings(**book);
        },
        [this](Expected<BookThings> things) {
            if (!things) {
                session_.say(text(things.error()), true);
                return;
            }
            auto* dialog = new ThingsDialog(std::move(*things), window_);
            dialog->setAttribute(Qt::WA_DeleteOnClose);
            connect(dialog, &ThingsDialog::accuracyChanged, this,
                    [this](qlonglong id, qlonglong revision, const Instrument& changed) {
                        session_.change([id, revision, changed](BenchBook& b) {
                            return b.updateInstrument(id, revision, changed);
                        });
                    });
            dialog->open();
        });
}

}  // namespace nk
