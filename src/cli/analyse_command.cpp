#include "analyse_command.h"

#include <unistd.h>

#include <filesystem>
#include <iostream>

#include "analysis/analysis.h"
#include "book/hash.h"
#include "formats/bytes.h"
#include "formats/importer.h"
#include "harmless_stream.h"
#include "history/refresh.h"
#include "report/analysis_json.h"
#include "report/text.h"
#include "to_exit.h"

namespace nk {

AnalyseCommand::AnalyseCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command = app.add_subcommand("analyse", "Steps, readings and findings of one log");
    command_ = command;
    command
        ->add_option("LOG", log_,
                     "the log file (CSV, TSV, TXT); with --book the recording's number or title")
        ->required();
    command->add_option("--book", book_,
                        "a bench book: analyses a recording in it, with its card, edits and "
                        "corrections");
    battery_.addTo(*command);
    reading_.addTo(*command);
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/analysis/1)");
    command->add_flag("--full", full_,
                      "every step and reading in the text, however many (JSON has them always)");
    command->add_flag("--sha256", sha256_, "hash the file and put it into the JSON");
    command->add_flag("--fail-on-hazard", failOnHazard_, "exit with 3 when a hazard was found");
    command->callback([this, &status] { status = run(); });
}

int AnalyseCommand::runInBook() {
    // Card, reading and accuracy are the book's: nothing is passed over without a word.
    for (const CLI::Option* o : command_->get_options()) {
        const std::string name = o->get_single_name();
        if (o->count() == 0 || name == "LOG" || name == "book" || name == "json" ||
            name == "full" || name == "sha256" || name == "fail-on-hazard")
            continue;
        err_ << "--" << name << ": a recording in a book has its own card and reading. Accepted: "
             << "--json, --full, --fail-on-hazard.\n";
        return 2;
    }
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto entry = findRecording(**book, log_);
    if (!entry) return err_ << entry.error().text() << '\n', 1;
    const auto opened = openRecording(**book, entry->id);
    if (!opened) return err_ << opened.error().text() << '\n', 1;
    keepStudy(**book, *opened);
    if (json_)
        analysisJson(*opened, [this](std::string_view piece) { writeHarmless(out_, piece); });
    else
        out_ << analysisText(*opened->recording, opened->analysis, opened->entry.title, full_);
    return failOnHazard_ && opened->analysis.hasHazard() ? 3 : 0;
}

int AnalyseCommand::run() {
    if (!book_.empty()) return runInBook();
    const auto given = commandInput(battery_, reading_);
    if (!given) {
        err_ << given.error().text() << '\n';
        return 2;
    }
    std::error_code ec;
    Progress progress;
    if (::isatty(STDERR_FILENO) != 0 &&
        std::filesystem::file_size(log_, ec) > (std::uintmax_t{32} << 20) && !ec)
        progress = [](double done) {
            std::cerr << "\rreading " << static_cast<int>(100 * done) << " %"
                      << (done >= 1 ? "\n" : "") << std::flush;
        };
    auto log = readLogFile(log_, given->options, progress);
    if (!log) {
        err_ << log.error().text() << '\n';
        return 1;
    }
    std::string hash;
    if (sha256_) {
        const auto bytes = readFile(log_);
        if (!bytes) {
            err_ << bytes.error().text() << '\n';
            return 1;
        }
        hash = sha256(*bytes);
    }
    Analysis analysis = analyse(*log->recording, given->battery, {}, given->accuracy);
    if (json_)
        analysisJson(*log, analysis, given->accuracy, log_, hash,
                     [this](std::string_view piece) { writeHarmless(out_, piece); });
    else
        out_ << analysisText(*log->recording, analysis, log_, full_);
    const bool hazard = analysis.hasHazard();
    keepToExit(std::move(analysis));
    keepToExit(std::move(*log));
    return failOnHazard_ && hazard ? 3 : 0;
}

}  // namespace nk
