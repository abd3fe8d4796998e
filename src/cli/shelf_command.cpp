#include "shelf_command.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <ostream>

#include "formats/bytes.h"
#include "formats/file_out.h"
#include "history/due.h"
#include "history/rules.h"
#include "history/shelf_table.h"
#include "quantity/iso_time.h"
#include "report/calendar.h"
#include "report/json_writer.h"

namespace nk {

ShelfCommand::ShelfCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command =
        app.add_subcommand("shelf", "All batteries of a book as a table (CSV), out and in");
    command->add_option("BOOK", book_, "the bench book (.nkbook)")->required();
    CLI::Option* target = command->add_option("-o,--output", target_, "the table to write");
    command->add_option("--take", source_, "a table to take in")->excludes(target);
    command->add_flag("--force", force_, "replace a file of that name");
    command->callback([this, &status] { status = run(); });
}

int ShelfCommand::run() {
    auto book = BenchBook::open(book_, !source_.empty());
    if (!book) return err_ << book.error().text() << '\n', 1;
    if (!source_.empty()) {
        const auto text = readFile(source_);
        if (!text) return err_ << text.error().text() << '\n', 1;
        const auto taken = takeShelfTable(**book, *text);
        if (!taken) return err_ << source_ << ": " << taken.error().text() << '\n', 1;
        out_ << fmt::format("{} batteries are new, {} were changed, {} are as they were\n",
                            taken->added, taken->changed, taken->unchanged);
        return 0;
    }
    const auto table = shelfTable(**book);
    if (!table) return err_ << table.error().text() << '\n', 1;
    if (target_.empty()) {
        out_ << *table;
        return 0;
    }
    if (const auto done = writeFile(target_, *table, force_, {book_}); !done)
        return err_ << done.error().text() << '\n', 1;
    return 0;
}

DueCommand::DueCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command = app.add_subcommand("due", "What is due, battery by battery");
    command->add_option("BOOK", book_, "the bench book (.nkbook)")->required();
    command->add_option("--at", at_, "as seen on that day, 2026-05-01; now when left out");
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/due/1)");
    command->add_option("--ics", calendar_, "writes an iCalendar file as well");
    command->add_flag("--force", force_, "replace a file of that name");
    command->callback([this, &status] { status = run(); });
}

int DueCommand::run() {
    double now_s =
        std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
    if (!at_.empty()) now_s = fromIsoTime(at_);
    if (!std::isfinite(now_s)) {
        err_ << "--at: this is no day. Accepted: 2026-05-01, or 2026-05-01T18:00.\n";
        return 2;
    }
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto rules = dueRules(**book);
    if (!rules) return err_ << rules.error().text() << '\n', 1;
    const auto tasks = dueTasks(**book, now_s, *rules);
    if (!tasks) return err_ << tasks.error().text() << '\n', 1;
    if (!calendar_.empty())
        if (const auto done = writeFile(calendar_, dueCalendar(*tasks, now_s), force_, {book_});
            !done)
            return err_ << done.error().text() << '\n', 1;
    if (!json_) {
        for (const DueTask& t : *tasks)
            out_ << fmt::format("{}  {:8}  {}: {} {}\n", isoTime(t.due_s).substr(0, 10),
                                t.overdue(now_s) ? "due" : "", t.battery, t.text, t.reason);
        if (tasks->empty()) out_ << "Nothing is due.\n";
        return 0;
    }
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/due/1");
    out.key("tasks").beginList();
    for (const DueTask& t : *tasks) {
        out.beginObject();
        out.key("battery").whole(t.batteryId);
        out.key("name").text(t.battery);
        out.key("task").text(t.task);
        out.key("due").text(isoTime(t.due_s));
        out.key("overdue").boolean(t.overdue(now_s));
        out.key("text").text(t.text);
        out.key("reason").text(t.reason);
        out.endObject();
    }
    out.endList();
    out.endObject();
    out_ << out.done();
    return 0;
}

}  // namespace nk
