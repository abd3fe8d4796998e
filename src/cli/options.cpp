#include "options.h"

#include <cmath>
#include <sstream>

#include "book/battery_hint.h"
#include "quantity/accuracy_text.h"
#include "quantity/harmless.h"
#include "quantity/units.h"

namespace nk {

void BatteryOptions::addTo(CLI::App& command) {
    const char* group =
        "Battery (what is left out is guessed from the voltages and marked as assumed)";
    command.add_option("--chemistry", chemistry, chemistryIds())->group(group);
    command.add_option("--series", series, "cells in series")->check(within(1, 1000))->group(group);
    command.add_option("--parallel", parallel, "cells in parallel")
        ->check(within(1, 1000))
        ->group(group);
    command.add_option("--rated-ah", rated_Ah, "rated capacity in Ah")
        ->check(within(0.001, 100000.0))
        ->group(group);
    command
        .add_option("--capacity-ah", measured_Ah,
                    "what it holds today, in Ah: C rates and tapers count of it, not of the label")
        ->check(within(0.001, 100000.0))
        ->group(group);
    command.add_option("--mass-kg", mass_kg, "mass in kg")
        ->check(within(0.0001, 100000.0))
        ->group(group);
    command.add_option("--ambient-c", ambient_C, "ambient temperature in °C")
        ->check(within(-60.0, 100.0))
        ->group(group);
    command.add_option("--set-a", setCurrent_A, "the current that was set on the charger, in A")
        ->check(within(0.0, 20000.0))
        ->group(group);
}

Expected<Battery> BatteryOptions::battery() const {
    Battery b;
    b.chemistry = chemistry;
    b.series = series;
    b.parallel = parallel;
    b.rated_Ah = rated_Ah;
    b.measured_Ah = measured_Ah;
    b.mass_kg = mass_kg;
    b.ambient_C = ambient_C;
    b.charger.current_A = setCurrent_A;
    if (!std::isfinite(rated_Ah) || !std::isfinite(measured_Ah) || !std::isfinite(mass_kg) ||
        !std::isfinite(ambient_C))
        return fail(ErrorKind::InvalidArgument, "A battery option is no finite number.",
                    "command line", "plain numbers.");
    if (auto ok = b.check(); !ok) return tl::unexpected<Error>(ok.error());
    return b;
}

void ReadingOptions::addTo(CLI::App& command) {
    const char* group = "Reading the log";
    command.add_option("--sign", sign, "charge-positive, discharge-positive or auto")
        ->check(CLI::IsMember({"auto", "charge-positive", "discharge-positive"}))
        ->group(group);
    command
        .add_option("--map", map,
                    "columns by title or number: "
                    "time=COL,voltage=COL,current=COL,temperature=COL,mode=COL,charge=COL,"
                    "discharge=COL,power=COL,cell=3-6")
        ->group(group);
    command
        .add_option("--unit", units,
                    "the unit of a column, where it is not written or wrong: voltage=mV, time=min, "
                    "current=mA")
        ->group(group);
    command
        .add_option("--date-order", dateOrder,
                    "dmy or mdy, for dates that do not begin with the year")
        ->check(CLI::IsMember({"dmy", "mdy", "ymd"}))
        ->group(group);
    command.add_option("--decimal", decimal, "the decimal sign, . or ,")
        ->check(CLI::IsMember({".", ","}))
        ->group(group);
    command.add_option("--load", load, "the load of a log that has no current: 20W, 5A or 8ohm")
        ->group(group);
    command
        .add_option("--accuracy", accuracyText,
                    "the instrument's, in % of the reading and steps of its last digit: "
                    "V=0.5%+1,A=1%+2,C=1")
        ->group(group);
    command
        .add_option("--interval-s", interval_s,
                    "seconds between rows when the log has no time column")
        ->group(group);
    command
        .add_option("--threads", threads,
                    "threads for reading (0: as many as there are, at most 4)")
        ->group(group);
}

Expected<InstrumentAccuracy> ReadingOptions::accuracy() const {
    return parseAccuracy(accuracyText, "--accuracy");
}

Expected<ReadOptions> ReadingOptions::options(const Battery& battery) const {
    ReadOptions o;
    o.sign = sign == "charge-positive"      ? SignConvention::ChargePositive
             : sign == "discharge-positive" ? SignConvention::DischargePositive
                                            : SignConvention::Auto;
    o.interval_s = interval_s;
    o.threads = threads;
    const char* accepted =
        "time=COL,voltage=COL,current=COL,temperature=COL,mode=COL,charge=COL,discharge=COL,power="
        "COL,cell=COL, each with a "
        "title or a number from 1 (cells: 3-6 or 3+5).";
    if (!std::isfinite(interval_s) || interval_s < 0)
        return fail(ErrorKind::InvalidArgument, "The interval must be a number of seconds above 0.",
                    "--interval-s");
    std::stringstream parts(map);
    std::string part;
    while (std::getline(parts, part, ',')) {
        const auto at = part.find('=');
        if (at == std::string::npos)
            return fail(ErrorKind::InvalidArgument, "'" + part + "' names no column.", "--map",
                        accepted);
        const std::string role = part.substr(0, at);
        const std::string column = part.substr(at + 1);
        bool known = false;
        for (const Role r :
             {Role::Time, Role::Date, Role::Voltage, Role::Current, Role::Temperature, Role::Mode,
              Role::Power, Role::CounterAh, Role::CounterWh, Role::ChargeCurrent,
              Role::DischargeCurrent, Role::Cell})
            if (role == toString(r) || (r == Role::Cell && role == "cells")) {
                o.map[r] = column;
                known = true;
            }
        if (!known)
            return fail(ErrorKind::InvalidArgument, "'" + role + "' is no column role.", "--map",
                        accepted);
    }
    for (const std::string& unit : units) {
        const auto at = unit.find('=');
        bool known = false;
        for (const Role r : {Role::Time, Role::Voltage, Role::Current, Role::Temperature,
                             Role::Power, Role::CounterAh, Role::CounterWh, Role::ChargeCurrent,
                             Role::DischargeCurrent, Role::Cell})
            if (at != std::string::npos && (unit.substr(0, at) == toString(r) ||
                                            (r == Role::Cell && unit.substr(0, at) == "cells"))) {
                const std::string text = unit.substr(at + 1);
                if (!parseUnit(text) && text != "h:mm" && text != "mm:ss") break;
                o.roleUnits[r] = text;
                known = true;
            }
        if (!known)
            return fail(ErrorKind::InvalidArgument, "'" + harmless(unit, 40) + "' gives no unit.",
                        "--unit",
                        "a part and its unit: voltage=mV, current=mA, time=min, temperature=°F.");
    }
    o.dateOrder = dateOrder == "dmy"   ? std::optional(DateOrder::DayMonthYear)
                  : dateOrder == "mdy" ? std::optional(DateOrder::MonthDayYear)
                  : dateOrder == "ymd" ? std::optional(DateOrder::YearMonthDay)
                                       : std::nullopt;
    if (!decimal.empty()) o.decimal = decimal.front();
    if (!load.empty()) {
        const auto known = parseLoad(load);
        if (!known) return tl::unexpected<Error>(known.error());
        o.load = *known;
    }
    o.battery = hintOf(battery);
    return o;
}

Expected<CommandInput> commandInput(const BatteryOptions& battery, const ReadingOptions& reading) {
    CommandInput out;
    auto known = battery.battery();
    if (!known) return tl::unexpected<Error>(known.error());
    out.battery = std::move(*known);
    auto options = reading.options(out.battery);
    if (!options) return tl::unexpected<Error>(options.error());
    out.options = std::move(*options);
    auto accuracy = reading.accuracy();
    if (!accuracy) return tl::unexpected<Error>(accuracy.error());
    out.accuracy = *accuracy;
    return out;
}

}  // namespace nk
