#include "app/reading/import_desk.h"

#include <QApplication>
#include <QClipboard>
#include <QDateTime>
#include <QFileInfo>
#include <QMimeData>
#include <QPointer>
#include <algorithm>
#include <utility>

#include "app/origin/origin_form.h"
#include "app/reading/import_list.h"
#include "app/reading/import_preview.h"
#include "app/session/text.h"
#include "app/shell/battery_card.h"
#include "quantity/harmless.h"

namespace nk {

ImportDesk::ImportDesk(Session& session, QWidget* window)
    : QObject(window), session_(session), window_(window) {
    connect(&reading_, &Job::failed, this,
            [this](const QString& words) { session_.say(words, true); });
}

void ImportDesk::openFiles(const QStringList& paths) {
    if (paths.isEmpty()) return;
    queue_ += paths;
    nextFile();
}

void ImportDesk::nextFile() {
    // One at a time: the next is read when this one is answered.
    if (queue_.isEmpty() || asking_) return;
    asking_ = true;
    const QString path = queue_.takeFirst();
    session_.run(
        tr("Reading %1").arg(QFileInfo(path).fileName()),
        [path](std::stop_token stop, const Job::ProgressSink& progress) {
            return readPending(path, stop, progress);
        },
        [this](auto pending) { takePending(std::move(pending)); });
}

void ImportDesk::pasteTable() {
    if (asking_) {
        session_.say(tr("Another log is coming in. Paste again when it is on the shelf."), true);
        return;
    }
    const std::string table = QApplication::clipboard()->text().toStdString();
    if (table.empty()) {
        session_.say(tr("The clipboard holds no text. Copy a table with its header row first."),
                     true);
        return;
    }
    asking_ = true;
    const QString name =
        tr("pasted %1.tsv").arg(QDateTime::currentDateTime().toString("yyyy-MM-dd hh.mm"));
    session_.run(
        tr("Reading the pasted table"),
        [table, name](std::stop_token stop, const Job::ProgressSink& progress) {
            return readPendingText(table, name, stop, progress);
        },
        [this](auto pending) { takePending(std::move(pending)); });
}

void ImportDesk::answered(bool stored) {
    asking_ = left_ = false;
    Q_EMIT finished(stored);
    nextFile();
}

void ImportDesk::takePending(Expected<std::shared_ptr<PendingLog>> pending) {
    if (left_) {  // it may have been read to its end all the same
        session_.say(tr("Cancelled. Nothing was changed."));
        answered(false);
        return;
    }
    if (!pending) {
        session_.say(text(pending.error()), true);
        answered(false);
        return;
    }
    askBattery(std::move(*pending));
}

void ImportDesk::askBattery(std::shared_ptr<PendingLog> first) {
    // What the card, the preview and re-reading share: the log as it is read now.
    auto pending = std::make_shared<std::shared_ptr<PendingLog>>(std::move(first));
    Battery start = (*pending)->guess;
    start.name.clear();
    auto* card = new BatteryCard(tr("A log came in"), importIntro(**pending), start,
                                 session_.batteries(), window_);
    auto* preview = new ImportPreview(card);
    card->setPreview(preview, !(*pending)->imported);
    auto* origin = newOriginForm(session_, card);
    card->setOrigin(origin);
    const auto showReading = [card, preview, origin, pending] {
        const PendingLog& log = **pending;
        preview->show(log.preview, log.options, log.imported ? &*log.imported : nullptr,
                      log.problem, log.ways);
        card->setReadable(log.imported.has_value());
        if (!log.imported) return;
        origin->setShape(shapeOf(log.imported->dialect));
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
        reading_.start(
            [log = *pending, options = preview->options()](std::stop_token stop,
                                                           const Job::ProgressSink& progress) {
                return readAgain(*log, options, stop, progress);
            },
            [pending, showReading](std::shared_ptr<PendingLog> log) {
                *pending = std::move(log);
                showReading();
            });
    });
    connect(card, &QDialog::accepted, this, [this, card, origin, pending] {
        reading_.cancel();
        rememberChoices(**pending);
        const std::int64_t id = card->chosenId();
        const Battery battery = id > 0 ? session_.batteryOf(id) : card->battery();
        if (queue_.isEmpty())
            store(*pending, id, battery, origin->origin());
        else
            storeAll(*pending, id, battery, origin->origin());
    });
    connect(card, &QDialog::rejected, this, [this] {
        reading_.cancel();
        queue_.clear();
        session_.say(tr("The log was not added. Nothing was changed."));
        answered(false);
    });
    card->open();
}

QString ImportDesk::importIntro(const PendingLog& log) const {
    const QString file = QString::fromStdString(harmless(log.fileName.toStdString()));
    QString intro =
        log.imported ? tr("%1: %L2 rows read").arg(file).arg(log.imported->rowsRead)
        : log.ways.size() == 2
            ? tr("%1: it can be read in two ways, and only you can know which").arg(file)
            : tr("%1: it is a table, but not all of its columns are known").arg(file);
    if (log.imported && log.imported->rowsSkipped > 0)
        intro += tr(", %1 set aside").arg(log.imported->rowsSkipped);
    intro += tr(". Which battery is it?");
    if (!log.recognised.isEmpty()) intro += " " + log.recognised;
    if (log.imported) {
        const double lasts_s = log.imported->recording->duration_s();
        const auto twin = std::ranges::find_if(session_.recordings(), [&](const RecordingEntry& e) {
            return e.rowsRead == log.imported->rowsRead && e.duration_s == lasts_s &&
                   e.fileName == log.fileName.toStdString();
        });
        if (twin != session_.recordings().end())
            intro += "\n" + tr("A log of this name, as long and with as many rows, is on the shelf "
                               "already: “%1”.")
                                .arg(QString::fromStdString(twin->title));
    }
    if (!queue_.isEmpty())
        intro += "\n" +
                 tr("%1 more files came with it; they go to the same battery.").arg(queue_.size());
    return intro;
}

void ImportDesk::storeAll(std::shared_ptr<PendingLog> first, std::int64_t batteryId,
                          const Battery& battery, const LogOrigin& origin) {
    const QStringList files = std::exchange(queue_, {});
    auto* list = new ImportList(first->fileName, files, window_);
    list->setAttribute(Qt::WA_DeleteOnClose);
    connect(list, &ImportList::cancelRequested, this, [this] { session_.stopWork(); });
    list->open();
    const QPointer<ImportList> shown(list);
    const auto report = [shown, this](int row, const QString& words, bool good) {
        QMetaObject::invokeMethod(
            this,
            [shown, row, words, good] {
                if (shown) shown->setResult(row, words, good);
            },
            Qt::QueuedConnection);
    };
    const auto path = session_.path();
    const double now = now_s();
    session_.run(
        tr("Storing %1 logs").arg(files.size() + 1),
        [path, first, files, batteryId, battery, origin, now, report](
            std::stop_token stop, const Job::ProgressSink& progress) {
            return storeMany(path, *first, files, batteryId, battery, origin, now, report, stop,
                             progress);
        },
        [this, shown](std::int64_t last) {
            session_.reread();
            if (last > 0) session_.choose(last);
            if (shown) shown->finish();
            answered(last > 0);
        });
}

void ImportDesk::store(std::shared_ptr<PendingLog> pending, std::int64_t batteryId,
                       const Battery& battery, const LogOrigin& origin) {
    const auto path = session_.path();
    const double now = now_s();
    session_.run(
        tr("Storing %1").arg(pending->fileName),
        [path, pending, batteryId, battery, origin, now](std::stop_token stop,
                                                         const Job::ProgressSink&) {
            return storePending(path, *pending, batteryId, battery, origin, now, stop);
        },
        [this](auto taken) {
            session_.reread();
            if (taken)
                session_.choose(taken->recordingId);
            else
                session_.say(text(taken.error()), true);
            answered(taken.has_value());
        });
}

void ImportDesk::loadDemo() {
    const double now = now_s();
    session_.run(
        tr("Making the demo bench"),
        [path = session_.path(), now](std::stop_token stop, const Job::ProgressSink& progress) {
            return fillDemo(path, now, stop, progress);
        },
        [this](auto count) {
            session_.reread();
            if (!count)
                session_.say(text(count.error()), true);
            else
                for (const RecordingEntry& e : session_.recordings())
                    if (e.fileName == "dew-heater-full-cycle.csv") session_.choose(e.id);
            Q_EMIT finished(count.has_value());
            nextFile();  // what was dropped meanwhile
        });
}

bool ImportDesk::drop(const QMimeData& data) {
    QStringList paths;
    for (const QUrl& url : data.urls())
        if (url.isLocalFile()) paths << url.toLocalFile();
    openFiles(paths);
    if (paths.isEmpty() && !data.urls().isEmpty())
        session_.say(tr("Only files on this computer can be dropped here; nothing is fetched from "
                        "a network."),
                     true);
    return !paths.isEmpty();
}

void ImportDesk::leave() {
    queue_.clear();
    left_ = asking_;
}

}  // namespace nk
