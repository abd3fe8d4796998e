#include "cycle_table.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "cycle_columns.h"
#include "quantity/harmless.h"
#include "quantity/iso_time.h"
#include "quantity/number.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

bool blank(const std::string& cell) {
    std::string lower;
    for (const char c : cell) lower += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    return lower.empty() || lower == "nan" || lower == "na" || lower == "n/a" || lower == "-" ||
           lower == "null" || lower == "none" || lower == "--";
}

double medianOf(std::vector<double> v) {
    std::erase_if(v, [](double x) { return !std::isfinite(x); });
    if (v.empty()) return kNaN;
    const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::ranges::nth_element(v, middle);
    return *middle;
}

/// The finest step of the printed figures, by their decimals.
double printedStep(const PlainTable& table, int column) {
    int most = 0;
    for (std::size_t row = 0; row < std::min<std::size_t>(table.rows.size(), 1000); ++row) {
        const std::string& cell = table.rows[row][static_cast<std::size_t>(column)];
        if (cell.find_first_of("eE") != std::string::npos) return 0;
        const auto point = cell.find(table.decimal);
        if (point != std::string::npos)
            most = std::max(most, static_cast<int>(cell.size() - point - 1));
    }
    return std::pow(10.0, -most);
}

struct Columns {
    std::map<CycleRole, int> at;
    std::vector<CycleColumn> seen;
    int of(CycleRole role) const {
        const auto it = at.find(role);
        return it == at.end() ? -1 : it->second;
    }
};

/// A table whose first line is a row already.
PlainTable withTitles(const PlainTable& table) {
    PlainTable out = table;
    const bool numbers = std::ranges::all_of(table.titles, [&](const std::string& cell) {
        double value = 0;
        std::size_t used = 0;
        return blank(cell) ||
               (parseNumberPrefix(cell, table.decimal, value, used) && used == cell.size());
    });
    if (!numbers) return out;
    out.rows.insert(out.rows.begin(), table.titles);
    out.lines.insert(out.lines.begin(), table.lines.empty() ? 1 : table.lines.front() - 1);
    for (std::string& title : out.titles) title.clear();
    return out;
}

/// Numbers of a column; what is none is NaN, and counted.
std::vector<double> numbers(const PlainTable& table, int column, std::size_t& bad,
                            std::string& first) {
    std::vector<double> out(table.rows.size(), kNaN);
    for (std::size_t row = 0; row < out.size(); ++row) {
        const std::string& cell = table.rows[row][static_cast<std::size_t>(column)];
        if (blank(cell)) continue;
        const auto x = table.number(row, column);
        if (x) {
            out[row] = *x;
        } else {
            if (bad++ == 0) first = x.error().text();
        }
    }
    return out;
}

/// Titles that say nothing: a column of whole numbers that rise is the cycle, the other that falls
/// the capacity.
void byFigures(const PlainTable& table, Columns& columns) {
    std::vector<int> left;
    for (std::size_t k = 0; k < table.titles.size(); ++k)
        if (columns.seen[k].role == CycleRole::None && columns.seen[k].sure >= 0)
            left.push_back(static_cast<int>(k));
    std::size_t bad = 0;
    std::string words;
    if (columns.of(CycleRole::Cycle) < 0)
        for (const int k : left) {
            const auto v = numbers(table, k, bad, words);
            bool counts = v.size() > 2;
            for (std::size_t n = 0; n < v.size() && counts; ++n)
                counts = v[n] == std::floor(v[n]) && v[n] >= 0 && (n == 0 || v[n] > v[n - 1]);
            if (!counts) continue;
            columns.at[CycleRole::Cycle] = k;
            columns.seen[static_cast<std::size_t>(k)].role = CycleRole::Cycle;
            std::erase(left, k);
            break;
        }
    if (columns.of(CycleRole::Capacity) < 0 && columns.of(CycleRole::Charge) < 0 &&
        columns.of(CycleRole::Energy) < 0) {
        std::vector<int> numeric;
        for (const int k : left)
            if (std::isfinite(medianOf(numbers(table, k, bad, words)))) numeric.push_back(k);
        if (numeric.size() == 1) {
            columns.at[CycleRole::Capacity] = numeric.front();
            columns.seen[static_cast<std::size_t>(numeric.front())].role = CycleRole::Capacity;
        }
    }
}

Columns findColumns(const PlainTable& table) {
    Columns out;
    for (std::size_t k = 0; k < table.titles.size(); ++k) {
        out.seen.push_back(recogniseCycleColumn(table.titles[k]));
        const CycleColumn& s = out.seen.back();
        if (s.role == CycleRole::None) continue;
        const int before = out.of(s.role);
        if (before < 0 || out.seen[static_cast<std::size_t>(before)].sure < s.sure)
            out.at[s.role] = static_cast<int>(k);
    }
    byFigures(table, out);
    return out;
}

/// The unit of the capacities and what they are multiplied by.
Expected<void> settleUnit(CycleTable& out, const CycleColumn& seen, double rated_Ah,
                          const PlainTable& table, int column) {
    double factor = seen.factor;
    const double middle = std::abs(medianOf(out.capacity_Ah));
    out.unit = seen.unit.empty() ? "Ah" : seen.unit;
    if (!seen.said) {
        const auto words = titleWords(table.titles[static_cast<std::size_t>(column)]);
        const bool share = std::ranges::any_of(words, [](const std::string& w) {
            return w.starts_with("soh") || w.starts_with("retention") ||
                   w.starts_with("relative") || w.starts_with("health") || w.starts_with("normal");
        });
        if (share) {
            out.unit = "%";
            factor = middle <= 2 ? 100 : 1;
        } else if (rated_Ah > 0 ? middle > 100 * rated_Ah : middle > 200) {
            factor = 1e-3;
            out.notes.push_back(phrase("The capacities are taken as mAh."));
        } else {
            out.notes.push_back(phrase("The title names no unit; the capacities are taken as Ah."));
        }
    }
    for (double& x : out.capacity_Ah) x *= factor;
    out.resolution = printedStep(table, column) * factor;
    const double now = middle * factor;
    if (out.unit == "Ah" && rated_Ah > 0 && !(now > 0.1 * rated_Ah && now < 2 * rated_Ah))
        return tl::unexpected<Error>(
            table.at(0, column,
                     phrase("Capacities of about {:.3g} Ah do not fit a rating of {:.3g} Ah.", now,
                            rated_Ah),
                     phrase("mAh, Ah or % in the title of the column, or another --rated-ah.")));
    return {};
}

struct Order {
    std::vector<std::size_t> rows;
    std::vector<double> cycle;
};

double levelAt(const std::vector<double>& capacity, const std::vector<std::size_t>& rows,
               std::size_t from, std::size_t to) {
    std::vector<double> near;
    for (std::size_t k = from; k < to; ++k) near.push_back(capacity[rows[k]]);
    return medianOf(near);
}

/// The rows in the order of their cycles: newest first turned round, a few out of order sorted, a
/// counter that began again carried on, two batteries refused.
Expected<Order> inOrder(const CycleTable& table, const std::vector<double>& number,
                        const std::string& where, std::vector<std::string>& notes) {
    Order out;
    for (std::size_t row = 0; row < number.size(); ++row)
        if (std::isfinite(number[row])) out.rows.push_back(row);
    const auto two = [&](const std::string& why) {
        return fail(ErrorKind::InvalidArgument,
                    phrase("This table seems to hold the cycles of more than one battery: {}", why),
                    where,
                    phrase("one battery a table, or a column that names it and --cell NAME."));
    };
    std::size_t falls = 0;
    std::size_t same = 0;
    for (std::size_t k = 1; k < out.rows.size(); ++k) {
        const double step = number[out.rows[k]] - number[out.rows[k - 1]];
        falls += step < 0 ? 1 : 0;
        same += step == 0 ? 1 : 0;
    }
    if (out.rows.size() > 2 && 10 * falls > 9 * (out.rows.size() - 1)) {
        std::ranges::reverse(out.rows);
        notes.push_back(phrase("The rows stand newest first; they are taken in turn."));
    }
    // Pieces that begin again.
    std::vector<std::size_t> starts{0};
    const double lowest = out.rows.empty() ? 0 : number[out.rows.front()];
    double highest = lowest;
    bool outOfOrder = false;
    for (std::size_t k = 1; k < out.rows.size(); ++k) {
        const double now = number[out.rows[k]];
        if (now < number[out.rows[k - 1]]) {
            if (now <= lowest + 0.1 * (highest - lowest) && highest > lowest)
                starts.push_back(k), highest = now;
            else
                outOfOrder = true;
        }
        highest = std::max(highest, now);
    }
    out.cycle = number;
    if (starts.size() > 1) {
        if (starts.size() > std::max<std::size_t>(4, out.rows.size() / 10))
            return two(phrase("the cycle numbers begin again {} times.", starts.size() - 1));
        double offset = 0;
        for (std::size_t s = 1; s < starts.size(); ++s) {
            const std::size_t from = starts[s];
            const std::size_t to = s + 1 < starts.size() ? starts[s + 1] : out.rows.size();
            const std::size_t before = starts[s - 1];
            const double left = levelAt(table.capacity_Ah, out.rows,
                                        std::max(before, from > 5 ? from - 5 : 0), from);
            const double right = levelAt(table.capacity_Ah, out.rows, from, std::min(to, from + 5));
            // It goes on where it ended, and that is not where it began.
            const double began =
                levelAt(table.capacity_Ah, out.rows, before, std::min(from, before + 5));
            const bool goesOn = std::abs(right - left) < 0.03 * std::max(left, right) &&
                                std::abs(right - left) < 0.4 * std::abs(right - began);
            if (!goesOn)
                return two(
                    phrase("the cycle numbers begin again at line {}, and the capacity goes from "
                           "{:.4g} to {:.4g} there after beginning at {:.4g}.",
                           table.lines[out.rows[from]], left, right, began));
            std::vector<double> steps;
            for (std::size_t k = before + 1; k < from; ++k)
                steps.push_back(number[out.rows[k]] - number[out.rows[k - 1]]);
            const double usual =
                std::max(1.0, std::isfinite(medianOf(steps)) ? medianOf(steps) : 1);
            offset = out.cycle[out.rows[from - 1]] + usual - number[out.rows[from]];
            for (std::size_t k = from; k < to; ++k)
                out.cycle[out.rows[k]] = number[out.rows[k]] + offset;
            notes.push_back(
                phrase("The cycle numbers begin again at line {} where the capacity goes on: they "
                       "are counted on from there.",
                       table.lines[out.rows[from]]));
        }
    }
    if (outOfOrder) {
        std::ranges::stable_sort(out.rows, {}, [&](std::size_t r) { return out.cycle[r]; });
        notes.push_back(phrase("Rows out of order were put in the order of their cycles."));
    }
    // The same cycle twice.
    std::vector<std::size_t> kept;
    std::size_t copies = 0;
    std::size_t again = 0;
    for (const std::size_t row : out.rows) {
        if (!kept.empty() && out.cycle[kept.back()] == out.cycle[row]) {
            const double a = table.capacity_Ah[kept.back()];
            const double b = table.capacity_Ah[row];
            if (a == b || !std::isfinite(b)) {
                ++copies;
                continue;
            }
            if (!std::isfinite(a)) {
                kept.back() = row;
                continue;
            }
            ++again;
            kept.back() = row;
        } else {
            kept.push_back(row);
        }
    }
    if (5 * again > kept.size() && again > 2)
        return two(phrase("{} cycle numbers stand twice with different capacities.", again));
    if (copies > 0)
        notes.push_back(copies == 1
                            ? phrase("One row that repeats another was passed over.")
                            : phrase("{} rows that repeat another were passed over.", copies));
    if (again > 0)
        notes.push_back(
            again == 1
                ? phrase("One cycle stands twice with different figures; the later row counts.")
                : phrase("{} cycles stand twice with different figures; the later row counts.",
                         again));
    out.rows = std::move(kept);
    return out;
}

/// A cell that is a date or a day.
double dayIn(const std::string& cell, char decimal, double factor, bool& dated) {
    const double moment = fromIsoTime(cell);
    if (std::isfinite(moment)) {
        dated = true;
        return moment / 86400;
    }
    // 31.12.2026 and 2026/12/31 12:00 and the like.
    int part[3] = {0, 0, 0};
    std::size_t at = 0;
    int count = 0;
    for (; count < 3; ++count) {
        std::size_t used = 0;
        while (at + used < cell.size() && cell[at + used] >= '0' && cell[at + used] <= '9') ++used;
        if (used == 0 || used > 4) break;
        part[count] = std::stoi(cell.substr(at, used));
        at += used;
        if (count < 2) {
            if (at >= cell.size() || (cell[at] != '.' && cell[at] != '/' && cell[at] != '-')) break;
            ++at;
        }
    }
    if (count == 3) {
        const bool yearFirst = part[0] > 31;
        const int year = yearFirst ? part[0] : part[2];
        const int day = yearFirst ? part[2] : part[0];
        const double seconds = fromIsoTime(fmt::format("{:04d}-{:02d}-{:02d}", year, part[1], day));
        if (std::isfinite(seconds)) {
            dated = true;
            return seconds / 86400;
        }
        return kNaN;
    }
    double value = 0;
    std::size_t used = 0;
    if (parseNumberPrefix(cell, decimal, value, used) && used == cell.size()) return value * factor;
    return kNaN;
}

}  // namespace

Expected<CycleTable> readCycles(const PlainTable& given, double rated_Ah, const std::string& cell) {
    PlainTable table = withTitles(given);
    if (table.rows.empty())
        return fail(ErrorKind::InvalidArgument, phrase("The table has no rows."), table.where,
                    phrase("a cycle a row."));
    const Columns columns = findColumns(table);
    CycleTable out;

    // Which battery, where the table names them.
    const int names = columns.of(CycleRole::Cell);
    if (names >= 0) {
        std::map<std::string, std::size_t> each;
        for (const auto& row : table.rows) ++each[row[static_cast<std::size_t>(names)]];
        const bool telling = each.size() > 1 && 3 * each.size() <= table.rows.size();
        if (!cell.empty() && !each.contains(cell))
            return fail(ErrorKind::InvalidArgument,
                        phrase("There is no battery {} in this table.", harmless(cell, 40)),
                        table.where, harmless(each.begin()->first, 40));
        if (telling && cell.empty()) {
            std::string list;
            std::size_t told = 0;
            for (const auto& [name, count] : each) {
                if (told++ == 8) {
                    list += ", …";
                    break;
                }
                list += (list.empty() ? "" : ", ") + harmless(name, 40);
            }
            return fail(ErrorKind::InvalidArgument,
                        phrase("This table holds the cycles of {} batteries.", each.size()),
                        table.where, phrase("--cell with one of {}.", list));
        }
        if (!cell.empty()) {
            PlainTable one = table;
            one.rows.clear();
            one.lines.clear();
            for (std::size_t row = 0; row < table.rows.size(); ++row)
                if (table.rows[row][static_cast<std::size_t>(names)] == cell) {
                    one.rows.push_back(table.rows[row]);
                    one.lines.push_back(table.lines[row]);
                }
            table = std::move(one);
        }
    }

    int capacity = columns.of(CycleRole::Capacity);
    if (capacity < 0) capacity = columns.of(CycleRole::Charge);
    if (capacity < 0) capacity = columns.of(CycleRole::Energy);
    if (capacity < 0) capacity = columns.of(CycleRole::Resistance);
    if (capacity < 0) {
        std::string titles;
        for (const std::string& t : table.titles)
            titles += (titles.empty() ? "" : ", ") + harmless(t, 30);
        return fail(ErrorKind::ColumnsUnknown,
                    phrase("The table has no column with the capacity of each cycle."), table.where,
                    phrase("a title such as cycle, capacity_Ah (or capacity_mAh, %), resistance, "
                           "temperature, date; found were: {}",
                           titles));
    }
    std::size_t bad = 0;
    std::string firstBad;
    const auto column = [&](CycleRole role) -> std::vector<double> {
        const int k = columns.of(role);
        return k < 0 ? std::vector<double>() : numbers(table, k, bad, firstBad);
    };
    out.lines = table.lines;
    out.capacity_Ah = numbers(table, capacity, bad, firstBad);
    std::size_t negative = 0;
    std::size_t finite = 0;
    for (const double x : out.capacity_Ah) {
        negative += x < 0 ? 1 : 0;
        finite += std::isfinite(x) ? 1 : 0;
    }
    if (finite == 0)
        return tl::unexpected<Error>(table.at(0, capacity,
                                              phrase("This column holds no number at all."),
                                              phrase("the capacity of each cycle.")));
    if (10 * negative > 9 * finite)
        for (double& x : out.capacity_Ah) x = std::abs(x);
    const bool onlyResistance = capacity == columns.of(CycleRole::Resistance);
    if (onlyResistance)
        out.capacity_Ah.assign(table.rows.size(), kNaN);
    else if (auto ok = settleUnit(out, columns.seen[static_cast<std::size_t>(capacity)], rated_Ah,
                                  table, capacity);
             !ok)
        return tl::unexpected<Error>(ok.error());
    out.resistance_ohm = column(CycleRole::Resistance);
    if (const int k = columns.of(CycleRole::Resistance); k >= 0) {
        const CycleColumn& seen = columns.seen[static_cast<std::size_t>(k)];
        double factor = seen.factor;
        if (!seen.said && medianOf(out.resistance_ohm) > 1) {
            factor = 1e-3;
            out.notes.push_back(phrase("The resistances are taken as mΩ."));
        }
        for (double& x : out.resistance_ohm) x *= factor;
    }
    out.temperature_C = column(CycleRole::Temperature);
    out.rate = column(CycleRole::Rate);
    for (double& x : out.rate) x = std::abs(x);
    out.throughput_Ah = column(CycleRole::Throughput);
    if (const int k = columns.of(CycleRole::Throughput); k >= 0)
        for (double& x : out.throughput_Ah) x *= columns.seen[static_cast<std::size_t>(k)].factor;
    if (const int k = columns.of(CycleRole::Day); k >= 0)
        for (const auto& row : table.rows)
            out.day.push_back(dayIn(row[static_cast<std::size_t>(k)], table.decimal,
                                    columns.seen[static_cast<std::size_t>(k)].factor, out.dated));
    std::vector<double> number = column(CycleRole::Cycle);
    if (bad > 0)
        out.notes.push_back(
            bad == 1 ? phrase("One cell holds no number and was passed over. {}", firstBad)
                     : phrase("{} cells hold no number and were passed over. {}", bad, firstBad));
    if (number.empty()) {
        for (std::size_t k = 0; k < table.rows.size(); ++k)
            number.push_back(static_cast<double>(k + 1));
        out.notes.push_back(phrase("No column counts the cycles: the rows are counted."));
    }
    auto order = inOrder(out, number, table.where, out.notes);
    if (!order) return tl::unexpected<Error>(order.error());
    const auto arrange = [&](auto& values) {
        if (values.empty()) return;
        auto before = values;
        values.clear();
        for (const std::size_t row : order->rows) values.push_back(before[row]);
    };
    out.cycle = order->cycle;
    arrange(out.cycle);
    arrange(out.capacity_Ah);
    arrange(out.resistance_ohm);
    arrange(out.temperature_C);
    arrange(out.rate);
    arrange(out.day);
    arrange(out.throughput_Ah);
    arrange(out.lines);
    if (onlyResistance) out.capacity_Ah.clear();
    for (std::size_t k = 1; k < out.day.size(); ++k)
        if (out.day[k] - out.day[k - 1] > 60) {
            out.notes.push_back(
                phrase("Between cycles {:.0f} and {:.0f} lie {:.0f} days: what time "
                       "alone took then counts as wear of the cycles here.",
                       out.cycle[k - 1], out.cycle[k], out.day[k] - out.day[k - 1]));
            break;
        }
    return out;
}

}  // namespace nk
