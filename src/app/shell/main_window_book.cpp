// The window and its bench book: opening another, recent ones, backups, a check of the whole book.
#include <QDateTime>
#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>
#include <QSettings>

#include "app/findings/findings_panel.h"
#include "app/shell/backup_list.h"
#include "app/shell/book_door.h"
#include "app/shell/main_window.h"
#include "app/shell/main_window_text.h"
#include "book/backups.h"

namespace nk {

namespace {

constexpr int kRecentBooks = 8;

QString pathOf(const BenchBook& book) {
    return QFileInfo(QString::fromStdString(book.path().string())).absoluteFilePath();
}

}  // namespace

void MainWindow::switchBook() {
    const QString path = dialogs_.openBook(this);
    if (!path.isEmpty()) openBook(QFileInfo(path).suffix().isEmpty() ? path + ".nkbook" : path);
}

void MainWindow::openBook(const QString& path) {
    auto opened = BenchBook::open(path.toStdString());
    if (!opened) {
        if (opened.error().kind == ErrorKind::Foreign &&
            dialogs_.confirm(this, tr("This book is not opened"),
                             text(opened.error()) + "\n\n" +
                                 tr("Its rows can be copied into a new book; nothing else "
                                    "of it is used."),
                             tr("Copy the rows …"))) {
            if (const QString target = rescueInto(path, dialogs_, this); !target.isEmpty())
                openBook(target);
            return;
        }
        say(text(opened.error()), true);
        return;
    }
    upkeep_.cancel();
    book_ = std::move(*opened);
    bindBook();
    QSettings().setValue("book", pathOf(*book_));
    rememberBook();
    shown_.reset();
    findings_->setCards({});
    showAnyRecording();
    backUpWhenDue();
}

void MainWindow::rememberBook() {
    QSettings settings;
    QStringList recent = settings.value("recentBooks").toStringList();
    const QString path = pathOf(*book_);
    recent.removeAll(path);
    recent.prepend(path);
    settings.setValue("recentBooks", recent.mid(0, kRecentBooks));
}

void MainWindow::fillRecentBooks() {
    recent_->clear();
    const QString now = pathOf(*book_);
    for (const QString& path : QSettings().value("recentBooks").toStringList()) {
        if (path == now) continue;
        const QFileInfo file(path);
        QAction* action = recent_->addAction(file.completeBaseName(), this, [this, path] {
            if (QFileInfo::exists(path))
                openBook(path);
            else
                say(tr("%1 is no longer there. It may have been moved or renamed.").arg(path),
                    true);
        });
        action->setToolTip(path);
        action->setEnabled(file.exists());
    }
    if (recent_->isEmpty()) recent_->addAction(tr("No other book yet"))->setEnabled(false);
}

BackupPlan MainWindow::backupPlan() const {
    BackupPlan plan;
    plan.room_bytes = static_cast<std::uintmax_t>(preferences_.backupRoom_GB) << 30;
    return plan;
}

void MainWindow::backUpWhenDue() {
    if (!preferences_.backups || upkeep_.running() || book_->readOnly()) return;
    upkeep_.start(
        [path = book_->path(), now = now_s(), plan = backupPlan()](
            std::stop_token,
            const Job::ProgressSink&) -> Expected<std::optional<std::filesystem::path>> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            const auto batteries = (*book)->batteries();
            if (batteries && batteries->empty()) return std::nullopt;  // nothing to keep yet
            return backupWhenDue(**book, now, plan);
        },
        [this](auto made) {
            if (!made) say(tr("The daily backup was not made. %1").arg(text(made.error())), true);
        });
}

void MainWindow::backUpNow() {
    upkeep_.start(
        [path = book_->path(), now = now_s(), plan = backupPlan()](
            std::stop_token, const Job::ProgressSink&) -> Expected<std::filesystem::path> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return backupNow(**book, now, plan);
        },
        [this](auto made) {
            if (!made)
                say(text(made.error()), true);
            else
                say(tr("Backed up to %1.").arg(QString::fromStdString(made->string())));
        });
}

void MainWindow::chooseBackup() {
    const auto backups = backupsOf(book_->path());
    if (!backups) {
        say(text(backups.error()), true);
        return;
    }
    auto* list = new BackupList(*backups, this);
    list->setAttribute(Qt::WA_DeleteOnClose);
    connect(list, &BackupList::restoreRequested, this, &MainWindow::restore);
    list->open();
}

void MainWindow::restore(const QString& backup) {
    upkeep_.start(
        [path = book_->path(), from = std::filesystem::path(backup.toStdString()), now = now_s()](
            std::stop_token, const Job::ProgressSink&) { return restoreBackup(path, from, now); },
        [this](auto kept) {
            if (!kept) {
                say(text(kept.error()), true);
                return;
            }
            openBook(QString::fromStdString(book_->path().string()));
            say(tr("The backup is in force. The book as it was before is %1.")
                    .arg(QString::fromStdString(kept->string())));
        });
}

void MainWindow::verifyBook() {
    upkeep_.start(
        [path = book_->path()](std::stop_token stop,
                               const Job::ProgressSink&) -> Expected<VerifyReport> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return (*book)->verify(stop);
        },
        [this](auto report) {
            if (!report) {
                say(text(report.error()), true);
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

void MainWindow::showReport(const QString& title, const QString& words) {
    auto* box = new QMessageBox(QMessageBox::NoIcon, title, words, QMessageBox::Close, this);
    box->setObjectName("report");
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
    box->open();
}

}  // namespace nk
