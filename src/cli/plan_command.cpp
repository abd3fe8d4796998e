#include "plan_command.h"

#include "options.h"

#include <chrono>
#include <cmath>
#include <ostream>

#include "book/bench_book.h"
#include "formats/bytes.h"
#include "formats/file_out.h"
#include "history/known_charge.h"
#include "history/own_models.h"
#include "history/ready_rule.h"
#include "quantity/iso_time.h"
#include "quantity/number.h"
#include "report/plan_json.h"
#include "safety/rules.h"

namespace nk {

namespace {

double nowLocal_s() {
    const auto now = std::chrono::system_clock::now();
    const std::time_t t = std::chrono::system_clock::to_time_t(now);
    std::tm local{};
    localtime_r(&t, &local);
    return static_cast<double>(t + local.tm_gmtoff);
}

/// "1C", "0.5C", "2A", "750mA" into rate or amperes.
Expected<void> readRate(const std::string& text, ChargeWish& wish) {
    double value = 0;
    std::size_t used = 0;
    if (parseNumberPrefix(text, '.', value, used) && value > 0 && value < 1e5) {
        const std::string unit = text.substr(used);
        if (unit == "C" || unit == "c") return wish.rate_C = value, Expected<void>();
        if (unit == "A") return wish.current_A = value, Expected<void>();
        if (unit == "mA") return wish.current_A = value / 1000, Expected<void>();
    }
    return fail(ErrorKind::InvalidArgument, "This is no rate: " + text, "--rate",
                "1C, 2A or 750mA.");
}

}  // namespace

PlanCommand::PlanCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : status_(status), out_(out), err_(err) {
    CLI::App* plan = app.add_subcommand("plan", "What to set, when to plug in, who may join whom");
    plan->require_subcommand(1);
    CLI::App* c =
        sub(*plan, "charge", "Settings of a charge, each with its reason", &PlanCommand::charge);
    batteryOptions(*c);
    c->add_option("--rate", rate_, "1C, 2A or 750mA; left out: a kind one");
    c->add_option("--set-voltage", set_V_, "V a cell, at most the usual one")
        ->check(within(0.5, 6.0));
    c->add_option("--from-soc", fromSoc_, "charge level before, 0 to 1")->check(within(0.0, 1.0));
    c->add_option("--resistance-ohm", resistance_ohm_, "of a cell, measured")
        ->check(within(1e-6, 100.0));
    c->add_option("--field-wh", field_Wh_, "Wh of the battery that feeds the charger")
        ->check(within(0.1, 1e7));
    c->add_flag("--beyond-usual", beyond_,
                "the explicit step to more than the usual current, where the maker allows it");
    for (const auto& [name, words, run] :
         {std::tuple("breakin", "Break-in of a new nickel pack", &PlanCommand::breakIn),
          std::tuple("recondition", "Cycles that bring a nickel pack back",
                     &PlanCommand::recondition),
          std::tuple("storage", "To the level at which it is put away", &PlanCommand::storage)}) {
        c = sub(*plan, name, words, run);
        batteryOptions(*c);
        c->add_option("--cycles", cycles_, "of reconditioning")->check(within(1, 20));
        c->add_option("--rest", rest_, "20min, 1h");
        c->add_option("--floor", floor_V_, "V a cell")->check(within(0.05, 5.0));
        c->add_option("--lamp-w", lamp_W_, "a lamp beside the charger that it does not see")
            ->check(within(0.0, 1e6));
        c->add_option("--from-soc", fromSoc_, "charge level before, 0 to 1")
            ->check(within(0.0, 1.0));
        c->add_option("--to-soc", toSoc_, "of storage")->check(within(0.0, 1.0));
        c->add_flag("--leave-empty", leaveEmpty_, "no charge after the last reading");
        c->add_option("--start", start_, "2026-05-01T18:00: puts its steps into the hours");
        c->add_option("--present", present_, "hours in which somebody is there, 07:00-22:30");
        c->add_flag("--unattended", unattended_,
                    "what is longer than those hours may run while nobody is there: your word for "
                    "it; with a tenth of C");
    }
    c = sub(*plan, "chargers", "Chargers beside one another, by the task", &PlanCommand::chargers);
    batteryOptions(*c);
    c->add_option("CHARGERS", chargers_,
                  "chargers (narrow-knee/chargers/1); left out: the generic "
                  "ones");
    c->add_option("--rate", rate_, "of the charge: 1C, 2A or 750mA; left out: a kind one");
    c->add_option("--discharge-a", discharge_A_, "left out: a fifth of the rating")
        ->check(within(0.001, 10000.0));
    c->add_option("--cycles", cycles_, "discharge and charge")->check(within(1, 100));
    c->add_option("--rest", rest_, "between steps: 20min, 1h");
    c->add_flag("--charge-only", noDischarge_, "no discharges");
    c = sub(*plan, "readyby", "A charge that ends just before it is used", &PlanCommand::readyBy);
    batteryOptions(*c);
    c->add_option("--rate", rate_, "1C, 2A or 750mA; left out: a kind one");
    c->add_option("--from-soc", fromSoc_, "charge level before, 0 to 1")->check(within(0.0, 1.0));
    c->add_option("--ready", ready_, "2026-05-01T18:00")->required();
    c->add_option("--now,--start", now_, "2026-05-01T08:00; left out: now");
    c->add_option("--present", present_, "hours in which somebody is there, 07:00-22:30");
    c->add_flag("--unattended", unattended_,
                "it may run while nobody is there: your word for it; with a tenth of C");
    c->add_option("--weekly", weekly_, "every week: mon,wed,fri; --ready gives the hour");
    c->add_option("--ics", calendar_, "writes an iCalendar file as well");
    c->add_flag("--force", force_, "replace a file of that name");
    c = plan->add_subcommand("rules",
                             "What the gate allows, each rule with its source (docs/gate.md)");
    c->callback([this] { status_ = rules(); });
    c = sub(*plan, "join", "Packs joined in parallel", &PlanCommand::join);
    c->add_option(
         "PACKS", table_,
         "name, chemistry, series, voltage_v, rated_ah, resistance_ohm, charge_limit_c, soc")
        ->required();
    c = sub(*plan, "queue", "Many modules, few chargers", &PlanCommand::queue);
    c->add_option("MODULES", table_,
                  "name, chemistry, series, rated_ah, capacity_ah, charge_a, discharge_a, "
                  "floor_v_per_cell")
        ->required();
    c->add_option("CHARGERS", chargers_, "chargers (narrow-knee/chargers/1)")->required();
    c->add_option("--cycles", cycles_, "of each module")->check(within(1, 50));
    c->add_option("--rest", rest_, "between steps: 20min, 1h");
    c->add_option("--order", order_, "cd: charge, then discharge; dc")
        ->check(CLI::IsMember({"cd", "dc"}));
    c->add_option("--present", present_, "hours in which somebody is there, 07:00-22:30");
    c->add_option("--start", start_, "2026-05-01T18:00; left out: now");
    c->add_flag("--unattended,--allow-unattended-charging", unattended_,
                "charges may run while nobody is there: your word for it; with a tenth of C");
    c->add_option("--seconds", seconds_, "of computing time")->check(within(0.0, 60.0));
    c->add_option("--ics", calendar_, "writes an iCalendar file as well");
    c->add_flag("--force", force_, "replace a file of that name");
}

CLI::App* PlanCommand::sub(CLI::App& plan, const char* name, const char* words,
                           int (PlanCommand::*run)()) {
    CLI::App* c = plan.add_subcommand(name, words);
    c->add_flag("--json", json_, "JSON instead of text");
    c->callback([this, run] { status_ = (this->*run)(); });
    return c;
}

void PlanCommand::batteryOptions(CLI::App& c) {
    auto* chemistry = c.add_option("--chemistry", chemistry_, chemistryIds());
    auto* series = c.add_option("--series", series_, "cells in series")->check(within(1, 400));
    auto* rated = c.add_option("--rated-ah", rated_Ah_, "capacity of the label, Ah")
                      ->check(within(0.001, 100000.0));
    c.add_option("--book", ofBook_,
                 "BOOK BATTERY: card, today's capacity, hazards and times as the book knows them, "
                 "instead of --chemistry, --series and --rated-ah")
        ->expected(2)
        ->excludes(chemistry)
        ->excludes(series)
        ->excludes(rated);
    c.add_option("--charger", charger_, "FILE or FILE:NAME (narrow-knee/chargers/1)");
    c.add_option("--ambient-c", ambient_C_, "°C")->check(within(-60.0, 90.0));
    c.add_option("--maker-charge-c", makerC_, "the maker's highest charge rate, C")
        ->check(within(0.01, 10.0));
    c.add_option("--rested-v", rested_V_, "V of the whole battery at rest, before the start")
        ->check(within(-10000.0, 10000.0));
    c.add_option("--cells-v", cells_V_, "V of each cell at rest: 3.61,3.60,3.58")
        ->delimiter(',')
        ->check(within(-100.0, 100.0));
    c.add_option("--capacity-ah", capacity_Ah_, "today's capacity; left out: the rating")
        ->check(within(0.001, 100000.0));
    c.add_flag("--rating-is-right", ratingIsRight_,
               "your word for a rating that no single cell has (cells in parallel)");
}

/// The battery of the book, where one is named. Errors: no such book or battery.
Expected<void> PlanCommand::openBook() {
    if (ofBook_.empty()) {
        for (const auto& [given, name] :
             {std::pair(!chemistry_.empty(), "--chemistry"), std::pair(series_ > 0, "--series"),
              std::pair(rated_Ah_ > 0, "--rated-ah")})
            if (!given) throw CLI::RequiredError(name);
        return {};
    }
    auto book = BenchBook::open(ofBook_[0], false);
    if (!book) return tl::unexpected<Error>(book.error());
    book_ = std::move(*book);
    const auto entry = findBattery(*book_, ofBook_[1]);
    if (!entry) return tl::unexpected<Error>(entry.error());
    auto history = batteryHistory(*book_, entry->id);
    if (!history) return tl::unexpected<Error>(history.error());
    history_ = std::move(*history);
    auto standing = standingOf(*book_, *history_);
    if (!standing) return tl::unexpected<Error>(standing.error());
    standing_ = std::move(*standing);
    return {};
}

Expected<Battery> PlanCommand::battery() const {
    if (standing_) return standing_->battery.battery;
    const auto chemistry = findChemistry(chemistry_);
    if (!chemistry) return tl::unexpected<Error>(chemistry.error());
    Battery b;
    b.chemistry = chemistry_;
    b.series = series_;
    b.rated_Ah = rated_Ah_;
    if (makerC_ > 0) {
        MakerLimits limits;
        limits.chargeC = makerC_;
        b.setLimits(limits);
    }
    return b;
}

Expected<std::optional<ChargerCard>> PlanCommand::charger() const {
    if (charger_.empty()) return std::optional<ChargerCard>();
    auto read = chargerOf(charger_);
    if (!read) return tl::unexpected<Error>(read.error());
    return std::optional<ChargerCard>(std::move(*read));
}

Expected<ChargeWish> PlanCommand::chargeWish() {
    if (auto ok = openBook(); !ok) return tl::unexpected<Error>(ok.error());
    ChargeWish wish;
    auto b = battery();
    if (!b) return tl::unexpected<Error>(b.error());
    wish.battery = std::move(*b);
    auto c = charger();
    if (!c) return tl::unexpected<Error>(c.error());
    wish.charger = std::move(*c);
    if (!rate_.empty())
        if (auto ok = readRate(rate_, wish); !ok) return tl::unexpected<Error>(ok.error());
    wish.set_V = set_V_;
    wish.fromSoc = fromSoc_;
    wish.ambient_C = ambient_C_;
    wish.beyondUsual = beyond_;
    wish.resistance_ohm = resistance_ohm_;
    wish.rested_V = rested_V_;
    wish.cells_V = cells_V_;
    wish.fieldBattery_Wh = field_Wh_;
    wish.capacity_Ah = capacity_Ah_;
    wish.ratingIsRight = ratingIsRight_;
    if (standing_) fillIn(wish, *standing_, *history_);
    return wish;
}

/// The one time of this charge, as the book knows it.
Expected<void> PlanCommand::knowTime(ChargeWish& wish) {
    if (!standing_) return {};
    const auto model = ownModelOf(*book_, standing_->battery.id);
    const auto known = planKnown(wish, *history_, model ? &model->model : nullptr);
    if (!known) return tl::unexpected<Error>(known.error());
    if (known->from != "usual")
        wish.known = KnownTime{known->plan.time_s, known->plan.effectiveCurrent_A,
                               known->plan.knee_s, known->from, known->plan.reasons.at("time_s")};
    return {};
}

Expected<ProgramWish> PlanCommand::programWish() {
    if (auto ok = openBook(); !ok) return tl::unexpected<Error>(ok.error());
    ProgramWish wish;
    auto b = battery();
    if (!b) return tl::unexpected<Error>(b.error());
    wish.battery = std::move(*b);
    auto c = charger();
    if (!c) return tl::unexpected<Error>(c.error());
    wish.charger = std::move(*c);
    wish.capacity_Ah = capacity_Ah_;
    wish.ambient_C = ambient_C_;
    if (cycles_ > 0) wish.cycles = cycles_;
    if (!rest_.empty()) {
        const auto minutes = readMinutes(rest_);
        if (!minutes) return tl::unexpected<Error>(minutes.error());
        wish.rest_min = *minutes;
    }
    wish.floor_V = floor_V_;
    wish.lamp_W = lamp_W_;
    wish.fromSoc = fromSoc_;
    wish.toSoc = toSoc_;
    wish.rested_V = rested_V_;
    wish.cells_V = cells_V_;
    wish.ratingIsRight = ratingIsRight_;
    wish.leaveEmpty = leaveEmpty_;
    wish.overnight = unattended_;
    if (!start_.empty()) {
        wish.start_s = fromIsoTime(start_);
        if (!std::isfinite(wish.start_s))
            return fail(ErrorKind::InvalidArgument, "This is no moment.", "--start",
                        "2026-05-01T18:00.");
    } else if (!present_.empty()) {
        wish.start_s = nowLocal_s();
    }
    const auto present = presence();
    if (!present) return tl::unexpected<Error>(present.error());
    wish.present = *present;
    if (standing_) fillIn(wish, *standing_);
    return wish;
}

Expected<Presence> PlanCommand::presence() const {
    return present_.empty() ? Expected<Presence>(Presence::unsaid()) : readPresence(present_);
}

/// The sentence for a person, and under --json the refusal for a script.
int PlanCommand::refused(const Error& why) {
    err_ << why.text() << '\n';
    if (json_) out_ << refusalJson(why);
    return 1;
}

int PlanCommand::rules() {
    out_ << gateRulesPage();
    return 0;
}

int PlanCommand::charge() {
    const auto wish = chargeWish();
    if (!wish) return refused(wish.error());
    if (!standing_) {
        const auto plan = planCharge(*wish);
        if (!plan) return refused(plan.error());
        out_ << (json_ ? chargePlanJson(*plan) : chargePlanText(*plan));
        return 0;
    }
    const auto model = ownModelOf(*book_, standing_->battery.id);
    const auto known = planKnown(*wish, *history_, model ? &model->model : nullptr);
    if (!known) return refused(known.error());
    out_ << (json_ ? chargePlanJson(known->plan, known->from)
                   : chargePlanText(known->plan, known->how));
    return 0;
}

int PlanCommand::chargers() {
    auto charge = chargeWish();
    if (!charge) return refused(charge.error());
    TaskWish wish;
    wish.charge = std::move(*charge);
    wish.cycles = std::max(1, cycles_);
    wish.capacity_Ah = capacity_Ah_;
    wish.discharge_A = discharge_A_;
    wish.discharge = !noDischarge_;
    if (!rest_.empty()) {
        const auto minutes = readMinutes(rest_);
        if (!minutes) return err_ << "--rest: " << minutes.error().text() << '\n', 2;
        wish.rest_min = *minutes;
    }
    std::vector<ChargerCard> cards = genericChargers();
    if (!chargers_.empty()) {
        const auto bytes = readFile(chargers_);
        if (!bytes) return err_ << bytes.error().text() << '\n', 1;
        auto read = readChargers(*bytes, chargers_);
        if (!read) return err_ << read.error().text() << '\n', 1;
        cards = std::move(*read);
    }
    const auto tasks = compareChargers(wish, cards);
    if (!tasks) return refused(tasks.error());
    out_ << (json_ ? chargerTasksJson(*tasks) : chargerTasksText(*tasks));
    return 0;
}

int PlanCommand::tellProgram(const Expected<Program>& program) {
    if (!program) return refused(program.error());
    out_ << (json_ ? programJson(*program) : programText(*program));
    return 0;
}

int PlanCommand::breakIn() {
    const auto wish = programWish();
    return wish ? tellProgram(planBreakIn(*wish)) : refused(wish.error());
}

int PlanCommand::recondition() {
    const auto wish = programWish();
    return wish ? tellProgram(planRecondition(*wish)) : refused(wish.error());
}

int PlanCommand::storage() {
    const auto wish = programWish();
    return wish ? tellProgram(planStorage(*wish)) : refused(wish.error());
}

int PlanCommand::readyBy() {
    auto charge = chargeWish();
    if (!charge) return refused(charge.error());
    if (auto ok = knowTime(*charge); !ok) return refused(ok.error());
    ReadyWish wish;
    wish.charge = std::move(*charge);
    wish.charge.overnight = unattended_;
    wish.ready_s = fromIsoTime(ready_);
    wish.now_s = now_.empty() ? nowLocal_s() : fromIsoTime(now_);
    if (!std::isfinite(wish.ready_s) || !std::isfinite(wish.now_s))
        return err_ << "--ready, --now: this is no moment. Accepted: 2026-05-01T18:00.\n", 2;
    const auto present = presence();
    if (!present) return err_ << present.error().text() << '\n', 2;
    wish.present = *present;
    std::array<bool, 7> days{};
    if (!weekly_.empty()) {
        const auto read = readWeekdays(weekly_);
        if (!read) return err_ << read.error().text() << '\n', 2;
        ReadyRule rule;
        rule.days = days = *read;
        rule.minute = static_cast<int>(std::fmod(wish.ready_s, 86400) / 60);
        if (const auto next = nextReady(rule, wish.now_s)) wish.ready_s = *next;
    }
    const auto program = planReadyBy(wish);
    if (program && !calendar_.empty())
        if (const auto done = writeFile(
                calendar_,
                programCalendar(*program, days, wish.charge.battery.chemistry, nowLocal_s()),
                force_, {});
            !done)
            return err_ << done.error().text() << '\n', 1;
    return tellProgram(program);
}

int PlanCommand::join() {
    const auto table = readPlainTableFile(table_);
    if (!table) return err_ << table.error().text() << '\n', 1;
    const auto packs = readJoinPacks(*table);
    if (!packs) return err_ << packs.error().text() << '\n', 1;
    const auto answer = planJoin(*packs);
    if (!answer) {
        Error why = answer.error();
        if (why.where.empty()) why.where = table_;
        return refused(why);
    }
    out_ << (json_ ? joinJson(*answer) : joinText(*answer));
    return 0;
}

int PlanCommand::queue() {
    const auto table = readPlainTableFile(table_);
    if (!table) return err_ << table.error().text() << '\n', 1;
    auto modules = readQueueModules(*table);
    if (!modules) return err_ << modules.error().text() << '\n', 1;
    const auto bytes = readFile(chargers_);
    if (!bytes) return err_ << bytes.error().text() << '\n', 1;
    auto chargers = readChargers(*bytes, chargers_);
    if (!chargers) return err_ << chargers.error().text() << '\n', 1;
    QueueWish wish;
    wish.modules = std::move(*modules);
    wish.chargers = std::move(*chargers);
    if (cycles_ > 0) wish.cycles = cycles_;
    wish.dischargeFirst = order_ == "dc";
    wish.unattendedCharging = unattended_;
    wish.seconds = seconds_;
    if (!rest_.empty()) {
        const auto minutes = readMinutes(rest_);
        if (!minutes) return err_ << "--rest: " << minutes.error().text() << '\n', 2;
        wish.rest_min = *minutes;
    }
    const auto present = presence();
    if (!present) return err_ << present.error().text() << '\n', 2;
    wish.present = *present;
    wish.start_s = start_.empty() ? nowLocal_s() : fromIsoTime(start_);
    if (!std::isfinite(wish.start_s))
        return err_ << "--start: this is no moment. Accepted: 2026-05-01T18:00.\n", 2;
    const auto plan = planQueue(wish);
    if (!plan) {
        Error why = plan.error();
        if (why.where.empty()) why.where = table_;
        return refused(why);
    }
    if (!calendar_.empty())
        if (const auto done = writeFile(calendar_, queueCalendar(*plan, wish, nowLocal_s()), force_,
                                        {table_, chargers_});
            !done)
            return err_ << done.error().text() << '\n', 1;
    out_ << (json_ ? queueJson(*plan, wish) : queueText(*plan, wish));
    return 0;
}

}  // namespace nk
