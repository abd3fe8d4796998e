#include "app/session/book_work.h"

#include <QDateTime>
#include <QFileInfo>
#include <QSettings>
#include <algorithm>
#include <map>

#include "analysis/analysis.h"
#include "analysis/log/recognise.h"
#include "app/reading/import_preview.h"
#include "cellmodel/scenario.h"
#include "formats/bytes.h"
#include "formats/dialect.h"
#include "formats/importer.h"
#include "history/refresh.h"
#include "history/strength.h"
#include "quantity/format.h"
#include "quantity/harmless.h"
#include "quantity/iso_time.h"
#include "recording/integral.h"

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
    // What the curve tells comes before what a voltage might be.
    const Recognised seen = recogniseFromCurve(r);
    Battery start;
    start.chemistry = seen.chemistry;
    start.series = seen.series;
    log.recognised = QString::fromStdString(seen.because);
    log.guess =
        completeBattery(start, r.voltage_V(), r.current_A(), static_cast<int>(r.cells_V().size()));
    return {};
}

QString choicesKey(const Dialect& dialect) {
    const QString shape = QString::fromStdString(shapeOf(dialect));
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

namespace {

NewLog newLog(const PendingLog& log, std::int64_t batteryId, const Battery& battery,
              const LogOrigin& origin, double now_s) {
    NewLog n;
    n.title = log.title.toStdString();
    n.fileName = log.fileName.toStdString();
    n.bytes = log.bytes;
    n.imported = &*log.imported;
    n.at_s = now_s;
    n.batteryId = batteryId;
    if (batteryId == 0) n.newBattery = battery;
    n.instrumentId = origin.instrumentId;
    n.newInstrument = origin.newInstrument;
    n.chargerId = origin.chargerId;
    n.newCharger = origin.newCharger;
    return n;
}

}  // namespace

Expected<TakenIn> storePending(const std::filesystem::path& path, const PendingLog& log,
                               std::int64_t batteryId, const Battery& battery,
                               const LogOrigin& origin, double now_s, std::stop_token stop) {
    auto book = BenchBook::open(path);
    if (!book) return tl::unexpected<Error>(book.error());
    return takeIn(**book, newLog(log, batteryId, battery, origin, now_s), stop);
}

std::int64_t storeMany(const std::filesystem::path& book, const PendingLog& first,
                       const QStringList& files, std::int64_t batteryId, const Battery& battery,
                       const LogOrigin& said, double now_s, const FileReport& report,
                       std::stop_token stop, const WorkProgress& progress) {
    std::int64_t last = 0;
    LogOrigin origin = said;
    const auto keep = [&](int row, const PendingLog& log) {
        const auto taken = storePending(book, log, batteryId, battery, origin, now_s, stop);
        if (!taken) {
            report(row, QString::fromStdString(taken.error().text()), false);
            return;
        }
        // What was new came in with the first log.
        batteryId = taken->batteryId;
        origin = {taken->instrumentId, taken->chargerId, {}, {}};
        last = taken->recordingId;
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

namespace {

std::string signOf(const RecordingEntry& entry, const Makings& makings,
                   const std::string& fingerprint) {
    std::string out = fingerprint;
    for (const std::string& part :
         {makings.battery.name, entry.title, std::to_string(entry.batteryId),
          std::to_string(entry.instrumentId), std::to_string(entry.chargerId)})
        out += '\n' + part;
    for (const std::string& rule : makings.battery.rules) out += '\n' + rule;
    return out;
}

}  // namespace

Expected<std::string> shownSign(const std::filesystem::path& path, std::int64_t id) {
    auto book = BenchBook::open(path, false);
    if (!book) return tl::unexpected<Error>(book.error());
    const auto all = (*book)->recordings();
    if (!all) return tl::unexpected<Error>(all.error());
    const auto entry = std::ranges::find(*all, id, &RecordingEntry::id);
    if (entry == all->end())
        return fail(ErrorKind::NotFound, phrase("This recording is no longer in the book."));
    const auto makings = allMakings(**book, {*entry});
    if (!makings) return tl::unexpected<Error>(makings.error());
    return signOf(*entry, makings->front(), fingerprintOf(makings->front()));
}

Expected<std::shared_ptr<const ShownRecording>> loadShown(const std::filesystem::path& path,
                                                          std::int64_t id) {
    auto book = BenchBook::open(path, false);
    if (!book) return tl::unexpected<Error>(book.error());
    auto opened = openRecording(**book, id);
    if (!opened) return tl::unexpected<Error>(opened.error());
    keepStudy(**book, *opened);
    const RecordingEntry& entry = opened->entry;
    const Battery& battery = opened->battery;
    auto shown = std::make_shared<ShownRecording>();
    shown->id = entry.id;
    shown->batteryId = entry.batteryId;
    shown->instrumentId = entry.instrumentId;
    shown->sign = signOf(entry, *opened, opened->fingerprint);
    shown->at_s = entry.at_s();
    shown->accuracy = opened->accuracy;
    shown->edits = opened->edits;
    shown->corrections = opened->corrections;
    shown->recording = opened->recording;
    const RecordingPtr& recording = shown->recording;
    shown->charge_Ah = cumulativeCharge_Ah(*recording);
    shown->energy_Wh = cumulativeEnergy_Wh(*recording);
    if (entry.instrumentId > 0 && shown->corrections.empty())
        if (const auto checks = (*book)->meterChecks(entry.instrumentId))
            shown->offers = checksFor(*checks, entry.at_s());
    const QString owner =
        battery.name.empty() ? QString() : QString::fromStdString(battery.name) + " · ";
    shown->title = owner + QString::fromStdString(entry.title);
    QString subtitle = QObject::tr("%L1 samples, every %2 s, %3")
                           .arg(static_cast<qlonglong>(recording->size()))
                           .arg(recording->usualInterval_s(), 0, 'g', 3)
                           .arg(QString::fromStdString(durationText(recording->duration_s())));
    subtitle += QObject::tr(" · imported from %1").arg(QString::fromStdString(entry.fileName));
    if (std::isfinite(entry.startEpoch_s))
        subtitle +=
            " · " + QDateTime::fromSecsSinceEpoch(static_cast<qint64>(entry.startEpoch_s), Qt::UTC)
                        .toString("d MMM yyyy, hh:mm");
    if (entry.rowsSkipped > 0)
        subtitle +=
            QObject::tr(" · %n row(s) set aside", nullptr, static_cast<int>(entry.rowsSkipped));
    shown->subtitle = subtitle;
    shown->analysis = std::move(opened->analysis);
    return std::shared_ptr<const ShownRecording>(std::move(shown));
}

Expected<StudyBundle> loadStudy(const std::filesystem::path& path, const ShownRecording& shown,
                                std::stop_token stop, const WorkProgress& progress) {
    auto book = BenchBook::open(path, false);
    if (!book) return tl::unexpected<Error>(book.error());
    return studyBattery(**book, shown.batteryId, studyLog(shown.input(), shown.id, {}),
                        shown.analysis.battery, shown.accuracy, stop, progress);
}

namespace {

std::string demoCharger(const Battery& battery) {
    const Chemistry* c = battery.chemistryData();
    return c != nullptr && c->nickel()         ? "Torch and radio charger"
           : battery.name.starts_with("Flash") ? "Flash charger"
                                               : "Bench charger";
}

/// Of which day a demo log is whose rows have no date: they tell one story. Empty: its rows say it.
std::string demoDay(const std::string& file) {
    static const std::map<std::string, std::string> days = {
        {"mount-pack-lazy-charger", "2025-02-24"},  {"radio-module-5-reconditioned", "2026-09-06"},
        {"radio-module-5-power-cut", "2026-09-14"}, {"flash-pack-d-rate-1c", "2026-10-11"},
        {"flash-pack-e-rate-1c", "2026-10-12"},     {"flash-pack-rate-1c", "2026-10-14"},
        {"flash-pack-rate-4c", "2026-10-15"},       {"flash-pack-rate-10c", "2026-10-16"},
        {"flash-pack-rate-20c", "2026-10-17"},      {"red-torch-quick-peak", "2026-10-20"},
        {"red-torch-slow-no-peak", "2026-10-22"},   {"dew-heater-full-cycle", "2026-10-25"},
        {"camera-flash-overvoltage", "2026-11-08"},
    };
    const auto day = days.find(file);
    return day != days.end() ? day->second : std::string();
}

/// What the shelf calls a demo log: its file's name without its battery's.
QString demoTitle(const std::string& file, const std::string& battery) {
    QString title = QString::fromStdString(file).replace('-', ' ');
    const QString owner = QString::fromStdString(battery).toLower();
    for (const QString& prefix : {owner, owner.section(' ', 0, 1)})
        if (title.startsWith(prefix)) {
            title = title.mid(prefix.size()).trimmed();
            break;
        }
    if (!title.isEmpty()) title[0] = title[0].toUpper();
    return title;
}

}  // namespace

namespace {

/// What is known of the observatory's batteries beyond their cards.
Expected<void> demoLives(BenchBook& book, const std::map<std::string, std::int64_t>& batteries) {
    const auto known = book.lives();
    if (!known) return tl::unexpected<Error>(known.error());
    const auto tell = [&](const char* name, auto fill) -> Expected<void> {
        const auto at = batteries.find(name);
        if (at == batteries.end() || known->contains(at->second)) return {};
        BatteryLife life;
        fill(life);
        return book.setLife(at->second, life);
    };
    const auto mount = tell("Mount pack A", [](BatteryLife& l) {
        l.serial = "MP-A";
        l.tags = {"field kit"};
        l.usedIn = "the small mount";
        l.inUseSince_s = fromIsoTime("2024-11-20");
        l.bought_s = fromIsoTime("2024-11-02");
        l.worth = 11;
        l.worthUnit = "h";
    });
    if (!mount) return mount;
    return tell("Radio module 7", [](BatteryLife& l) {
        l.serial = "RM-7";
        l.tags = {"radios", "spare"};
        l.notes = "Slept in the tool shed all winter.";
    });
}

}  // namespace

Expected<int> fillDemo(const std::filesystem::path& path, double now_s, std::stop_token stop,
                       const WorkProgress& progress) {
    auto book = BenchBook::open(path);
    if (!book) return tl::unexpected<Error>(book.error());
    const auto existing = (*book)->batteries();
    if (!existing) return tl::unexpected<Error>(existing.error());
    const auto have = (*book)->recordings();
    if (!have) return tl::unexpected<Error>(have.error());
    // All is made first; then it goes into the book as one act.
    struct Made {
        std::shared_ptr<PendingLog> log;
        Battery battery;
        std::string scenario;
    };
    std::vector<Made> made;
    const auto cancelled = [] {
        return fail(ErrorKind::Cancelled,
                    phrase("Loading the demo bench was cancelled. Nothing was changed."));
    };
    const auto& files = scenarioFiles();
    for (std::size_t k = 0; k < files.size(); ++k) {
        if (stop.stop_requested()) return cancelled();
        const auto scenarios = parseScenarios(files[k].second, std::string(files[k].first));
        if (!scenarios) return tl::unexpected<Error>(scenarios.error());
        for (const Scenario& scenario : *scenarios) {
            const std::string fileName = scenario.name + ".csv";
            if (std::ranges::any_of(*have, [&](const auto& e) { return e.fileName == fileName; }))
                continue;
            auto pending =
                readBytes(writeLog(scenario, simulate(scenario)), QString::fromStdString(fileName),
                          QString::fromStdString(fileName), stop, {});
            if (stop.stop_requested()) return cancelled();
            if (!pending) return tl::unexpected<Error>(pending.error());
            (*pending)->title = demoTitle(scenario.name, scenario.battery.name);
            made.push_back({std::move(*pending), scenario.battery, scenario.name});
        }
        if (progress)
            progress(0.7 * static_cast<double>(k + 1) / static_cast<double>(files.size()));
    }
    std::map<std::string, std::int64_t> batteries;
    for (const BatteryEntry& e : *existing) batteries[e.battery.name] = e.id;
    // All logs were written by one made-up instrument; each kind of cell has its charger.
    LogOrigin origin;
    origin.newInstrument = Instrument{"Desk logger", {}, {}, ""};
    if (const auto known = (*book)->instruments())
        for (const InstrumentEntry& e : *known)
            if (e.instrument.name == origin.newInstrument->name) origin.instrumentId = e.id;
    std::map<std::string, std::int64_t> chargers;
    if (const auto known = (*book)->chargers())
        for (const ChargerEntry& e : *known) chargers[e.charger.name] = e.id;
    std::size_t stored = 0;
    const auto done = (*book)->change({"demo"}, [&]() -> Expected<void> {
        for (const Made& m : made) {
            if (stop.stop_requested()) return cancelled();
            const std::string charger = demoCharger(m.battery);
            origin.chargerId = chargers[charger];
            origin.newCharger = Charger{charger, ""};
            NewLog log = newLog(*m.log, batteries[m.battery.name], m.battery, origin, now_s);
            log.day = demoDay(m.scenario);
            const auto taken = takeIn(**book, log, stop);
            if (!taken && stop.stop_requested()) return cancelled();
            if (!taken) return tl::unexpected<Error>(taken.error());
            batteries[m.battery.name] = taken->batteryId;
            chargers[charger] = taken->chargerId;
            origin.instrumentId = taken->instrumentId;
            ++stored;
            if (progress)
                progress(0.7 +
                         0.3 * static_cast<double>(stored) / static_cast<double>(made.size()));
        }
        return demoLives(**book, batteries);
    });
    if (!done) return tl::unexpected<Error>(done.error());
    return static_cast<int>(stored);
}

}  // namespace nk
