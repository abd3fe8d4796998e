#include "module_table.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "quantity/harmless.h"
#include "quantity/phrase.h"
#include "quantity/plausible.h"

namespace nk {

namespace {

/// A column and what its figures are multiplied by.
struct Figure {
    int column = -1;
    double factor = 1;
};

bool contains(const std::string& title, const char* unit) {
    std::string lower;
    for (const char c : title) lower += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    return lower.find(unit) != std::string::npos;
}

}  // namespace

Expected<std::vector<MatchModule>> readModules(const PlainTable& t) {
    const int name = t.column({"name", "module", "cell", "id", "serial", "modul", "zelle"});
    Figure capacity{t.column({"capacity_Ah", "capacity_mAh", "capacity", "ah", "mah", "kapazität",
                              "kapazität_mAh", "kapazität_Ah"})};
    Figure resistance{
        t.column({"resistance_ohm", "resistance_mohm", "resistance", "mohm", "ohm", "ir", "ir_mohm",
                  "ir_ohm", "resistance_mΩ", "resistance_Ω", "widerstand", "widerstand_mohm"})};
    const int capacityU = t.column({"capacity_u", "capacity_u_Ah", "capacity_u_mAh", "capacity_±"});
    const int resistanceU = t.column({"resistance_u", "resistance_u_ohm", "resistance_u_mohm"});
    const int leak = t.column({"self_discharge_percent", "self_discharge"});
    if (name < 0 || capacity.column < 0)
        return fail(ErrorKind::ColumnsUnknown,
                    name < 0 ? phrase("The table has no column with the names of the modules.")
                             : phrase("The table has no column with their capacities."),
                    t.where,
                    "name, capacity_Ah|capacity_mAh, resistance_ohm|resistance_mohm, capacity_u, "
                    "resistance_u, self_discharge_percent.");
    if (t.rows.empty())
        return fail(ErrorKind::InvalidArgument, phrase("The table has no rows."), t.where,
                    phrase("a module a row."));
    const auto unit = [&](Figure& f, const char* small, const char* large,
                          double tooMuch) -> Expected<void> {
        if (f.column < 0) return {};
        const std::string& title = t.titles[static_cast<std::size_t>(f.column)];
        if (contains(title, small)) {
            f.factor = 1e-3;
        } else if (!contains(title, large)) {
            std::vector<double> all;
            for (std::size_t row = 0; row < t.rows.size(); ++row) {
                const auto x = t.number(row, f.column);
                if (!x) return tl::unexpected<Error>(x.error());
                if (std::isfinite(*x)) all.push_back(*x);
            }
            if (all.empty()) return {};
            std::ranges::nth_element(all,
                                     all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2));
            if (all[all.size() / 2] > tooMuch) f.factor = 1e-3;
        }
        return {};
    };
    if (auto ok = unit(capacity, "mah", "ah", 50); !ok) return tl::unexpected<Error>(ok.error());
    for (const char* small : {"mohm", "mω", "m\u2126", "mΩ"})
        if (resistance.column >= 0 &&
            contains(t.titles[static_cast<std::size_t>(resistance.column)], small))
            resistance.factor = 1e-3;
    if (resistance.factor == 1)
        if (auto ok = unit(resistance, "mohm", "ohm", 1); !ok)
            return tl::unexpected<Error>(ok.error());
    std::vector<MatchModule> out;
    std::set<std::string> names;
    for (std::size_t row = 0; row < t.rows.size(); ++row) {
        MatchModule m;
        m.name = harmless(t.rows[row][static_cast<std::size_t>(name)]);
        if (m.name.empty())
            return tl::unexpected<Error>(
                t.at(row, name, phrase("This module has no name."), phrase("a name.")));
        if (!names.insert(m.name).second)
            return tl::unexpected<Error>(t.at(row, name,
                                              phrase("This name stands twice: {}", m.name),
                                              phrase("each module once.")));
        std::optional<Error> problem;
        const auto read = [&](int column, double factor, bool positive, bool needed) {
            if (column < 0 || problem) return kNaN;
            const auto x = t.number(row, column);
            if (!x)
                problem = x.error();
            else if ((needed && std::isnan(*x)) || (positive ? *x <= 0 : *x < 0) ||
                     (std::isfinite(*x) && !canBe(*x * factor, "Ah")))
                problem =
                    t.at(row, column,
                         phrase("This figure cannot be: {}",
                                std::isnan(*x) ? std::string("–")
                                               : t.rows[row][static_cast<std::size_t>(column)]),
                         positive ? phrase("a number above 0.") : phrase("a number, 0 or more."));
            return problem ? kNaN : *x * factor;
        };
        m.capacity_Ah = read(capacity.column, capacity.factor, true, true);
        m.resistance_ohm = read(resistance.column, resistance.factor, true, false);
        m.capacityUncertainty_Ah = read(capacityU, capacity.factor, false, false);
        m.resistanceUncertainty_ohm = read(resistanceU, resistance.factor, false, false);
        if (leak >= 0 && !problem) {
            const auto x = t.number(row, leak);
            if (!x)
                problem = x.error();
            else
                m.selfDischarge_percent = *x;
        }
        if (problem) return tl::unexpected<Error>(*problem);
        out.push_back(std::move(m));
    }
    return out;
}

}  // namespace nk
