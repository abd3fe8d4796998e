#include "app/shell/book_work.h"

#include <QDateTime>
#include <QFileInfo>
#include <QSettings>
#include <map>

#include "analysis/analysis.h"
#include "app/reading/import_preview.h"
#include "cellmodel/scenario.h"
#include "formats/bytes.h"
#include "formats/dialect.h"
#include "formats/importer.h"
#include "quantity/format.h"
#include "quantity/harmless.h"
#include "recording/integral.h"
#include "report/summary.h"

namespace nk {

namespace {

/// Reads `log.bytes` with `log.options` into the log; an error only when it is no table at all.
Expected<void> readInto(PendingLog& log, const QString& where, std::stop_token stop,
                        const WorkProgress& progress) {
    auto imported = readLog(log.bytes, where.toStdString(), log.options, progress, stop);
    log.problem.clear();
    log.imported.reset();
    log.ways.clear();
    if (!imported) {
        if (imported.error().kind != ErrorKind::ColumnsUnknown &&
            imported.error().kind != ErrorKind::InvalidArgument)
            return tl::unexpected<Error>(imported.error());
        log.problem = QString::fromStdString(imported.error().what);
        for (ReadingChoice& way : readingWays(log.bytes, where.toStdString(), log.options, stop))
            if (const auto read = readLog(log.bytes, where.toStdString(), way.options, {}, stop))
                log.ways.emplace_back(std::move(way), read->recording);
        return {};
    }
    log.imported = std::move(*imported);
    const Recording& r = *log.imported->recording;
    log.guess =
        completeBattery({}, r.voltage_V(), r.current_A(), static_cast<int>(r.cells_V().size()));
    return {};
}

QString choicesKey(const Dialect& dialect) {
    const QString shape = headerShape(dialect);
    return shape.isEmpty() ? shape : "reading/" + shape;
}

Expected<std::shared_ptr<PendingLog>> readBytes(std::string bytes, const QString& fileName,
                                                const QString& where, std::stop_token stop,
                                                const WorkProgress& progress) {
    auto pending = std::make_shared<PendingLog>();
    pending->fileName = fileName;
    pending->title =
        QString::fromStdString(harmless(QFileInfo(fileName).completeBaseName().toStdString()));
    pending->bytes = std::move(bytes);
    auto preview = previewText(pending->bytes, where.toStdString(), stop);
    if (!preview) return tl::unexpected<Error>(preview.error());
    pending->preview = std::move(*preview);
    ReadOptions lenient;
    lenient.lenient = true;
    if (const auto dialect = guessDialect(pending->preview, where.toStdString(), lenient)) {
        const QString key = choicesKey(*dialect);
        if (!key.isEmpty()) pending->options = optionsFrom(QSettings().value(key).toString());
    }
    if (auto read = readInto(*pending, where, stop, progress); !read)
        return tl::unexpected<Error>(read.error());
    return pending;
}

}  // namespace

Expected<std::shared_ptr<PendingLog>> readPending(const QString& path, std::stop_token stop,
                                                  const WorkProgress& progress) {
    auto bytes = readFile(path.toStdString(), stop);
    if (!bytes) return tl::unexpected<Error>(bytes.error());
    return readBytes(std::move(*bytes), QFileInfo(path).fileName(), path, stop, progress);
}

Expected<std::shared_ptr<PendingLog>> readPendingText(const std::string& text, const QString& name,
                                                      std::stop_token stop,
                                                      const WorkProgress& progress) {
    return readBytes(text, name, name, stop, progress);
}

std::shared_ptr<PendingLog> readAgain(const PendingLog& log, const ReadOptions& options,
                                      std::stop_token stop, const WorkProgress& progress) {
    auto out = std::make_shared<PendingLog>(log);
    out->options = options;
    if (auto read = readInto(*out, log.fileName, stop, progress); !read)
        out->problem = QString::fromStdString(read.error().text());
    return out;
}

void rememberChoices(const PendingLog& log) {
    if (!log.imported) return;
    const QString key = choicesKey(log.imported->dialect);
    if (key.isEmpty()) return;
    const QString usual = optionsText({});
    const QString chosen = optionsText(log.options);
    if (chosen == usual)
        QSettings().remove(key);
    else
        QSettings().setValue(key, chosen);
}

Expected<std::int64_t> storePending(const std::filesystem::path& path, const PendingLog& log,
                                    std::int64_t batteryId, const Battery& battery, double now_s,
                                    std::stop_token stop) {
    auto book = BenchBook::open(path);
    if (!book) return tl::unexpected<Error>(book.error());
    const bool newBattery = batteryId == 0;
    if (newBattery) {
        const auto added = (*book)->addBattery(battery);
        if (!added) return tl::unexpected<Error>(added.error());
        batteryId = *added;
    }
    NewRecording n;
    n.batteryId = batteryId;
    n.title = log.title.toStdString();
    n.fileName = log.fileName.toStdString();
    n.importedAt_s = now_s;
    n.originalBytes = log.bytes;
    n.imported = &*log.imported;
    n.summary = summarise(analyse(*log.imported->recording, battery));
    auto stored = (*book)->addRecording(n, stop);
    if (!stored && newBattery) (void)(*book)->removeBattery(batteryId);  // not half of it
    return stored;
}

std::int64_t storeMany(const std::filesystem::path& book, const PendingLog& first,
                       const QStringList& files, std::int64_t batteryId, const Battery& battery,
                       double now_s, const FileReport& report, std::stop_token stop,
                       const WorkProgress& progress) {
    std::int64_t last = 0;
    const auto keep = [&](int row, const PendingLog& log) {
        const auto id = storePending(book, log, batteryId, battery, now_s, stop);
        if (!id) {
            report(row, QString::fromStdString(id.error().text()), false);
            return;
        }
        if (batteryId == 0)  // the new battery came in with the first log
            if (auto opened = BenchBook::open(book, false))
                if (const auto all = (*opened)->recordings())
                    for (const RecordingEntry& e : *all)
                        if (e.id == *id) batteryId = e.batteryId;
        last = *id;
        report(row, QObject::tr("%L1 rows").arg(log.imported->rowsRead), true);
    };
    keep(0, first);
    for (int k = 0; k < files.size(); ++k) {
        if (stop.stop_requested()) {
            report(k + 1, QObject::tr("not read: cancelled"), false);
            continue;
        }
        if (progress) progress((k + 1.0) / (files.size() + 1.0));
        auto log = readPending(files[k], stop, {});
        if (!log)
            report(k + 1, QString::fromStdString(log.error().text()), false);
        else if (!(*log)->imported)
            report(k + 1, (*log)->problem + QObject::tr(" Open it alone to name its columns."),
                   false);
        else
            keep(k + 1, **log);
    }
    return last;
}

Expected<std::shared_ptr<const ShownRecording>> loadShown(const std::filesystem::path& path,
                                                          const RecordingEntry& entry,
                                                          const Battery& battery,
                                                          const InstrumentAccuracy& accuracy) {
    auto book = BenchBook::open(path, false);
    if (!book) return tl::unexpected<Error>(book.error());
    auto recording = (*book)->load(entry.id);
    if (!recording) return tl::unexpected<Error>(recording.error());
    const auto edits = (*book)->edits(entry.id);
    if (!edits) return tl::unexpected<Error>(edits.error());
    const auto corrections = (*book)->corrections(entry.id);
    if (!corrections) return tl::unexpected<Error>(corrections.error());
    auto shown = std::make_shared<ShownRecording>();
    shown->id = entry.id;
    shown->batteryId = entry.batteryId;
    shown->accuracy = accuracy;
    shown->edits = *edits;
    shown->corrections = *corrections;
    *recording = applyCorrections(*recording, *corrections);
    shown->recording = *recording;
    shown->analysis = analyse(**recording, battery, *edits, shown->accuracy);
    shown->charge_Ah = cumulativeCharge_Ah(**recording);
    shown->energy_Wh = cumulativeEnergy_Wh(**recording);
    const QString owner =
        battery.name.empty() ? QString() : QString::fromStdString(battery.name) + " · ";
    shown->title = owner + QString::fromStdString(entry.title);
    QString subtitle = QObject::tr("%L1 samples, every %2 s, %3")
                           .arg(static_cast<qlonglong>((*recording)->size()))
                           .arg((*recording)->usualInterval_s(), 0, 'g', 3)
                           .arg(QString::fromStdString(durationText((*recording)->duration_s())));
    subtitle += QObject::tr(" · imported from %1").arg(QString::fromStdString(entry.fileName));
    if (std::isfinite(entry.startEpoch_s))
        subtitle +=
            " · " + QDateTime::fromSecsSinceEpoch(static_cast<qint64>(entry.startEpoch_s), Qt::UTC)
                        .toString("d MMM yyyy, hh:mm");
    if (entry.rowsSkipped > 0)
        subtitle +=
            QObject::tr(" · %n row(s) set aside", nullptr, static_cast<int>(entry.rowsSkipped));
    shown->subtitle = subtitle;
    // The shelf's few numbers follow the analyses of today.
    const RecordingSummary summary = summarise(shown->analysis);
    const bool stale = summary.version != entry.summary.version ||
                       summary.hazard != entry.summary.hazard ||
                       summary.resistanceMethod != entry.summary.resistanceMethod ||
                       summary.conditions != entry.summary.conditions;
    if (stale) (void)(*book)->setSummary(entry.id, summary);
    return std::shared_ptr<const ShownRecording>(std::move(shown));
}

Expected<StudyBundle> loadStudy(const std::filesystem::path& path, const ShownRecording& shown,
                                std::stop_token stop, const WorkProgress& progress) {
    auto book = BenchBook::open(path, false);
    if (!book) return tl::unexpected<Error>(book.error());
    StudyBundle out;
    std::vector<StudiedLog> logs;
    const auto nameOf = [](const RecordingEntry& e) { return e.title; };
    const auto recordings = (*book)->recordings();
    if (!recordings) return tl::unexpected<Error>(recordings.error());
    std::size_t done = 0;
    for (const RecordingEntry& e : *recordings) {
        if (stop.stop_requested()) return fail(ErrorKind::Cancelled, "The study was cancelled.");
        if (progress)
            progress(static_cast<double>(done++) / static_cast<double>(recordings->size()));
        if (e.id == shown.id) {
            logs.push_back(studyLog(shown.input(), e.id, nameOf(e)));
            continue;
        }
        if (shown.batteryId == 0 || e.batteryId != shown.batteryId) continue;
        auto recording = (*book)->load(e.id);
        const auto edits = (*book)->edits(e.id);
        const auto corrections = (*book)->corrections(e.id);
        if (!recording || !edits || !corrections)
            return tl::unexpected<Error>(!recording ? recording.error()
                                         : !edits   ? edits.error()
                                                    : corrections.error());
        const RecordingPtr corrected = applyCorrections(*recording, *corrections);
        const Steps steps = applyEdits(*corrected, shown.analysis.battery,
                                       findSteps(*corrected, shown.analysis.battery), *edits);
        logs.push_back(
            studyLog({*corrected, steps, shown.analysis.battery, shown.accuracy}, e.id, nameOf(e)));
    }
    if (shown.batteryId > 0) {
        auto spots = (*book)->spotReadings(shown.batteryId);
        if (!spots) return tl::unexpected<Error>(spots.error());
        out.spots = std::move(*spots);
    }
    out.study = std::make_shared<StrengthStudy>(
        studyStrength(std::move(logs), shown.analysis.battery, shown.accuracy));
    return out;
}

Expected<int> fillDemo(const std::filesystem::path& path, double now_s, std::stop_token stop,
                       const WorkProgress& progress) {
    auto book = BenchBook::open(path);
    if (!book) return tl::unexpected<Error>(book.error());
    std::map<std::string, std::int64_t> batteries;
    const auto existing = (*book)->batteries();
    if (!existing) return tl::unexpected<Error>(existing.error());
    for (const BatteryEntry& e : *existing) batteries[e.battery.name] = e.id;
    const auto have = (*book)->recordings();
    if (!have) return tl::unexpected<Error>(have.error());
    int count = 0;
    const auto& files = scenarioFiles();
    for (std::size_t k = 0; k < files.size(); ++k) {
        if (stop.stop_requested())
            return fail(ErrorKind::Cancelled,
                        "Loading the demo bench was cancelled; what was complete is on the shelf.");
        const std::string fileName = std::string(files[k].first) + ".csv";
        bool there = false;
        for (const RecordingEntry& e : *have) there |= e.fileName == fileName;
        if (there) continue;
        const auto scenario = parseScenario(files[k].second, std::string(files[k].first));
        if (!scenario) return tl::unexpected<Error>(scenario.error());
        auto pending =
            readBytes(writeLog(*scenario, simulate(*scenario)), QString::fromStdString(fileName),
                      QString::fromStdString(fileName), stop, {});
        if (!pending) return tl::unexpected<Error>(pending.error());
        Battery card = scenario->battery;
        auto& id = batteries[card.name];
        if (id == 0) {
            const auto added = (*book)->addBattery(card);
            if (!added) return tl::unexpected<Error>(added.error());
            id = *added;
        }
        QString title = QString::fromStdString(std::string(files[k].first)).replace('-', ' ');
        const QString owner = QString::fromStdString(card.name).toLower();
        const QString firstWords = owner.section(' ', 0, 1);
        for (const QString& prefix : {owner, firstWords})
            if (title.startsWith(prefix)) {
                title = title.mid(prefix.size()).trimmed();
                break;
            }
        if (!title.isEmpty()) title[0] = title[0].toUpper();
        (*pending)->title = title;
        const auto stored = storePending(path, **pending, id, card, now_s, stop);
        if (!stored) return tl::unexpected<Error>(stored.error());
        ++count;
        if (progress) progress(static_cast<double>(k + 1) / static_cast<double>(files.size()));
    }
    return count;
}

}  // namespace nk
