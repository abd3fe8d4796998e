#include "standing_command.h"

#include <ostream>

#include "history/known_charge.h"
#include "history/own_models.h"
#include "history/verdict.h"
#include "quantity/harmless.h"
#include "quantity/iso_time.h"
#include "report/standing_json.h"

namespace nk {

StandingCommand::StandingCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command = app.add_subcommand(
        "standing", "What is known of a battery, once: what all other answers quote");
    command->add_option("BOOK", book_, "the bench book (.nkbook)")->required();
    command->add_option("BATTERY", battery_, "the battery's number or exact name")->required();
    command->add_option("--at", at_, "2026-05-01: as it stood at the end of that day");
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/standing/1)");
    command->callback([this, &status] { status = run(); });
}

int StandingCommand::run() {
    constexpr double kDay_s = 86400;
    double at_s = 1e18;
    if (!at_.empty()) {
        at_s = fromIsoTime(at_) + kDay_s;
        if (at_.size() != 10 || !std::isfinite(at_s))
            return err_ << "--at: '" << harmless(at_, 40) << "' is no day. Accepted: 2026-05-01.\n",
                   2;
    }
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto battery = findBattery(**book, battery_);
    if (!battery) return err_ << battery.error().text() << '\n', 1;
    const auto history = batteryHistory(**book, battery->id);
    if (!history) return err_ << history.error().text() << '\n', 1;
    for (const std::string& left : history->leftOut) err_ << left << '\n';
    const auto standing = standingOf(**book, *history, at_s);
    if (!standing) return err_ << standing.error().text() << '\n', 1;
    StandingExtras more;
    const auto verdict = judgeBattery(**book, *history, *standing);
    if (verdict) more.verdict = verdict->verdict;
    const auto model = ownModelOf(**book, battery->id);
    if (model) more.model = model->model;
    ChargeWish wish;
    fillIn(wish, *standing, *history);
    wish.fromSoc = 0;
    auto charge = planKnown(wish, *history, model ? &model->model : nullptr);
    if (charge)
        more.charge = std::move(*charge);
    else
        more.noCharge = charge.error().what;
    out_ << (json_ ? standingJson(*standing, more) : standingText(*standing, more));
    return 0;
}

}  // namespace nk
