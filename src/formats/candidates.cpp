// The ways to read a table that are worth judging.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "candidate_settings.h"
#include "quantity/number.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr std::size_t kMostCandidates = 3000;
constexpr std::size_t kMostFree = 9;  ///< columns without a name that are tried in every part

const Column* find(const std::vector<Column>& columns, Role role) {
    for (const Column& c : columns)
        if (c.role == role) return &c;
    return nullptr;
}

/// Multiplies the hypotheses by the settings; the likelier ones first when there are too many.
void multiply(std::vector<Hypothesis>& list, const std::vector<Setting>& settings) {
    if (settings.empty()) return;
    std::vector<Hypothesis> out;
    for (const Hypothesis& h : list)
        for (const Setting& s : settings) {
            out.push_back(h);
            out.back().prior += s.prior;
            s.apply(out.back());
        }
    if (out.size() > kMostCandidates) {
        std::ranges::stable_sort(out, std::greater{}, &Hypothesis::prior);
        out.resize(kMostCandidates);
    }
    list = std::move(out);
}

Setting setUnit(Role role, const char* unit, double prior, bool say) {
    return {
        prior, [=](Hypothesis& h) {
            for (Column& c : h.columns)
                if (c.role == role && !c.unit) {
                    c.unit = parseUnit(unit);
                    if (say)
                        h.said.push_back(phrase("'{}' has no unit: taken as {}", c.title, unit));
                }
        }};
}

bool lacksUnit(const std::vector<Column>& columns, Role role) {
    return std::ranges::any_of(columns, [&](const Column& c) { return c.role == role && !c.unit; });
}

/// Voltage, current and temperature among columns whose names tell nothing.
void findParts(std::vector<Hypothesis>& list, const std::vector<ColumnFacts>& facts, bool voltage,
               bool current, bool temperature) {
    std::vector<Hypothesis> out;
    for (const Hypothesis& h : list) {
        std::vector<std::size_t> free;
        std::vector<bool> constant(h.columns.size() + 1);
        for (std::size_t k = 0; k < h.columns.size() && free.size() < kMostFree; ++k)
            if (h.columns[k].role == Role::Ignore && facts[k].numeric(h.decimal)) {
                const Scale s = scaleOf(facts[k].values(h.decimal));
                bool counts = false;
                if (rises(facts[k].values(h.decimal), counts) && counts) continue;
                free.push_back(k);
                constant[k] = s.most == s.least;
            }
        const std::size_t none = h.columns.size();
        std::vector<std::size_t> choices = free;
        const std::vector<std::size_t> skip = {none};
        for (const std::size_t v : voltage ? free : skip)
            for (const std::size_t c : current ? free : skip) {
                if (v == c && v != none) continue;
                std::vector<std::size_t> warm = skip;
                if (temperature)
                    for (const std::size_t k : free)
                        if (k != v && k != c && !constant[k]) warm.push_back(k);
                for (const std::size_t t : warm) {
                    Hypothesis next = h;
                    const auto part = [&](std::size_t k, Role role) {
                        if (k == none) return;
                        next.columns[k].role = role;
                        next.said.push_back(
                            phrase("no name tells '{}': taken as {} from its values",
                                   next.columns[k].title, toString(role)));
                    };
                    part(v, Role::Voltage);
                    part(c, Role::Current);
                    part(t, Role::Temperature);
                    next.prior -= (constant[v] ? 1.5 : 0) + (constant[c] ? 1.5 : 0);
                    if (v != none && c != none && v < c) next.prior += 0.3;
                    if (t != none)
                        next.prior +=
                            t > std::max(v == none ? 0 : v, c == none ? 0 : c) ? 1.3 : 1.1;
                    out.push_back(std::move(next));
                }
            }
    }
    list = std::move(out);
}

}  // namespace

std::vector<Hypothesis> candidates(const SampledTable& table, const std::vector<ColumnFacts>& facts,
                                   const std::vector<Column>& named, const ReadOptions& options,
                                   std::string& missing) {
    std::vector<Hypothesis> list;
    for (const char decimal : decimalSigns(facts, options)) {
        Hypothesis h;
        h.decimal = decimal;
        h.columns = named;
        // Cells split at commas that hold none themselves have no decimal commas either.
        const bool commas = std::ranges::any_of(table.rows, [](const auto& row) {
            return std::ranges::any_of(row, [](std::string_view cell) {
                return cell.find(',') != std::string_view::npos;
            });
        });
        h.prior = decimal == '.' ? 0 : table.shape.delimiter == ',' && !commas ? -2.5 : -0.1;
        // Words of a header can mislead: a column of text is no voltage.
        for (std::size_t k = 0; k < h.columns.size(); ++k) {
            Role& role = h.columns[k].role;
            if (facts[k].filled == 0 && role != Role::Temperature && role != Role::Cell) continue;
            // A name tells more than a few odd cells.
            const bool number = facts[k].bad(decimal) * 2 <= facts[k].filled;
            const bool time = !facts[k].times.empty();
            if (facts[k].filled > 0 && !number && !time && role != Role::Mode) role = Role::Ignore;
            if (time && role != Role::Time && role != Role::Date) role = Role::Ignore;
            if (role == Role::Mode && (number || !facts[k].modeWords)) role = Role::Ignore;
            if (role == Role::Date && !time) role = Role::Ignore;
        }
        if (options.map.empty()) splitCurrents(h, facts);
        list.push_back(std::move(h));
    }
    // A date and a clock in two columns; a lone one with both is the time.
    for (Hypothesis& h : list) {
        const std::size_t date = indexOf(h.columns, Role::Date);
        const std::size_t time = indexOf(h.columns, Role::Time);
        if (date < h.columns.size()) {
            const bool clock = time < h.columns.size() && !facts[time].times.empty() &&
                               facts[time].times.front().shape == TimeShape::Clock;
            const bool onlyDays = std::ranges::none_of(table.rows, [&](const auto& row) {
                return row[date].find(':') != std::string_view::npos;
            });
            if (time == h.columns.size()) {
                // A clock beside it that no word names.
                std::size_t other = h.columns.size();
                for (std::size_t k = 0; k < h.columns.size(); ++k)
                    if (h.columns[k].role == Role::Ignore && !facts[k].times.empty() &&
                        facts[k].times.front().shape == TimeShape::Clock)
                        other = k;
                if (other < h.columns.size() && onlyDays)
                    h.columns[other].role = Role::Time;
                else
                    h.columns[date].role = Role::Time;
            } else if (!clock || !onlyDays) {
                // Seconds since the start say more than a date without a clock; a date with its
                // clock more than a count.
                if (!onlyDays && !clock && facts[time].times.empty() == false)
                    h.columns[time].role = Role::Ignore, h.columns[date].role = Role::Time;
                else
                    h.columns[date].role = Role::Ignore;
            }
        } else if (time < h.columns.size() && !facts[time].times.empty() &&
                   facts[time].times.front().shape == TimeShape::Clock) {
            // A column of dates that no word names, beside a clock.
            for (std::size_t k = 0; k < h.columns.size(); ++k)
                if (h.columns[k].role == Role::Ignore && !facts[k].times.empty() &&
                    facts[k].times.front().shape == TimeShape::DateTime) {
                    h.columns[k].role = Role::Date;
                    break;
                }
        }
    }
    if (options.interval_s > 0)
        for (Hypothesis& h : list)
            for (Column& c : h.columns)
                if (c.role == Role::Time || c.role == Role::Date) c.role = Role::Ignore;

    const Hypothesis& any = list.front();
    const bool nameless = table.headerLine == 0;
    if (options.interval_s <= 0 && find(any.columns, Role::Time) == nullptr) {
        std::vector<Hypothesis> out;
        for (const Hypothesis& h : list) {
            std::vector<Hypothesis> one = {h};
            const auto settings = findTime(h, facts);
            if (settings.empty()) continue;
            multiply(one, settings);
            out.insert(out.end(), one.begin(), one.end());
        }
        if (out.empty())
            missing = "time";
        else
            list = std::move(out);
    }
    const auto has = [&](std::initializer_list<Role> roles) {
        return std::ranges::any_of(
            roles, [&](Role r) { return find(list.front().columns, r) != nullptr; });
    };
    const bool voltage = !has({Role::Voltage, Role::Cell});
    const bool current = !has({Role::Current, Role::ChargeCurrent, Role::Power}) &&
                         options.load.kind == KnownLoad::None;
    if (voltage || current) {
        auto found = list;
        findParts(found, facts, voltage, current, nameless && !has({Role::Temperature}));
        std::erase_if(found, [&](const Hypothesis& h) {
            return (voltage && find(h.columns, Role::Voltage) == nullptr) ||
                   (current && find(h.columns, Role::Current) == nullptr);
        });
        const bool words = !nameless && has({Role::Voltage, Role::Cell, Role::Current, Role::Power,
                                             Role::ChargeCurrent});
        // One is named and the other is not: it is not there, but for a column that nobody could
        // name.
        const bool nothingElse = std::ranges::none_of(list, [&](const Hypothesis& h) {
            for (std::size_t k = 0; k < h.columns.size(); ++k)
                if (h.columns[k].role == Role::Ignore && facts[k].numeric(h.decimal)) return true;
            return false;
        });
        if (voltage && !current && words && nothingElse)
            missing.clear();  // a clamp meter's log: the current alone
        else if (found.empty() || words)
            missing = voltage && current ? "voltage" : voltage ? "voltage" : "current";
        else
            list = std::move(found);
    }

    std::vector<Hypothesis> timed;
    for (Hypothesis& h : list) {
        std::vector<Setting> settings;
        setTime(h, facts, settings, options);
        std::vector<Hypothesis> one = {h};
        multiply(one, settings);
        timed.insert(timed.end(), one.begin(), one.end());
    }
    list = std::move(timed);
    // Units that are not written.
    const auto pair = [&](Role role, const char* one, const char* thousandth) {
        if (std::ranges::none_of(list,
                                 [&](const Hypothesis& h) { return lacksUnit(h.columns, role); }))
            return;
        const bool whole = std::ranges::all_of(list, [&](const Hypothesis& h) {
            for (std::size_t k = 0; k < h.columns.size(); ++k)
                if (h.columns[k].role == role && !h.columns[k].unit &&
                    !scaleOf(facts[k].values(h.decimal)).whole)
                    return false;
            return true;
        });
        multiply(list, {setUnit(role, one, 0, false),
                        setUnit(role, thousandth, whole ? -0.4 : -2.5, true)});
    };
    for (Hypothesis& h : list)
        for (Column& c : h.columns)
            if (c.role == Role::Cell && !c.unit)
                if (const Column* pack = find(h.columns, Role::Voltage);
                    pack != nullptr && pack->unit)
                    c.unit = pack->unit;
    pair(Role::Voltage, "V", "mV");
    // Cells go with the pack.
    for (Hypothesis& h : list)
        for (Column& c : h.columns)
            if (c.role == Role::Cell && !c.unit)
                if (const Column* pack = find(h.columns, Role::Voltage)) c.unit = pack->unit;
    pair(Role::Cell, "V", "mV");
    pair(Role::Current, "A", "mA");
    pair(Role::ChargeCurrent, "A", "mA");
    for (Hypothesis& h : list)
        if (const Column* in = find(h.columns, Role::ChargeCurrent))
            for (Column& c : h.columns)
                if (c.role == Role::DischargeCurrent && !c.unit) c.unit = in->unit;
    pair(Role::Power, "W", "mW");
    pair(Role::CounterAh, "Ah", "mAh");
    pair(Role::CounterWh, "Wh", "mWh");
    if (std::ranges::any_of(
            list, [&](const Hypothesis& h) { return lacksUnit(h.columns, Role::Temperature); }))
        multiply(list, {setUnit(Role::Temperature, "°C", 0, false),
                        setUnit(Role::Temperature, "°F", -0.8, true),
                        setUnit(Role::Temperature, "K", -0.8, true)});
    return list;
}

namespace {

/// The time falls throughout: the newest row stands first.
bool newestFirst(const Probe& p) {
    std::size_t falls = 0;
    std::size_t rises = 0;
    for (std::size_t k = 1; k < p.time_s.size(); ++k) {
        const double step = p.time_s[k] - p.time_s[k - 1];
        if (!p.follows[k] || !std::isfinite(step)) continue;
        falls += step < 0 ? 1 : 0;
        rises += step > 0 ? 1 : 0;
    }
    constexpr std::size_t kFew = 20;
    return falls >= 2 && falls > kFew * rises;
}

void turnRound(Probe& p, bool clock) {
    for (auto* column : {&p.time_s, &p.voltage_V, &p.current_A, &p.power_W, &p.temperature_C,
                         &p.counter_Ah, &p.counter_Wh})
        std::ranges::reverse(*column);
    for (auto& cell : p.cells_V) std::ranges::reverse(cell);
    // A row follows the one that stood behind it.
    std::vector<bool> follows(p.follows.size(), false);
    for (std::size_t k = 1; k < follows.size(); ++k) follows[k] = p.follows[follows.size() - k];
    p.follows = std::move(follows);
    if (clock)
        for (std::size_t k = 1; k < p.time_s.size(); ++k)
            while (p.time_s[k] < p.time_s[k - 1] - 43200) p.time_s[k] += 86400;
}

}  // namespace

Probe probeOf(const SampledTable& table, const std::vector<ColumnFacts>& facts, const Hypothesis& h,
              const ReadOptions& options) {
    Probe out;
    const std::size_t n = table.rows.size();
    out.follows.assign(n, true);
    if (n > 0) out.follows[0] = false;
    for (const std::size_t k : table.breaks) out.follows[k] = false;
    const auto numbers = [&](std::size_t k) {
        std::vector<double> values = facts[k].values(h.decimal);
        if (const auto& unit = h.columns[k].unit)
            for (double& x : values) x = unit->toInside(x);
        return values;
    };
    std::vector<double> in, taken, date;
    std::vector<signed char> mode;
    for (std::size_t k = 0; k < h.columns.size(); ++k) switch (h.columns[k].role) {
            case Role::Time:
                if (h.time.shape == TimeShape::Number) {
                    out.time_s = facts[k].values(h.decimal);
                    for (double& x : out.time_s) x *= h.timeFactor;
                } else {
                    for (const auto& row : table.rows) {
                        const auto t = h.time.shape == TimeShape::Clock
                                           ? parseClock(row[k], h.time)
                                           : parseDateTime(row[k], h.time);
                        out.time_s.push_back(t.value_or(kNaN));
                    }
                }
                break;
            case Role::Date:
                for (const auto& row : table.rows)
                    date.push_back(parseDateTime(row[k], h.time).value_or(kNaN));
                break;
            case Role::Voltage:
                out.voltage_V = numbers(k);
                break;
            case Role::Current:
                out.current_A = numbers(k);
                break;
            case Role::ChargeCurrent:
                in = numbers(k);
                break;
            case Role::DischargeCurrent:
                taken = numbers(k);
                break;
            case Role::Power:
                out.power_W = numbers(k);
                break;
            case Role::Temperature:
                if (out.temperature_C.empty()) out.temperature_C = numbers(k);
                break;
            case Role::Cell:
                out.cells_V.push_back(numbers(k));
                break;
            case Role::CounterAh:
                out.counter_Ah = numbers(k);
                break;
            case Role::CounterWh:
                out.counter_Wh = numbers(k);
                break;
            case Role::Mode:
                for (const auto& row : table.rows)
                    mode.push_back(static_cast<signed char>(modeSign(row[k]).value_or(2)));
                break;
            default:
                break;
        }
    if (out.time_s.empty())
        for (std::size_t k = 0; k < n; ++k)
            out.time_s.push_back(static_cast<double>(k) * std::max(options.interval_s, 0.0));
    if (!date.empty())
        for (std::size_t k = 0; k < n; ++k) out.time_s[k] += date[k];
    else if (h.time.shape == TimeShape::Clock)  // past midnight
        for (std::size_t k = 1; k < n; ++k)
            while (out.time_s[k] < out.time_s[k - 1] - 43200) out.time_s[k] += 86400;
    const bool pack = !out.voltage_V.empty();
    if (!pack && !out.cells_V.empty()) {
        out.voltage_V.assign(n, 0);
        for (const auto& cell : out.cells_V)
            for (std::size_t k = 0; k < n; ++k) out.voltage_V[k] += cell[k];
    }
    if (out.current_A.empty() && !in.empty()) {
        out.current_A.assign(n, 0);
        for (std::size_t k = 0; k < n; ++k) {
            const double a = std::isfinite(in[k]) ? std::abs(in[k]) : 0;
            const double b = k < taken.size() && std::isfinite(taken[k]) ? std::abs(taken[k]) : 0;
            out.current_A[k] = a - b;
        }
    }
    const bool derived = out.current_A.empty();
    if (derived) {
        out.current_A.assign(n, kNaN);
        for (std::size_t k = 0; k < n && !out.power_W.empty(); ++k)
            if (pack || !out.voltage_V.empty())
                out.current_A[k] = out.voltage_V[k] != 0 ? out.power_W[k] / out.voltage_V[k] : 0;
        out.power_W.clear();
        if (options.load.kind != KnownLoad::None && !out.voltage_V.empty())
            for (std::size_t k = 0; k < n; ++k)
                out.current_A[k] = currentOf(options.load, out.voltage_V[k]);
    }
    if (!mode.empty()) {
        signed char last = 0;
        for (std::size_t k = 0; k < n; ++k) {
            if (mode[k] != 2) last = mode[k];
            if (last != 0) out.current_A[k] = std::abs(out.current_A[k]) * last;
        }
    }
    // A line without a time is none of the table's (a footer's totals, say).
    for (std::size_t k = 0; k < n; ++k)
        if (!std::isfinite(out.time_s[k]))
            for (auto* column : {&out.voltage_V, &out.current_A, &out.power_W, &out.temperature_C,
                                 &out.counter_Ah, &out.counter_Wh})
                if (!column->empty()) (*column)[k] = kNaN;
    if (newestFirst(out)) turnRound(out, h.time.shape == TimeShape::Clock && date.empty());
    out.unsignedCurrent = std::ranges::none_of(out.current_A, [](double x) { return x < 0; });
    return out;
}

Meaning meaningOf(const Probe& p) {
    Meaning m;
    m.cells = p.cells_V.size();
    m.warmest_C = kNaN;
    for (const double x : p.temperature_C)
        if (std::isfinite(x)) m.warmest_C = std::isnan(m.warmest_C) ? x : std::max(m.warmest_C, x);
    for (std::size_t k = 1; k < p.time_s.size(); ++k) {
        const double dt = p.time_s[k] - p.time_s[k - 1];
        const double i = 0.5 * (p.current_A[k] + p.current_A[k - 1]);
        if (!std::isfinite(dt) || !std::isfinite(i)) continue;
        m.lasts_s += dt;
        m.moved_Ah += std::abs(i) * dt / 3600;
        m.net_Ah += i * dt / 3600;
        const double v = p.voltage_V.empty() ? kNaN : 0.5 * (p.voltage_V[k] + p.voltage_V[k - 1]);
        if (std::isfinite(v)) m.energy_Wh += std::abs(i) * v * dt / 3600;
    }
    return m;
}

bool sameMeaning(const Meaning& a, const Meaning& b) {
    const auto close = [](double x, double y) {
        return std::abs(x - y) <= 0.01 * std::max(std::abs(x), std::abs(y)) + 1e-9;
    };
    const bool warm = (std::isnan(a.warmest_C) && std::isnan(b.warmest_C)) ||
                      std::abs(a.warmest_C - b.warmest_C) < 0.3;
    return close(a.moved_Ah, b.moved_Ah) && close(a.lasts_s, b.lasts_s) &&
           close(a.energy_Wh, b.energy_Wh) && warm && a.cells == b.cells &&
           std::abs(a.net_Ah - b.net_Ah) <= 0.01 * std::max(a.moved_Ah, b.moved_Ah) + 1e-9;
}

}  // namespace nk
