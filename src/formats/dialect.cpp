#include "dialect.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "bytes.h"
#include "hypothesis.h"
#include "quantity/harmless.h"
#include "quantity/number.h"
#include "quantity/phrase.h"
#include "text_source.h"

namespace nk {

namespace {

/// How much better the best way has to fit than another that means something else: a
/// log-likelihood.
constexpr double kClearly = 0.75;

std::string joinTitles(const std::vector<Column>& columns) {
    constexpr std::size_t kNamed = 10;
    std::string out;
    for (std::size_t k = 0; k < std::min(kNamed, columns.size()); ++k)
        out += (k > 0 ? ", '" : "'") + harmless(columns[k].title, 40) + "'";
    if (columns.size() > kNamed) out += phrase(" and {} more", columns.size() - kNamed);
    return out;
}

/// The columns that "3", "3-8", "3+5" or a title name; empty when there are none.
std::vector<std::size_t> columnsNamed(const std::vector<Column>& columns,
                                      const std::string& wanted) {
    std::vector<std::size_t> out;
    for (std::size_t k = 0; k < columns.size(); ++k)
        if (lowered(columns[k].title) == lowered(trimmed(wanted))) return {k};
    const auto number = [&](std::string_view text) -> std::size_t {
        const auto n = parseNumber(trimCell(text), '.');
        return n && *n >= 1 && *n <= static_cast<double>(columns.size()) && *n == std::floor(*n)
                   ? static_cast<std::size_t>(*n)
                   : 0;
    };
    std::string_view rest = wanted;
    while (true) {
        const std::size_t plus = rest.find('+');
        const std::string_view part = rest.substr(0, plus);
        const std::size_t dash = part.find('-');
        const std::size_t from = number(part.substr(0, dash));
        const std::size_t to =
            dash == std::string_view::npos ? from : number(part.substr(dash + 1));
        if (from == 0 || to < from) return {};
        for (std::size_t k = from; k <= to; ++k) out.push_back(k - 1);
        if (plus == std::string_view::npos) return out;
        rest = rest.substr(plus + 1);
    }
}

Expected<void> applyMap(std::vector<Column>& columns, const ReadOptions& options,
                        const std::string& name) {
    for (const auto& [role, wanted] : options.map) {
        const auto found = columnsNamed(columns, wanted);
        if (found.empty() || (found.size() > 1 && role != Role::Cell))
            return fail(
                ErrorKind::InvalidArgument,
                phrase("The log has no column '{}' for {}.", harmless(wanted, 40), toString(role)),
                name, joinTitles(columns) + phrase(", or a column number from 1."));
        for (Column& c : columns)
            if (c.role == role) c.role = Role::Ignore;
        for (const std::size_t k : found) {
            columns[k].role = role;
            columns[k].score = 10;
            columns[k].direction = role == Role::ChargeCurrent      ? 1
                                   : role == Role::DischargeCurrent ? -1
                                                                    : 0;
        }
    }
    // A current that was named takes the place of what else might be one.
    const auto mapped = [&](Role role) { return options.map.contains(role); };
    for (Column& c : columns) {
        if (mapped(Role::Current) &&
            (c.role == Role::ChargeCurrent || c.role == Role::DischargeCurrent))
            c.role = Role::Ignore;
        if (!mapped(Role::Current) &&
            (mapped(Role::ChargeCurrent) || mapped(Role::DischargeCurrent) ||
             mapped(Role::Power)) &&
            c.role == Role::Current)
            c.role = Role::Ignore;
        if (mapped(Role::Power) && !mapped(Role::ChargeCurrent) &&
            (c.role == Role::ChargeCurrent || c.role == Role::DischargeCurrent))
            c.role = Role::Ignore;
        if (mapped(Role::Cell) && !mapped(Role::Voltage) && c.role == Role::Voltage && c.score < 10)
            c.role = Role::Voltage;
    }
    return {};
}

Expected<void> applyUnits(std::vector<Column>& columns, const ReadOptions& options,
                          const std::string& name) {
    const auto set = [&](Column& c, const std::string& text) -> Expected<void> {
        c.unit = parseUnit(text);
        if (c.unit) return {};
        return fail(ErrorKind::InvalidArgument,
                    phrase("'{}' is no unit for '{}'.", harmless(text, 40), c.title), name,
                    phrase("a unit such as V, mV, A, mA, °C, °F, s, ms, Ah or Wh."));
    };
    for (Column& c : columns) {
        if (const auto it = options.units.find(c.title); it != options.units.end())
            if (auto ok = set(c, it->second); !ok) return ok;
        if (const auto it = options.roleUnits.find(c.role); it != options.roleUnits.end())
            if (auto ok = set(c, it->second); !ok) return ok;
    }
    return {};
}

/// Columns by their names alone.
std::vector<Column> namedColumns(const SampledTable& table) {
    std::vector<Column> columns;
    for (std::size_t k = 0; k < table.columns; ++k) {
        Column column = k < table.titles.size() ? readHeaderCell(table.titles[k]) : Column{};
        if (k < table.units.size()) {
            std::string unit = table.units[k];
            if (unit.size() > 2 && (unit.front() == '[' || unit.front() == '('))
                unit = unit.substr(1, unit.size() - 2);
            if (!unit.empty() && parseUnit(unit)) {
                Column whole = readHeaderCell(column.title + " [" + unit + "]");
                whole.title = column.title;
                whole.number = column.number;
                column = whole;
            }
        }
        if (column.title.empty()) column.title = fmt::format("column {}", k + 1);
        columns.push_back(std::move(column));
    }
    return columns;
}

struct Judged {
    Hypothesis hypothesis;
    double score = 0;
    Meaning meaning;
};

/// How two ways differ, in words and as the options that choose the one or the other.
struct Difference {
    std::string words, option;
    ReadOptions options;
};

std::string unitWord(const Column& c) {
    if (!c.unit) return {};
    for (const char* unit :
         {"V", "mV", "A", "mA", "W", "mW", "°C", "°F", "K", "Ah", "mAh", "Wh", "mWh"})
        if (const auto u = parseUnit(unit); u->quantity == c.unit->quantity &&
                                            u->factor == c.unit->factor &&
                                            u->offset == c.unit->offset)
            return unit;
    return {};
}

Difference differenceOf(const Hypothesis& a, const Hypothesis& b, const ReadOptions& options) {
    Difference out;
    out.options = options;
    const auto add = [&](const std::string& words, const std::string& option) {
        out.words += (out.words.empty() ? "" : ", ") + words;
        out.option += (out.option.empty() ? "" : " ") + option;
    };
    if (a.decimal != b.decimal) {
        add(phrase("'{}' as decimal sign", std::string(1, a.decimal)),
            fmt::format("--decimal '{}'", a.decimal));
        out.options.decimal = a.decimal;
    }
    std::string map;
    for (std::size_t k = 0; k < a.columns.size(); ++k) {
        const Column& c = a.columns[k];
        const Column& other = b.columns[k];
        if (c.role != other.role && c.role != Role::Ignore) {
            add(phrase("'{}' as {}", harmless(c.title, 40), toString(c.role)), "");
            map += fmt::format("{}{}={}", map.empty() ? "" : ",", toString(c.role), k + 1);
            out.options.map[c.role] = std::to_string(k + 1);
        } else if (c.role == other.role && c.role != Role::Ignore && c.unit && other.unit &&
                   (c.unit->factor != other.unit->factor || c.unit->offset != other.unit->offset)) {
            const std::string unit = unitWord(c);
            if (!out.options.roleUnits.contains(c.role))
                add(phrase("{} in {}", toString(c.role), unit),
                    fmt::format("--unit {}={}", toString(c.role), unit));
            out.options.roleUnits[c.role] = unit;
        }
    }
    if (!map.empty()) out.option += (out.option.empty() ? "--map " : " --map ") + map;
    if (a.time.shape == TimeShape::Number && a.timeFactor != b.timeFactor) {
        const char* unit = a.timeFactor == 1      ? "s"
                           : a.timeFactor == 1e-3 ? "ms"
                           : a.timeFactor == 60   ? "min"
                           : a.timeFactor == 3600 ? "h"
                                                  : "d";
        add(phrase("time in {}", unit), fmt::format("--unit time={}", unit));
        out.options.roleUnits[Role::Time] = unit;
    }
    if (a.time.order != b.time.order) {
        const bool dayFirst = a.time.order == DateOrder::DayMonthYear;
        add(dayFirst ? phrase("the day before the month") : phrase("the month before the day"),
            dayFirst ? "--date-order dmy" : "--date-order mdy");
        out.options.dateOrder = a.time.order;
    }
    if (a.time.twoPartIsHours != b.time.twoPartIsHours) {
        const char* unit = a.time.twoPartIsHours ? "h:mm" : "mm:ss";
        add(phrase("the clock as {}", unit), fmt::format("--unit time={}", unit));
        out.options.roleUnits[Role::Time] = unit;
    }
    return out;
}

struct Decision {
    Dialect dialect;
    std::vector<Difference> tie;  ///< the two ways, when neither is clearly better
};

Dialect dialectOf(const SampledTable& table, const Hypothesis& h) {
    Dialect d;
    d.delimiter = table.shape.delimiter;
    d.decimal = h.decimal;
    d.headerLine = table.headerLine;
    d.firstDataLine = table.firstDataLine;
    d.columns = h.columns;
    d.evenSpaces = table.evenSpaces;
    d.time = h.time;
    d.timeFactor = h.timeFactor;
    d.guesses = h.said;
    return d;
}

Expected<Decision> decide(std::string_view text, const std::string& name,
                          const ReadOptions& options) {
    const char* accepted =
        "a table with at least a voltage and a current column, separated by comma, semicolon, tab "
        "or spaces.";
    const auto table = sampleTable(text, options);
    if (!table) {
        const std::string_view head = text.substr(0, 65536);
        const bool anyDigit =
            std::ranges::any_of(head, [](char c) { return c >= '0' && c <= '9'; });
        return fail(ErrorKind::NotATable,
                    anyDigit ? phrase("No table with two or more columns of numbers was found.")
                             : phrase("There are no numbers in the first lines of the file."),
                    name, accepted);
    }
    std::vector<Column> named = namedColumns(*table);
    settleRoles(named);
    for (const std::string& number : options.ignored)
        if (const auto k = parseNumber(number, '.');
            k && *k >= 1 && *k <= static_cast<double>(named.size()))
            named[static_cast<std::size_t>(*k) - 1].role = Role::Ignore;
    if (auto mapped = applyMap(named, options, name); !mapped)
        return tl::unexpected<Error>(mapped.error());
    const std::string clockForm =
        options.roleUnits.contains(Role::Time) ? options.roleUnits.at(Role::Time) : "";
    const bool clockNamed = clockForm == "h:mm" || clockForm == "mm:ss";
    ReadOptions given = options;
    if (clockNamed) given.roleUnits.erase(Role::Time);
    if (auto units = applyUnits(named, given, name); !units)
        return tl::unexpected<Error>(units.error());
    const auto facts = factsOf(*table);
    std::string missing;
    std::vector<Hypothesis> list = candidates(*table, facts, named, options, missing);
    if (clockNamed)
        std::erase_if(list, [&](const Hypothesis& h) {
            return h.time.shape == TimeShape::Clock &&
                   h.time.twoPartIsHours != (clockForm == "h:mm") && list.size() > 1;
        });
    // Units of a part that was found only now.
    for (Hypothesis& h : list)
        if (auto units = applyUnits(h.columns, given, name); !units)
            return tl::unexpected<Error>(units.error());
    if (!missing.empty() && !options.lenient) {
        const std::string where =
            table->headerLine > 0 ? fmt::format("{}:{}", name, table->headerLine) : name;
        if (missing == "time") {
            for (std::size_t k = 0; k < named.size(); ++k)
                if (named[k].role == Role::Ignore && named[k].score > 4 && !table->rows.empty() &&
                    readHeaderCell(named[k].title).role == Role::Time)
                    return fail(ErrorKind::ColumnsUnknown,
                                phrase("The time column '{}' cannot be read: '{}'.", named[k].title,
                                       harmless(table->rows.front()[k], 40)),
                                where,
                                phrase("seconds, milliseconds, h:mm:ss, ISO 8601, or date and "
                                       "time; or give an "
                                       "interval."));
            return fail(
                ErrorKind::ColumnsUnknown,
                phrase("The log has no time column. The columns are {}.", joinTitles(named)), where,
                phrase("a column named time, --map time=COLUMN, or the interval between rows "
                       "(--interval-s, in "
                       "the preview)."));
        }
        return fail(
            ErrorKind::ColumnsUnknown,
            phrase("No {} column was recognised. The columns are {}.", missing, joinTitles(named)),
            where,
            missing == "current" ? phrase("a header that names voltage and current, --map "
                                          "voltage=COLUMN,current=COLUMN, or a "
                                          "known load (--load 20W, 5A or 8ohm).")
                                 : phrase("a header that names voltage and current, or --map "
                                          "voltage=COLUMN,current=COLUMN."));
    }
    if (list.empty()) {
        Hypothesis h;
        h.columns = named;
        list.push_back(std::move(h));
    }
    Decision out;
    if (list.size() == 1) {
        out.dialect = dialectOf(*table, list.front());
        return out;
    }
    std::vector<Judged> judgedList;
    for (Hypothesis& h : list) {
        const Probe probe = probeOf(*table, facts, h, options);
        Judged j;
        j.score = judged(h, probe, options.battery);
        j.meaning = meaningOf(probe);
        j.hypothesis = std::move(h);
        judgedList.push_back(std::move(j));
    }
    const auto best = std::ranges::max_element(judgedList, {}, &Judged::score);
    const Judged* rival = nullptr;
    for (const Judged& j : judgedList)
        if (!sameMeaning(j.meaning, best->meaning) && (rival == nullptr || j.score > rival->score))
            rival = &j;
    if (rival != nullptr && best->score - rival->score < kClearly)
        out.tie = {differenceOf(best->hypothesis, rival->hypothesis, options),
                   differenceOf(rival->hypothesis, best->hypothesis, options)};
    out.dialect = dialectOf(*table, best->hypothesis);
    // An order of day and month that makes no difference here is said.
    const auto& times = best->hypothesis.time;
    const bool otherOrder = std::ranges::any_of(judgedList, [&](const Judged& j) {
        return j.hypothesis.time.order != times.order && sameMeaning(j.meaning, best->meaning);
    });
    if (otherOrder && times.order != DateOrder::YearMonthDay)
        out.dialect.guesses.push_back(times.order == DateOrder::DayMonthYear
                                          ? phrase("the dates fit with the day or the month first: "
                                                   "the day is taken to come first")
                                          : phrase("the dates fit with the day or the month first: "
                                                   "the month is taken to come first"));
    return out;
}

}  // namespace

const Column* Dialect::column(Role role) const {
    for (const Column& c : columns)
        if (c.role == role) return &c;
    return nullptr;
}

Expected<Dialect> guessDialect(std::string_view text, const std::string& name,
                               const ReadOptions& options) {
    auto decision = decide(text, name, options);
    if (!decision) return tl::unexpected<Error>(decision.error());
    if (!decision->tie.empty() && !options.lenient)
        return fail(ErrorKind::ColumnsUnknown,
                    phrase("This log can be read in two ways that fit equally well: {}; or {}.",
                           decision->tie[0].words, decision->tie[1].words),
                    name,
                    fmt::format("{} {} {}", decision->tie[0].option, phrase("or"),
                                decision->tie[1].option));
    return std::move(decision->dialect);
}

std::vector<ReadingChoice> readingChoices(std::string_view text, const ReadOptions& options) {
    const auto decision = decide(text, "", options);
    std::vector<ReadingChoice> out;
    if (decision)
        for (const Difference& d : decision->tie) out.push_back({d.words, d.options});
    return out;
}

std::string sampleOf(const TextSource& source, std::string_view head) {
    constexpr std::size_t kWhole = std::size_t{512} << 10;
    constexpr std::size_t kBeginning = std::size_t{192} << 10;
    constexpr std::size_t kPieces = 16;
    constexpr std::size_t kPiece = std::size_t{16} << 10;
    if (source.size() <= kWhole) return std::string(head);
    std::string out(head.substr(0, kBeginning));
    // A header may be longer than the beginning.
    if (out.rfind('\n') != std::string::npos)
        out.resize(out.rfind('\n') + 1);
    else
        return std::string(head);
    std::string buffer;
    for (std::size_t k = 0; k < kPieces; ++k) {
        const std::size_t from =
            kBeginning + k * (source.size() - kBeginning - kPiece) / (kPieces - 1);
        std::string_view piece = source.bytes(from, std::min(source.size(), from + kPiece), buffer);
        const std::size_t begin = piece.find('\n');
        const std::size_t end = piece.rfind('\n');
        if (begin == std::string_view::npos || end <= begin) continue;
        piece = piece.substr(begin + 1, end - begin);
        if (plainUtf8(piece)) out += piece;
    }
    return out;
}

}  // namespace nk
