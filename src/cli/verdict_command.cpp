#include "verdict_command.h"

#include <ostream>

#include "history/verdict.h"
#include "report/json_writer.h"

namespace nk {

VerdictCommand::VerdictCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command =
        app.add_subcommand("verdict", "Keep, watch, recondition, sell, retire or return a battery");
    command->add_option("BOOK", book_, "the bench book (.nkbook)")->required();
    command->add_option("BATTERY", battery_, "the battery's number or exact name")->required();
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/verdict/1)");
    command->callback([this, &status] { status = run(); });
}

int VerdictCommand::run() {
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto battery = findBattery(**book, battery_);
    if (!battery) return err_ << battery.error().text() << '\n', 1;
    const auto verdict = judgeBattery(**book, battery->id);
    if (!verdict) return err_ << verdict.error().text() << '\n', 1;
    if (!json_) {
        out_ << battery->battery.name << ": " << verdict->verdict << '\n';
        for (const VerdictReason& r : verdict->reasons) out_ << "  " << r.text << '\n';
        if (!verdict->change.empty()) out_ << "  " << verdict->change << '\n';
        if (!verdict->logNext.empty()) out_ << "Next: " << verdict->logNext << '\n';
        return 0;
    }
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/verdict/1");
    out.key("verdict").text(verdict->verdict);
    out.key("reasons").beginList();
    for (const VerdictReason& r : verdict->reasons) {
        out.beginObject();
        out.key("rule").text(r.rule);
        out.key("text").text(r.text);
        out.key("value").number(r.value);
        out.key("limit").number(r.limit);
        out.key("recording");
        if (r.recording > 0)
            out.whole(r.recording);
        else
            out.null();
        out.endObject();
    }
    out.endList();
    out.key("yardsticks").beginObject();
    out.key("label").number(verdict->yardsticks.label);
    out.key("own_first").number(verdict->yardsticks.ownFirst);
    out.key("siblings_median").number(verdict->yardsticks.siblingsMedian);
    out.key("latest").number(verdict->yardsticks.latest);
    out.endObject();
    out.key("straddles").boolean(verdict->straddles);
    out.key("change");
    if (verdict->change.empty())
        out.null();
    else
        out.text(verdict->change);
    out.key("log_next");
    if (verdict->logNext.empty())
        out.null();
    else
        out.text(verdict->logNext);
    out.endObject();
    out_ << out.done();
    return 0;
}

}  // namespace nk
