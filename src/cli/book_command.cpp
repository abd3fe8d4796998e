#include "book_command.h"

#include <fmt/format.h>

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
#include "quantity/format.h"
#include "report/summary.h"

namespace nk {

namespace {
double now_s() {
    return std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch())
        .count();
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
    import->add_option("LOG", logs_, "log files")->required();
    import->add_option("--name", name_,
                       "the battery's name; made when the book has none of that name");
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
                 << (e.summary.conditions.empty() ? "" : " at " + e.summary.conditions);
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
    auto book = BenchBook::open(book_, true);
    if (!book) return err_ << book.error().text() << '\n', 1;
    std::int64_t batteryId = 0;
    Battery card = given->battery;
    if (!name_.empty()) {
        const auto entry = (*book)->batteryNamed(name_, card);
        if (!entry) return err_ << entry.error().text() << '\n', 1;
        batteryId = entry->id;
        card = entry->battery;
    }
    int status = 0;
    for (const std::string& log : logs_) {
        const auto bytes = readFile(log);
        if (!bytes) {
            err_ << bytes.error().text() << '\n';
            status = 1;
            continue;
        }
        const auto imported = readLog(*bytes, log, given->options);
        if (!imported) {
            err_ << imported.error().text() << '\n';
            status = 1;
            continue;
        }
        const std::filesystem::path path(log);
        NewRecording n;
        n.batteryId = batteryId;
        n.title = path.stem().string();
        n.fileName = path.filename().string();
        n.importedAt_s = now_s();
        n.originalBytes = *bytes;
        n.imported = &*imported;
        n.summary = summarise(analyse(*imported->recording, card, {}, given->accuracy));
        const auto id = (*book)->addRecording(n);
        if (!id) {
            err_ << id.error().text() << '\n';
            status = 1;
            continue;
        }
        out_ << fmt::format("{}  {}\n", *id, n.title) << std::flush;
    }
    return status;
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
