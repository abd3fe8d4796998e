// The window takes logs in: opened, dropped or pasted files, the card of the battery, the preview.
#include "app/shell/main_window.h"

#include <QApplication>
#include <QDateTime>
#include <QFileInfo>
#include <QPointer>
#include <algorithm>
#include <utility>

#include "app/reading/import_list.h"
#include "app/reading/import_preview.h"
#include "app/shelf/shelf.h"
#include "app/shell/battery_card.h"
#include "app/shell/main_window_text.h"
#include "quantity/harmless.h"

namespace nk {

void MainWindow::openFiles(const QStringList& paths) {
    if (paths.isEmpty()) return;
    queue_ += paths;
    if (!work_.running() && findChild<BatteryCard*>() == nullptr) nextFile();
}

void MainWindow::nextFile() {
    if (queue_.isEmpty()) return;
    const QString path = queue_.takeFirst();
    hideBar();
    task_->setText(tr("Reading %1").arg(QFileInfo(path).fileName()));
    work_.start(
        [path](std::stop_token stop, const Job::ProgressSink& progress) {
            return readPending(path, stop, progress);
        },
        [this](auto pending) { takePending(std::move(pending)); });
}

void MainWindow::pasteTable() {
    const std::string table = QApplication::clipboard()->text().toStdString();
    if (table.empty()) {
        say(tr("The clipboard holds no text. Copy a table with its header row first."), true);
        return;
    }
    hideBar();
    task_->setText(tr("Reading the pasted table"));
    const QString name =
        tr("pasted %1.tsv").arg(QDateTime::currentDateTime().toString("yyyy-MM-dd hh.mm"));
    work_.start(
        [table, name](std::stop_token stop, const Job::ProgressSink& progress) {
            return readPendingText(table, name, stop, progress);
        },
        [this](auto pending) { takePending(std::move(pending)); });
}

void MainWindow::takePending(Expected<std::shared_ptr<PendingLog>> pending) {
    if (!pending) {
        say(text(pending.error()), true);
        Q_EMIT importFinished(false);
        nextFile();
        return;
    }
    askBattery(std::move(*pending));
}

void MainWindow::askBattery(std::shared_ptr<PendingLog> first) {
    // What the card, the preview and re-reading share: the log as it is read now.
    auto pending = std::make_shared<std::shared_ptr<PendingLog>>(std::move(first));
    Battery start = (*pending)->guess;
    start.name.clear();
    auto* card =
        new BatteryCard(tr("A log came in"), importIntro(**pending), start, batteries_, this);
    auto* preview = new ImportPreview(card);
    card->setPreview(preview, !(*pending)->imported);
    const auto showReading = [this, card, preview, pending] {
        const PendingLog& log = **pending;
        preview->show(log.preview, log.options, log.imported ? &*log.imported : nullptr,
                      log.problem, log.ways);
        card->setReadable(log.imported.has_value());
        if (!log.imported) return;
        double high = 0;
        bool charges = false;
        const Recording& r = *log.imported->recording;
        for (std::size_t k = 0; k < r.size(); ++k) {
            high = std::max(high, r.voltage_V()[k]);
            charges |= r.current_A()[k] > 0.01;
        }
        card->setTopVoltage(high, charges);
    };
    showReading();
    card->setAttribute(Qt::WA_DeleteOnClose);
    connect(preview, &ImportPreview::optionsChanged, card, [this, preview, pending, showReading] {
        work_.start(
            [log = *pending, options = preview->options()](std::stop_token stop,
                                                           const Job::ProgressSink& progress) {
                return readAgain(*log, options, stop, progress);
            },
            [pending, showReading](std::shared_ptr<PendingLog> log) {
                *pending = std::move(log);
                showReading();
            });
    });
    connect(card, &QDialog::accepted, this, [this, card, pending] {
        work_.cancel();
        rememberChoices(**pending);
        const std::int64_t id = card->chosenId();
        const Battery battery = id > 0 ? batteryOf(id) : card->battery();
        if (queue_.isEmpty())
            store(*pending, id, battery);
        else
            storeAll(*pending, id, battery);
    });
    connect(card, &QDialog::rejected, this, [this] {
        work_.cancel();
        queue_.clear();
        say(tr("The log was not added. Nothing was changed."));
        Q_EMIT importFinished(false);
    });
    card->open();
}

QString MainWindow::importIntro(const PendingLog& log) const {
    const QString file = QString::fromStdString(harmless(log.fileName.toStdString()));
    QString intro =
        log.imported ? tr("%1: %L2 rows read").arg(file).arg(log.imported->rowsRead)
        : log.ways.size() == 2
            ? tr("%1: it can be read in two ways, and only you can know which").arg(file)
            : tr("%1: it is a table, but not all of its columns are known").arg(file);
    if (log.imported && log.imported->rowsSkipped > 0)
        intro += tr(", %1 set aside").arg(log.imported->rowsSkipped);
    intro += tr(". Which battery is it?");
    if (log.imported) {
        const double lasts_s = log.imported->recording->duration_s();
        const auto twin = std::ranges::find_if(recordings_, [&](const RecordingEntry& e) {
            return e.rowsRead == log.imported->rowsRead && e.duration_s == lasts_s &&
                   e.fileName == log.fileName.toStdString();
        });
        if (twin != recordings_.end())
            intro += "\n" + tr("A log of this name, as long and with as many rows, is on the shelf "
                               "already: “%1”.")
                                .arg(QString::fromStdString(twin->title));
    }
    if (!queue_.isEmpty())
        intro += "\n" +
                 tr("%1 more files came with it; they go to the same battery.").arg(queue_.size());
    return intro;
}

void MainWindow::storeAll(std::shared_ptr<PendingLog> first, std::int64_t batteryId,
                          const Battery& battery) {
    const QStringList files = std::exchange(queue_, {});
    auto* list = new ImportList(first->fileName, files, this);
    list->setAttribute(Qt::WA_DeleteOnClose);
    connect(list, &ImportList::cancelRequested, this, [this] { work_.cancel(); });
    list->open();
    task_->setText(tr("Storing %1 logs").arg(files.size() + 1));
    const QPointer<ImportList> shown(list);
    const auto report = [shown, this](int row, const QString& words, bool good) {
        QMetaObject::invokeMethod(
            this,
            [shown, row, words, good] {
                if (shown) shown->setResult(row, words, good);
            },
            Qt::QueuedConnection);
    };
    const auto path = book_->path();
    const double now = now_s();
    work_.start(
        [path, first, files, batteryId, battery, now, report](std::stop_token stop,
                                                              const Job::ProgressSink& progress) {
            return storeMany(path, *first, files, batteryId, battery, now, report, stop, progress);
        },
        [this, shown](std::int64_t last) {
            refreshShelf();
            if (last > 0) chooseRecording(last);
            if (shown) shown->finish();
            Q_EMIT importFinished(last > 0);
        });
    connect(&work_, &Job::runningChanged, list, [list](bool on) {
        if (!on) list->finish();
    });
}

void MainWindow::store(std::shared_ptr<PendingLog> pending, std::int64_t batteryId,
                       const Battery& battery) {
    task_->setText(tr("Storing %1").arg(pending->fileName));
    const auto path = book_->path();
    const double now = now_s();
    work_.start(
        [path, pending, batteryId, battery, now](std::stop_token stop, const Job::ProgressSink&) {
            return storePending(path, *pending, batteryId, battery, now, stop);
        },
        [this](auto id) {
            refreshShelf();
            if (!id) {
                say(text(id.error()), true);
                Q_EMIT importFinished(false);
            } else {
                chooseRecording(*id);
                Q_EMIT importFinished(true);
            }
            nextFile();
        });
}

}  // namespace nk
