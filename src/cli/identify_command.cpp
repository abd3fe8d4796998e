#include "identify_command.h"

#include <fmt/format.h>

#include <ostream>

#include "report/json_writer.h"

namespace nk {

IdentifyCommand::IdentifyCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command = app.add_subcommand(
        "identify", "Chemistry and cells from what is printed on a battery, as printed");
    command->add_option("--nominal", facts_.nominal_V, "nominal voltage, V");
    command->add_option("--max", facts_.max_V, "voltage when full, V");
    command->add_option("--min", facts_.min_V, "voltage when empty, V");
    command->add_option("--ah", facts_.capacity_Ah, "capacity, Ah");
    command->add_option("--wh", facts_.energy_Wh, "energy, Wh");
    command->add_option("--cells", facts_.cells, "number of cells in it");
    command->add_option("--words", facts_.words, "a line of the label's text");
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/identify/1)");
    command->callback([this, &status] { status = run(); });
}

int IdentifyCommand::run() {
    const auto found = identifyBattery(facts_);
    if (!found) return err_ << found.error().text() << '\n', 2;
    if (json_) {
        JsonWriter out;
        out.beginObject();
        out.key("schema").text("narrow-knee/identify/1");
        out.key("candidates").beginList();
        for (const BatteryCandidate& c : found->candidates) {
            out.beginObject();
            out.key("chemistry").text(c.chemistry);
            out.key("series").whole(c.series);
            out.key("parallel");
            if (c.parallel > 0)
                out.whole(c.parallel);
            else
                out.null();
            out.key("share").number(c.share);
            out.key("reasons").texts(c.reasons);
            out.endObject();
        }
        out.endList();
        out.key("contradictions").beginList();
        for (const LabelContradiction& c : found->contradictions) {
            out.beginObject();
            out.key("fields").texts(c.fields);
            out.key("text").text(c.text);
            out.endObject();
        }
        out.endList();
        out.key("none_of_these");
        if (found->noneOfThese.empty())
            out.null();
        else
            out.text(found->noneOfThese);
        out.key("text");
        if (found->noneText.empty())
            out.null();
        else
            out.text(found->noneText);
        out.key("ask");
        if (found->ask.empty())
            out.null();
        else
            out.text(found->ask);
        out.endObject();
        out_ << out.done();
        return 0;
    }
    if (!found->noneOfThese.empty()) out_ << "None of these: " << found->noneText << '\n';
    for (const LabelContradiction& c : found->contradictions)
        out_ << "CONTRADICTION  " << c.text << '\n';
    for (const BatteryCandidate& c : found->candidates) {
        out_ << fmt::format("{:4.0f} %  {}, {} in series", 100 * c.share,
                            (*findChemistry(c.chemistry))->label, c.series);
        if (c.parallel > 1) out_ << fmt::format(", {} in parallel", c.parallel);
        out_ << '\n';
        if (&c == &found->candidates.front())
            for (const std::string& reason : c.reasons) out_ << "        " << reason << '\n';
    }
    if (!found->ask.empty()) out_ << found->ask << '\n';
    return 0;
}

}  // namespace nk
