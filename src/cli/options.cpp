#include "options.h"

#include <cmath>
#include <sstream>

namespace nk {

void BatteryOptions::addTo(CLI::App& command) {
    const char* group =
        "Battery (what is left out is guessed from the voltages and marked as assumed)";
    command
        .add_option("--chemistry", chemistry,
                    "nmc, nca, lco, lmo, lipo, lihv, lfp, lto, nimh or nicd")
        ->group(group);
    command.add_option("--series", series, "cells in series")
        ->check(CLI::Range(1, 1000))
        ->group(group);
    command.add_option("--parallel", parallel, "cells in parallel")
        ->check(CLI::Range(1, 1000))
        ->group(group);
    command.add_option("--rated-ah", rated_Ah, "rated capacity in Ah")
        ->check(CLI::Range(0.001, 100000.0))
        ->group(group);
    command.add_option("--mass-kg", mass_kg, "mass in kg")
        ->check(CLI::Range(0.0001, 100000.0))
        ->group(group);
    command.add_option("--ambient-c", ambient_C, "ambient temperature in °C")
        ->check(CLI::Range(-60.0, 100.0))
        ->group(group);
    command.add_option("--set-a", setCurrent_A, "the current that was set on the charger, in A")
        ->check(CLI::Range(0.0, 20000.0))
        ->group(group);
}

Expected<Battery> BatteryOptions::battery() const {
    Battery b;
    b.chemistry = chemistry;
    b.series = series;
    b.parallel = parallel;
    b.rated_Ah = rated_Ah;
    b.mass_kg = mass_kg;
    b.ambient_C = ambient_C;
    b.charger.current_A = setCurrent_A;
    if (!std::isfinite(rated_Ah) || !std::isfinite(mass_kg) || !std::isfinite(ambient_C))
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
        .add_option(
            "--map", map,
            "columns by title or number: time=COL,voltage=COL,current=COL,temperature=COL,mode=COL")
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

Expected<ReadOptions> ReadingOptions::options() const {
    ReadOptions o;
    o.sign = sign == "charge-positive"      ? SignConvention::ChargePositive
             : sign == "discharge-positive" ? SignConvention::DischargePositive
                                            : SignConvention::Auto;
    o.interval_s = interval_s;
    o.threads = threads;
    const char* accepted =
        "time=COL,voltage=COL,current=COL,temperature=COL,mode=COL, each with a title or a number "
        "from 1.";
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
              Role::Power, Role::CounterAh, Role::CounterWh})
            if (role == toString(r)) {
                o.map[r] = column;
                known = true;
            }
        if (!known)
            return fail(ErrorKind::InvalidArgument, "'" + role + "' is no column role.", "--map",
                        accepted);
    }
    return o;
}

}  // namespace nk
