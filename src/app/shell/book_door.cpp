#include "app/shell/book_door.h"

#include <QApplication>
#include <QDateTime>
#include <QFileInfo>
#include <functional>

#include "app/session/text.h"
#include "book/backups.h"
#include "book/rescue.h"

namespace nk {

namespace {

QString withEnding(const QString& path) {
    return path.isEmpty() || !QFileInfo(path).suffix().isEmpty() ? path : path + ".nkbook";
}

QString tr(const char* words) {
    static constexpr char kContext[] = "nk::BookDoor";
    return QCoreApplication::translate(kContext, words);
}

}  // namespace

QString rescueInto(const QString& path, Dialogs& dialogs, QWidget* parent) {
    const QString target =
        withEnding(dialogs.saveAs(parent, tr("Copy the rows into a new book"),
                                  QFileInfo(path).completeBaseName() + " " + tr("rows") + ".nkbook",
                                  tr("Bench books (*.nkbook)")));
    if (target.isEmpty()) return {};
    const auto report = rescueBook(path.toStdString(), target.toStdString());
    if (!report) {
        dialogs.tell(parent, tr("The rows were not copied"), text(report.error()));
        return {};
    }
    QString words = tr("%L1 batteries and %L2 recordings were copied.")
                        .arg(report->batteries)
                        .arg(report->recordings);
    if (!report->leftOut.empty()) {
        words += "\n\n" + tr("Not copied:");
        for (const std::string& what : report->leftOut)
            words += "\n· " + QString::fromStdString(what);
    }
    dialogs.tell(parent, tr("The rows were copied"), words);
    return target;
}

std::unique_ptr<BenchBook> enterBook(QString path, bool make, Dialogs& dialogs, double now_s) {
    while (true) {
        auto book = BenchBook::open(path.toStdString(), make);
        if (book) return std::move(*book);
        const Error error = book.error();
        QStringList answers;
        std::vector<std::function<void()>> ways;
        const auto way = [&](const QString& words, std::function<void()> go) {
            answers << words;
            ways.push_back(std::move(go));
        };
        if (error.kind == ErrorKind::Foreign)
            way(tr("Copy its rows into a new book …"), [&] {
                if (const QString target = rescueInto(path, dialogs, nullptr); !target.isEmpty())
                    path = target;
            });
        if (const auto backups = backupsOf(path.toStdString()); backups)
            for (std::size_t k = 0; k < std::min<std::size_t>(3, backups->size()); ++k) {
                const BackupFile& file = (*backups)[k];
                const QString made = QDateTime::fromSecsSinceEpoch(static_cast<qint64>(file.at_s))
                                         .toString("d MMM yyyy, hh:mm");
                way(tr("Bring back the backup of %1").arg(made), [&, from = file.path] {
                    const auto kept = restoreBackup(path.toStdString(), from, now_s);
                    if (!kept)
                        dialogs.tell(nullptr, tr("The backup was not brought back"),
                                     text(kept.error()));
                });
            }
        way(tr("Open another book …"), [&] {
            const QString other = withEnding(dialogs.openBook(nullptr));
            if (!other.isEmpty()) path = other, make = true;
        });
        way(tr("Start a new book …"), [&] {
            const QString other = withEnding(dialogs.saveAs(
                nullptr, tr("Start a new book"), "bench.nkbook", tr("Bench books (*.nkbook)")));
            if (!other.isEmpty()) path = other, make = true;
        });
        way(tr("Try again"), [] {});
        const int chosen =
            dialogs.choose(nullptr, tr("The bench book cannot be opened"),
                           QString::fromStdString(harmless(error.what, 2000, true)) + "\n\n" +
                               tr("Nothing was changed. It is still where it is: %1").arg(path),
                           answers, tr("Leave"));
        if (chosen < 0 || chosen >= static_cast<int>(ways.size())) return nullptr;
        ways[static_cast<std::size_t>(chosen)]();
    }
}

}  // namespace nk
