#include "group_command.h"

#include "options.h"

#include <fmt/format.h>

#include <cmath>
#include <ostream>

#include "history/module_table.h"
#include "quantity/format.h"
#include "report/json_writer.h"
#include "report/matching_sheet.h"

namespace nk {

GroupCommand::GroupCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command =
        app.add_subcommand("group", "Modules into a pack of groups that hold alike");
    command
        ->add_option("TABLE", table_,
                     "one module a row: name, capacity, resistance, with or without ±")
        ->required();
    auto* series = command->add_option("--series", series_, "groups in series");
    auto* parallel = command->add_option("--parallel", parallel_, "modules in a group");
    command
        ->add_option("--shape", shape_,
                     "modules of each group in series, where they are not alike: 4,4,3")
        ->excludes(series)
        ->excludes(parallel);
    command
        ->add_option("--weight-resistance", weight_,
                     "how much resistances count beside capacities; 0: they break ties")
        ->check(within(0.0, 1000.0));
    command
        ->add_option("--most-self-discharge", mostSelfDischarge_,
                     "modules that lose more, in % of 30 days, are set apart")
        ->check(within(0.0, 100.0));
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/group/1)");
    command->callback([this, &status] { status = run(); });
}

int GroupCommand::run() {
    MatchWish wish;
    if (!shape_.empty()) {
        auto shape = parseShape(shape_);
        if (!shape) return err_ << "--shape: " << shape.error().text() << '\n', 2;
        wish.shape = std::move(*shape);
    } else if (series_ < 1 || parallel_ < 1) {
        err_ << "--series, --parallel: this is no shape of a pack. Accepted: whole numbers from 1 "
                "on, or --shape 4,4,3.\n";
        return 2;
    }
    const auto table = readPlainTableFile(table_);
    if (!table) return err_ << table.error().text() << '\n', 1;
    const auto modules = readModules(*table);
    if (!modules) return err_ << modules.error().text() << '\n', 1;
    wish.series = series_;
    wish.parallel = parallel_;
    wish.resistanceWeight = weight_;
    wish.mostSelfDischarge_percent = mostSelfDischarge_;
    const auto found = matchModules(*modules, wish);
    if (!found) return err_ << table_ << ": " << found.error().text() << '\n', 1;
    const auto nameOf = [&](int k) { return (*modules)[static_cast<std::size_t>(k)].name; };
    if (!json_) {
        int number = 1;
        for (const MatchGroup& g : found->groups) {
            out_ << fmt::format("group {:<3} {:>10}", number++, shortValue(g.capacity_Ah, "Ah"));
            if (std::isfinite(g.resistance_ohm))
                out_ << fmt::format("  {:>9}", shortValue(g.resistance_ohm, "ohm"));
            for (const int k : g.modules) out_ << "  " << nameOf(k);
            out_ << '\n';
        }
        for (const int k : found->spares) out_ << "spare      " << nameOf(k) << '\n';
        for (const int k : found->setApart) out_ << "set apart  " << nameOf(k) << '\n';
        for (const std::string& words : matchingWords(*modules, *found)) out_ << words << '\n';
        out_ << "Bring all modules to one voltage before they are joined; fuses, insulated "
                "tools; over 60 V it "
                "is work for trained people.\n";
        return 0;
    }
    JsonWriter out;
    const auto names = [&](const char* key, const std::vector<int>& list) {
        out.key(key).beginList();
        for (const int k : list) out.text(nameOf(k));
        out.endList();
    };
    out.beginObject();
    out.key("schema").text("narrow-knee/group/1");
    out.key("groups").beginList();
    for (const MatchGroup& g : found->groups) {
        out.beginObject();
        names("modules", g.modules);
        out.key("capacity_Ah").number(g.capacity_Ah);
        out.key("resistance_ohm").number(g.resistance_ohm);
        out.endObject();
    }
    out.endList();
    std::vector<int> spares = found->spares;
    spares.insert(spares.end(), found->setApart.begin(), found->setApart.end());
    names("spares", spares);
    names("set_apart", found->setApart);
    out.key("spread_Ah").number(found->spread_Ah);
    out.key("lower_bound_Ah").number(found->lowerBound_Ah);
    out.key("proven").boolean(found->proven);
    out.key("pack_capacity_Ah").number(found->pack_Ah);
    out.key("uncertainty_Ah").number(found->uncertainty_Ah);
    out.key("interval_95").interval(found->low_Ah, found->high_Ah);
    out.endObject();
    out_ << out.done();
    return 0;
}

}  // namespace nk
