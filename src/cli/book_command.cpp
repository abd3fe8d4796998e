#include "book_command.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <ostream>

#include "book/bench_book.h"
#include "book/rescue.h"
#include "formats/bytes.h"
#include "formats/file_out.h"
#include "formats/importer.h"
#include "history/charger_audit.h"
#include "history/hand_on.h"
#include "history/ready_rule.h"
#include "history/refresh.h"
#include "history/summary.h"
#include "history/take_in.h"
#include "quantity/accuracy_text.h"
#include "quantity/format.h"
#include "quantity/harmless.h"
#include "quantity/iso_time.h"
#include "report/history_json.h"

namespace nk {

namespace {
double now_s() {
    return std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch())
        .count();
}
}  // namespace

namespace {

bool isDay(const std::string& text) {
    return text.size() == 10 && std::isfinite(fromIsoTime(text + "T00:00"));
}

/// The day on which a file was last written, here.
std::string fileDay(const std::filesystem::path& path) {
    std::error_code ec;
    const auto written = std::filesystem::last_write_time(path, ec);
    if (ec) return "unknown";
    const double at =
        std::chrono::duration<double>(std::chrono::file_clock::to_sys(written).time_since_epoch())
            .count();
    return isoTime(at + localOffset_s(at)).substr(0, 10);
}

/// The files named, and those in the folders named, with the folders in them, by name. Links out of
/// a folder are not followed, hidden files and bench books are no logs.
std::vector<std::string> filesOf(const std::vector<std::string>& named) {
    namespace fs = std::filesystem;
    std::vector<std::string> out;
    for (const std::string& name : named) {
        std::error_code ec;
        if (!fs::is_directory(name, ec)) {
            out.push_back(name);
            continue;
        }
        std::vector<std::string> inside;
        constexpr int kDeepest = 16;
        for (auto it = fs::recursive_directory_iterator(
                 name, fs::directory_options::skip_permission_denied, ec);
             !ec && it != fs::recursive_directory_iterator(); it.increment(ec)) {
            const fs::path& path = it->path();
            std::error_code none;
            if (path.filename().string().starts_with(".") || it.depth() > kDeepest) {
                if (it->is_directory(none)) it.disable_recursion_pending();
                continue;
            }
            if (it->is_symlink(none) || !it->is_regular_file(none)) continue;
            const std::string ending = path.extension().string();
            if (ending == ".nkbook" || ending == ".nkbook-wal" || ending == ".nkbook-shm") continue;
            inside.push_back(path.string());
        }
        std::ranges::sort(inside);
        out.insert(out.end(), inside.begin(), inside.end());
    }
    return out;
}

}  // namespace

BookCommand::BookCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* book =
        app.add_subcommand("book", "The bench book: list, verify, import, export, backup");
    book->require_subcommand(1);
    const auto with = [&](const char* name, const char* text, int (BookCommand::*work)()) {
        CLI::App* c = book->add_subcommand(name, text);
        c->add_option("BOOK", book_, "the bench book (.nkbook)")->required();
        c->callback([this, &status, work] { status = (this->*work)(); });
        return c;
    };
    with("list", "Batteries and recordings", &BookCommand::list)
        ->add_flag("--json", json_, "JSON instead of text");
    with("verify", "Checks every block, every original and SQLite's own structure",
         &BookCommand::verify);
    CLI::App* import = with("import", "Reads logs into the book (made when it is not there)",
                            &BookCommand::importLogs);
    import->add_option("LOG", logs_, "log files, and folders of logs")->required();
    import->add_option("--name", name_,
                       "the battery's name; made when the book has none of that name");
    import->add_option("--instrument", instrument_,
                       "what wrote the logs; made, with --accuracy, when the book has none of that "
                       "name");
    import->add_option("--charger", charger_,
                       "what charged the battery; made when the book has none of that name");
    import->add_option(
        "--day", day_,
        "of logs whose rows have no date: 2026-05-01, file (the date of the file) or "
        "unknown; else as their words or names say");
    battery_.addTo(*import);
    reading_.addTo(*import);
    CLI::App* exportApp =
        with("export", "Writes a recording's original file", &BookCommand::exportOriginal);
    exportApp->add_option("RECORDING", recording_, "the recording's number (book list)")
        ->required();
    exportApp->add_option("-o,--output", target_, "the file to write")->required();
    exportApp->add_flag("--force", force_, "replace a file of that name");
    with("backup", "Writes a consistent copy", &BookCommand::backup)
        ->add_option("-o,--output", target_, "the new file")
        ->required();
    with("rescue", "Copies the rows of a book that is refused or damaged into a new book",
         &BookCommand::rescue)
        ->add_option("-o,--output", target_, "the new book")
        ->required();
    CLI::App* handOn = with("hand-on", "Writes one battery with its logs as a book of its own",
                            &BookCommand::handOn);
    handOn->add_option("BATTERY", name_, "the battery's number or exact name")->required();
    handOn->add_option("-o,--output", target_, "the new book")->required();
    with("merge", "Takes in what another book holds; logs that are here already are not doubled",
         &BookCommand::merge)
        ->add_option("OTHER", other_, "the other book, which is not changed")
        ->required();
    CLI::App* day =
        with("day", "Says of which day a log is whose rows have no date", &BookCommand::setDay);
    day->add_option("RECORDING", recording_, "the recording's number (book list)")->required();
    day->add_option("DAY", day_, "2026-05-01, or unknown")->required();
    with("refresh", "Computes stored readings anew that are out of date", &BookCommand::refresh);
    with("instruments", "What wrote the logs, with its accuracy and its checks",
         &BookCommand::instruments);
    with("chargers", "What each charger does, told by all its charges", &BookCommand::chargers);
}

int BookCommand::list() {
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto batteries = (*book)->batteries();
    const auto recordings = (*book)->recordings();
    if (!batteries || !recordings)
        return err_ << (batteries ? recordings.error() : batteries.error()).text() << '\n', 1;
    if (json_) {
        using Json = nlohmann::ordered_json;
        const auto number = [](double x) { return std::isfinite(x) ? Json(x) : Json(nullptr); };
        Json b = Json::array();
        for (const auto& e : *batteries)
            b.push_back({{"id", e.id},
                         {"name", e.battery.name},
                         {"chemistry", e.battery.chemistry},
                         {"series", e.battery.series},
                         {"parallel", e.battery.parallel},
                         {"rated_Ah", e.battery.rated_Ah}});
        Json r = Json::array();
        for (const auto& e : *recordings)
            r.push_back({{"id", e.id},
                         {"battery", e.batteryId > 0 ? Json(e.batteryId) : Json(nullptr)},
                         {"title", e.title},
                         {"file", e.fileName},
                         {"sha256", e.sha256},
                         {"rows_read", e.rowsRead},
                         {"rows_skipped", e.rowsSkipped},
                         {"duration_s", e.duration_s},
                         {"capacity_Ah", number(e.summary.capacity_Ah)},
                         {"hazard", e.summary.hazard}});
        out_ << Json{{"schema", "narrow-knee/book-list/1"}, {"batteries", b}, {"recordings", r}}
                    .dump(2, ' ', false, Json::error_handler_t::replace)
             << '\n';
        return 0;
    }
    const auto show = [&](const RecordingEntry& e) {
        out_ << fmt::format("  {:>4}  {}  ({} rows, {}", e.id, e.title, e.rowsRead,
                            durationText(e.duration_s));
        if (std::isfinite(e.summary.capacity_Ah))
            out_ << ", gave " << shortValue(e.summary.capacity_Ah, "Ah")
                 << (conditionsWords(e.summary).empty() ? "" : " at " + conditionsWords(e.summary));
        out_ << (e.summary.hazard ? ", HAZARD found" : "") << ")\n";
    };
    for (const auto& b : *batteries) {
        out_ << b.battery.name << "  ("
             << (b.battery.chemistry.empty() ? "chemistry not given" : b.battery.chemistry) << ", "
             << b.battery.series << " in series, "
             << (b.battery.rated_Ah > 0 ? shortValue(b.battery.rated_Ah, "Ah")
                                        : "capacity not given")
             << ")\n";
        for (const auto& e : *recordings)
            if (e.batteryId == b.id) show(e);
    }
    for (const auto& e : *recordings)
        if (e.batteryId == 0) show(e);
    return 0;
}

int BookCommand::verify() {
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto report = (*book)->verify();
    if (!report) return err_ << report.error().text() << '\n', 1;
    for (const std::string& fault : report->faults) out_ << "FAULT  " << fault << '\n';
    out_ << fmt::format(
        "{} batteries, {} recordings, {} samples: {}\n", report->batteries, report->recordings,
        report->samples,
        report->faults.empty() ? "all is well" : fmt::format("{} faults", report->faults.size()));
    return report->faults.empty() ? 0 : 1;
}

int BookCommand::importLogs() {
    const auto given = commandInput(battery_, reading_);
    if (!given) return err_ << given.error().text() << '\n', 2;
    if (!reading_.accuracyText.empty() && instrument_.empty())
        return err_ << "--accuracy: it is kept with the instrument. Accepted: --instrument NAME "
                       "beside it.\n",
               2;
    const bool ofFile = day_ == "file";
    if (!day_.empty() && !ofFile && day_ != "unknown" && !isDay(day_))
        return err_ << "--day: '" << harmless(day_, 40)
                    << "' is no day. Accepted: 2026-05-01, file, unknown.\n",
               2;
    auto book = BenchBook::open(book_, true);
    if (!book) return err_ << book.error().text() << '\n', 1;
    NewLog log;
    log.at_s = now_s();
    if (!ofFile) log.day = day_;
    if (!name_.empty()) {
        // Before the first log, so that two who import at the same time get one battery.
        const auto entry = (*book)->batteryNamed(name_, given->battery);
        if (!entry) return err_ << entry.error().text() << '\n', 1;
        log.batteryId = entry->id;
    }
    const auto instruments = (*book)->instruments();
    const auto chargers = (*book)->chargers();
    if (!instruments || !chargers)
        return err_ << (instruments ? chargers.error() : instruments.error()).text() << '\n', 1;
    for (const InstrumentEntry& e : *instruments)
        if (e.instrument.name == instrument_) log.instrumentId = e.id;
    if (log.instrumentId > 0 && !reading_.accuracyText.empty())
        return err_ << "--accuracy: the instrument '" << instrument_
                    << "' is in the book with its own. Accepted: another name, or no --accuracy.\n",
               2;
    for (const ChargerEntry& e : *chargers)
        if (e.charger.name == charger_) log.chargerId = e.id;
    int status = 0;
    for (const std::string& file : filesOf(logs_)) {
        const auto refused = [&](const Error& error) {
            err_ << error.text() << '\n';
            status = 1;
        };
        const auto bytes = readFile(file);
        if (!bytes) {
            refused(bytes.error());
            continue;
        }
        const auto imported = readLog(*bytes, file, given->options);
        if (!imported) {
            refused(imported.error());
            continue;
        }
        const std::filesystem::path path(file);
        log.title = path.stem().string();
        log.fileName = path.filename().string();
        log.bytes = *bytes;
        log.imported = &*imported;
        if (ofFile) {
            log.day = fileDay(path);
            log.dayFrom = "file";
        }
        const std::string shape = shapeOf(imported->dialect);
        if (log.instrumentId == 0 && !instrument_.empty())
            log.newInstrument = Instrument{
                instrument_, given->accuracy,
                shape.empty() ? std::vector<std::string>() : std::vector<std::string>{shape}, ""};
        if (log.chargerId == 0 && !charger_.empty()) log.newCharger = Charger{charger_, ""};
        NewLog one = log;
        if (instrument_.empty())
            if (const auto known = instrumentOfShape(*instruments, shape))
                one.instrumentId = known->id;
        const auto taken = takeIn(**book, one);
        if (!taken) {
            refused(taken.error());
            continue;
        }
        if (!instrument_.empty()) log.instrumentId = taken->instrumentId;
        log.chargerId = taken->chargerId;
        out_ << fmt::format("{}  {}\n", taken->recordingId, log.title) << std::flush;
        if (!taken->dayKnown)
            err_ << "NOTE  " << log.title
                 << ": of which day it is nobody says; it stands apart until book day says it.\n";
    }
    return status;
}

int BookCommand::setDay() {
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto recording = findRecording(**book, std::to_string(recording_));
    if (!recording) return err_ << recording.error().text() << '\n', 1;
    const bool unknown = day_ == "unknown";
    if (day_.empty()) return err_ << "DAY: nothing. Accepted: 2026-05-01, unknown.\n", 1;
    const auto done = (*book)->setDay(recording->id, unknown ? std::string() : day_, "hand", true);
    if (!done) return err_ << done.error().text() << '\n', 1;
    out_ << recording->title << ": " << (unknown ? "no day" : day_) << '\n';
    return 0;
}

int BookCommand::handOn() {
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto battery = findBattery(**book, name_);
    if (!battery) return err_ << battery.error().text() << '\n', 1;
    const auto report = handOnBattery(**book, battery->id, target_);
    if (!report) return err_ << report.error().text() << '\n', 1;
    out_ << fmt::format("{}: {}, {} recordings\n", target_, battery->battery.name,
                        report->recordings);
    return 0;
}

int BookCommand::merge() {
    auto book = BenchBook::open(book_, true);
    if (!book) return err_ << book.error().text() << '\n', 1;
    auto other = BenchBook::openForReading(other_);
    if (!other) return err_ << other.error().text() << '\n', 1;
    const auto report = (*book)->takeIn(**other);
    if (!report) return err_ << report.error().text() << '\n', 1;
    out_ << fmt::format("{} batteries and {} recordings came in, {} recordings were here already\n",
                        report->batteries, report->recordings, report->known);
    for (const std::string& words : report->notes) out_ << "NOTE  " << words << '\n';
    return 0;
}

int BookCommand::refresh() {
    const auto report = refreshBook(book_);
    if (!report) return err_ << report.error().text() << '\n', 1;
    out_ << fmt::format("{} recordings were out of date, {} computed anew, {} cannot be read\n",
                        report->stale, report->stored, report->broken);
    return report->broken > 0 ? 1 : 0;
}

int BookCommand::instruments() {
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto all = (*book)->instruments();
    const auto recordings = (*book)->recordings();
    const auto checks = (*book)->meterChecks();
    if (!all) return err_ << all.error().text() << '\n', 1;
    if (!recordings) return err_ << recordings.error().text() << '\n', 1;
    if (!checks) return err_ << checks.error().text() << '\n', 1;
    if (all->empty()) out_ << "No instrument is known in this book.\n";
    for (const InstrumentEntry& e : *all) {
        const auto logs = std::ranges::count(*recordings, e.id, &RecordingEntry::instrumentId);
        out_ << fmt::format("{:>4}  {}  {}  ({} logs)\n", e.id, e.instrument.name,
                            accuracyText(e.instrument.accuracy), logs);
        for (const MeterCheck& m : *checks)
            if (m.instrumentId == e.id)
                out_ << fmt::format("      {}  {}: {}\n", isoTime(m.at_s),
                                    toString(m.correction.kind),
                                    valueText(m.correction.value, m.correction.uncertainty,
                                              correctionUnit(m.correction.kind))
                                        .joined());
    }
    return 0;
}

int BookCommand::chargers() {
    // What is out of date is made true first: findings are read from the book.
    if (const auto fresh = refreshBook(book_); !fresh)
        return err_ << fresh.error().text() << '\n', 1;
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto all = (*book)->chargers();
    if (!all) return err_ << all.error().text() << '\n', 1;
    if (all->empty()) out_ << "No charger is known in this book.\n";
    for (const ChargerEntry& e : *all) {
        const auto audit = auditCharger(**book, e.id);
        if (!audit) return err_ << audit.error().text() << '\n', 1;
        out_ << fmt::format("{:>4}  {}  ({} logs with a charge)\n", e.id, e.charger.name,
                            audit->charges);
        for (const ChargerHabit& h : audit->habits)
            out_ << fmt::format("      {}{}\n", h.hazard ? "HAZARD  " : "", h.words);
    }
    return 0;
}

int BookCommand::exportOriginal() {
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    auto file = FileOut::begin(target_, force_, {book_});
    if (!file) return err_ << file.error().text() << '\n', 1;
    bool room = true;
    const auto read = (*book)->original(
        recording_, [&](std::string_view part) { return room = file->write(part); });
    // Bytes that are not what was kept are never given out as if they were.
    if (!read && room) return err_ << read.error().text() << '\n', 1;
    if (const auto done = file->finish(); !done) return err_ << done.error().text() << '\n', 1;
    return 0;
}

int BookCommand::rescue() {
    const auto report = rescueBook(book_, target_);
    if (!report) return err_ << report.error().text() << '\n', 1;
    out_ << fmt::format("{}: {} batteries, {} recordings\n", target_, report->batteries,
                        report->recordings);
    for (const std::string& what : report->leftOut) out_ << "NOT COPIED  " << what << '\n';
    return 0;
}

int BookCommand::backup() {
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    if (const auto done = (*book)->backup(target_); !done)
        return err_ << done.error().text() << '\n', 1;
    return 0;
}

}  // namespace nk
