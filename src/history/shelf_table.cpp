#include "shelf_table.h"

#include <csv.h>
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <functional>
#include <map>
#include <memory>
#include <tuple>

#include "book/notes.h"
#include "kept_standing.h"
#include "quantity/harmless.h"
#include "quantity/iso_time.h"
#include "quantity/phrase.h"
#include "rules.h"
#include "verdict.h"

namespace nk {

namespace {

constexpr std::size_t kMostRows = 100'000;

std::string guardedText(const std::string& text) {
    constexpr std::string_view kFormula = "=+-@\t\r'";
    return !text.empty() && kFormula.find(text.front()) != std::string_view::npos ? "'" + text
                                                                                  : text;
}
std::string plainText(std::string text) {
    if (text.starts_with('\'')) text.erase(0, 1);
    return text;
}

std::string figure(double x) {
    return std::isfinite(x) && x != 0 ? fmt::format("{}", x) : std::string();
}

/// A row while it is made or read.
struct ShelfRow {
    std::int64_t id = 0;
    Battery battery;
    BatteryLife life;
    KeptStanding standing;  ///< only written
    std::string verdict;    ///< only written
};

/// How one column is written and read. `read` returns what would be accepted, empty: it was read.
struct ShelfColumn {
    const char* name;
    std::function<std::string(const ShelfRow&)> write;
    std::function<std::string(const std::string&, ShelfRow&)> read;
};

template <class Number>
bool readWhole(const std::string& cell, Number& into) {
    const auto [end, code] = std::from_chars(cell.data(), cell.data() + cell.size(), into);
    return code == std::errc() && end == cell.data() + cell.size();
}

bool readReal(const std::string& cell, double& into) {
    return readWhole(cell, into) && std::isfinite(into);
}

ShelfColumn textColumn(const char* name, std::string BatteryLife::*member) {
    return {name, [member](const ShelfRow& r) { return guardedText(r.life.*member); },
            [member](const std::string& cell, ShelfRow& r) {
                r.life.*member = plainText(cell);
                return std::string();
            }};
}

ShelfColumn timeColumn(const char* name, double BatteryLife::*member) {
    return {name, [member](const ShelfRow& r) { return isoTime(r.life.*member); },
            [member](const std::string& cell, ShelfRow& r) {
                r.life.*member = fromIsoTime(cell);
                return std::isfinite(r.life.*member)
                           ? std::string()
                           : phrase("a day such as 2026-05-01, or 2026-05-01T18:00:00Z");
            }};
}

ShelfColumn realColumn(const char* name, double Battery::*member) {
    return {name, [member](const ShelfRow& r) { return figure(r.battery.*member); },
            [member](const std::string& cell, ShelfRow& r) {
                return readReal(cell, r.battery.*member) && r.battery.*member >= 0
                           ? std::string()
                           : phrase("a number with a point, 0 or more");
            }};
}

ShelfColumn wholeColumn(const char* name, int Battery::*member) {
    return {name, [member](const ShelfRow& r) { return std::to_string(r.battery.*member); },
            [member](const std::string& cell, ShelfRow& r) {
                return readWhole(cell, r.battery.*member) && r.battery.*member >= 0
                           ? std::string()
                           : phrase("a whole number, 0 or more");
            }};
}

/// What the standing says: written, and passed over when it comes back.
ShelfColumn toldColumn(const char* name, std::function<std::string(const ShelfRow&)> write) {
    return {name, std::move(write), [](const std::string&, ShelfRow&) { return std::string(); }};
}

const std::vector<ShelfColumn>& columns() {
    static const std::vector<ShelfColumn> list = {
        {"id", [](const ShelfRow& r) { return std::to_string(r.id); },
         [](const std::string& cell, ShelfRow& r) {
             return readWhole(cell, r.id) && r.id > 0 ? std::string()
                                                      : phrase("a whole number over 0");
         }},
        {"name", [](const ShelfRow& r) { return guardedText(r.battery.name); },
         [](const std::string& cell, ShelfRow& r) {
             r.battery.name = plainText(cell);
             return std::string();
         }},
        {"chemistry", [](const ShelfRow& r) { return r.battery.chemistry; },
         [](const std::string& cell, ShelfRow& r) {
             r.battery.chemistry = cell;
             return std::string();
         }},
        wholeColumn("series", &Battery::series),
        wholeColumn("parallel", &Battery::parallel),
        realColumn("rated_Ah", &Battery::rated_Ah),
        realColumn("mass_kg", &Battery::mass_kg),
        {"part_of",
         [](const ShelfRow& r) {
             return r.life.partOf > 0 ? std::to_string(r.life.partOf) : std::string();
         },
         [](const std::string& cell, ShelfRow& r) {
             return readWhole(cell, r.life.partOf) && r.life.partOf > 0
                        ? std::string()
                        : phrase("the id of another row");
         }},
        {"position",
         [](const ShelfRow& r) {
             return r.life.position > 0 ? std::to_string(r.life.position) : std::string();
         },
         [](const std::string& cell, ShelfRow& r) {
             return readWhole(cell, r.life.position) ? std::string()
                                                     : phrase("a whole number from 1 on");
         }},
        textColumn("serial", &BatteryLife::serial),
        {"tags",
         [](const ShelfRow& r) {
             return guardedText(fmt::format("{}", fmt::join(r.life.tags, ",")));
         },
         [](const std::string& cell, ShelfRow& r) {
             r.life.tags.clear();
             const std::string text = plainText(cell);
             for (std::size_t at = 0; at <= text.size();) {
                 const std::size_t comma = std::min(text.find(',', at), text.size());
                 std::string tag = text.substr(at, comma - at);
                 tag.erase(0, std::min(tag.find_first_not_of(' '), tag.size()));
                 tag.erase(tag.find_last_not_of(' ') + 1);
                 if (!tag.empty() && std::ranges::find(r.life.tags, tag) == r.life.tags.end())
                     r.life.tags.push_back(std::move(tag));
                 at = comma + 1;
             }
             return std::string();
         }},
        textColumn("used_in", &BatteryLife::usedIn),
        timeColumn("in_use_since", &BatteryLife::inUseSince_s),
        timeColumn("bought", &BatteryLife::bought_s),
        {"worth", [](const ShelfRow& r) { return figure(r.life.worth); },
         [](const std::string& cell, ShelfRow& r) {
             return readReal(cell, r.life.worth) ? std::string() : phrase("a number with a point");
         }},
        textColumn("worth_unit", &BatteryLife::worthUnit),
        timeColumn("retired", &BatteryLife::retired_s),
        textColumn("out_of_use", &BatteryLife::outOfUse),
        textColumn("notes", &BatteryLife::notes),
        {"photo", [](const ShelfRow& r) { return r.life.photo; },
         [](const std::string& cell, ShelfRow& r) {
             r.life.photo = cell;
             return cell.size() == 64 &&
                            cell.find_first_not_of("0123456789abcdef") == std::string::npos
                        ? std::string()
                        : phrase("a SHA-256 in hexadecimal digits");
         }},
        {"bought_new",
         [](const ShelfRow& r) {
             return r.life.boughtNew < 0 ? std::string() : std::to_string(r.life.boughtNew);
         },
         [](const std::string& cell, ShelfRow& r) {
             if (cell != "0" && cell != "1") return phrase("1 (new), 0 (used) or nothing");
             r.life.boughtNew = cell == "1" ? 1 : 0;
             return std::string();
         }},
        toldColumn("capacity_Ah", [](const ShelfRow& r) { return figure(r.standing.capacity_Ah); }),
        toldColumn("capacity_at",
                   [](const ShelfRow& r) {
                       return std::isfinite(r.standing.capacityAt_s)
                                  ? isoTime(r.standing.capacityAt_s).substr(0, 10)
                                  : std::string();
                   }),
        toldColumn("capacity_low",
                   [](const ShelfRow& r) { return figure(r.standing.capacityLow_Ah); }),
        toldColumn("capacity_high",
                   [](const ShelfRow& r) { return figure(r.standing.capacityHigh_Ah); }),
        toldColumn("verdict", [](const ShelfRow& r) { return r.verdict; }),
        {"card", [](const ShelfRow& r) { return cardJson(r.battery); },
         [](const std::string& cell, ShelfRow& r) {
             r.battery.rules.clear();
             readCard(cell, r.battery);
             return std::string();
         }},
    };
    return list;
}

using Table = std::vector<std::vector<std::string>>;

/// The cells of CSV text; an error names the row.
Expected<Table> cellsOf(const std::string& text) {
    struct Reading {
        Table rows{{}};
        bool tooMany = false;
    } reading;
    csv_parser parser{};
    if (csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI | CSV_APPEND_NULL) != 0)
        return fail(ErrorKind::Storage, phrase("not enough memory"), "CSV");
    const std::unique_ptr<csv_parser, void (*)(csv_parser*)> owner(&parser, csv_free);
    const auto cell = [](void* bytes, std::size_t size, void* to) {
        static_cast<Reading*>(to)->rows.back().emplace_back(static_cast<char*>(bytes), size);
    };
    const auto line = [](int, void* to) {
        auto& r = *static_cast<Reading*>(to);
        if (r.rows.size() > kMostRows)
            r.tooMany = true;
        else
            r.rows.emplace_back();
    };
    std::string_view bytes = text;
    if (bytes.starts_with("\xEF\xBB\xBF")) bytes.remove_prefix(3);
    const std::size_t read = csv_parse(&parser, bytes.data(), bytes.size(), cell, line, &reading);
    if (read != bytes.size() || csv_fini(&parser, cell, line, &reading) != 0)
        return fail(ErrorKind::InvalidArgument,
                    phrase("This is no table of comma-separated values."),
                    phrase("row {}", reading.rows.size()),
                    phrase("cells in quotation marks that are closed (RFC 4180)."));
    if (reading.tooMany)
        return fail(ErrorKind::InvalidArgument, phrase("This table has too many rows."), "",
                    phrase("{} at most.", kMostRows));
    if (reading.rows.back().empty()) reading.rows.pop_back();
    return std::move(reading.rows);
}

std::string quoted(const std::string& cell) {
    if (cell.find_first_of(",\"\r\n") == std::string::npos) return cell;
    std::string out(2 * cell.size() + 2, '\0');
    out.resize(csv_write(out.data(), out.size(), cell.data(), cell.size()));
    return out;
}

bool sameKind(const Battery& a, const Battery& b) {
    return a.chemistry == b.chemistry && a.series == b.series && a.parallel == b.parallel;
}

/// Puts the rows of a table into the book, inside one change.
class Taking {
  public:
    Taking(BenchBook& book, const Table& table) : book_(book), table_(table) {}

    Expected<void> run() {
        if (auto ok = readHead(); !ok) return ok;
        auto batteries = book_.batteries();
        if (!batteries) return tl::unexpected<Error>(batteries.error());
        auto lives = book_.lives();
        if (!lives) return tl::unexpected<Error>(lives.error());
        have_ = std::move(*batteries);
        lives_ = std::move(*lives);
        for (std::size_t k = 1; k < table_.size(); ++k)
            if (auto ok = takeRow(k); !ok) return ok;
        return joinParts();
    }
    ShelfTaken taken;

  private:
    Expected<void> wrong(std::size_t row, const std::string& column, const std::string& cell,
                         const std::string& accepted) const {
        return fail(ErrorKind::InvalidArgument,
                    phrase("This cell cannot be read: {}", harmless(cell, 40)),
                    phrase("row {}, column {}", row + 1, column), accepted + ".");
    }

    Expected<void> readHead() {
        std::string known;
        for (const ShelfColumn& c : columns())
            known += (known.empty() ? "" : ", ") + std::string(c.name);
        bool named = false;
        if (!table_.empty())
            for (const std::string& title : table_.front()) {
                const auto at = std::ranges::find_if(
                    columns(), [&](const ShelfColumn& c) { return title == c.name; });
                if (at == columns().end())
                    return fail(ErrorKind::InvalidArgument,
                                phrase("This column is not known: {}", harmless(title, 40)),
                                phrase("row {}", 1), known);
                if (std::ranges::find(head_, &*at) != head_.end())
                    return fail(ErrorKind::InvalidArgument,
                                phrase("This column stands twice: {}", title), phrase("row {}", 1),
                                phrase("each column once."));
                named = named || title == "name";
                head_.push_back(&*at);
            }
        if (!named)
            return fail(ErrorKind::InvalidArgument,
                        phrase("The table has no column with the names of the batteries."),
                        phrase("row {}", 1), known);
        return {};
    }

    std::string cell(std::size_t row, const char* column) const {
        for (std::size_t k = 0; k < head_.size() && k < table_[row].size(); ++k)
            if (std::string_view(head_[k]->name) == column) return table_[row][k];
        return {};
    }

    Expected<void> fill(std::size_t row, ShelfRow& into) const {
        for (std::size_t k = 0; k < table_[row].size(); ++k) {
            const std::string& text = table_[row][k];
            if (k >= head_.size())
                return wrong(row, std::to_string(k + 1), text, phrase("no cell"));
            if (text.empty()) continue;
            if (const std::string accepted = head_[k]->read(text, into); !accepted.empty())
                return wrong(row, head_[k]->name, text, accepted);
        }
        return {};
    }

    Expected<void> takeRow(std::size_t row) {
        if (table_[row].size() == 1 && table_[row].front().empty()) return {};
        ShelfRow given;
        if (auto ok = fill(row, given); !ok) return ok;
        if (given.battery.name.empty()) return wrong(row, "name", "", phrase("the battery's name"));
        const auto at = std::ranges::find_if(have_, [&](const BatteryEntry& e) {
            return e.battery.name == given.battery.name && !met_.contains(e.id) &&
                   (cell(row, "chemistry").empty() || cell(row, "series").empty() ||
                    sameKind(e.battery, given.battery));
        });
        ShelfRow now;
        const bool known = at != have_.end();
        if (known) {
            now.battery = at->battery;
            if (const auto life = lives_.find(at->id); life != lives_.end())
                now.life = life->second;
        }
        const ShelfRow before = now;
        const std::int64_t whole = now.life.partOf;
        if (auto ok = fill(row, now); !ok) return ok;
        const std::int64_t named = cell(row, "part_of").empty() ? 0 : now.life.partOf;
        now.life.partOf = whole;
        std::int64_t id = 0;
        bool changed = false;
        if (!known) {
            const auto added = book_.addBattery(now.battery);
            if (!added) return inRow(row, added.error());
            id = *added;
            ++taken.added;
        } else {
            id = at->id;
            const auto text = [](const Battery& b) {
                return fmt::format("{}|{}|{}|{}|{}|{}|{}", b.name, b.chemistry, b.series,
                                   b.parallel, b.rated_Ah, b.mass_kg, cardJson(b));
            };
            if (text(before.battery) != text(now.battery)) {
                if (const auto ok = book_.updateBattery(id, at->revision, now.battery); !ok)
                    return inRow(row, ok.error());
                changed = true;
            }
        }
        met_[id] = true;
        if (given.id > 0) ids_[given.id] = id;
        if (named > 0) parts_.push_back({row, id, named});
        if (!(now.life == before.life)) {
            if (const auto ok = book_.setLife(id, now.life); !ok) return inRow(row, ok.error());
            changed = true;
        }
        lives_[id] = now.life;
        if (known) (changed ? taken.changed : taken.unchanged) += 1;
        return {};
    }

    /// When all rows have an id in the book.
    Expected<void> joinParts() {
        for (const auto& [row, id, named] : parts_) {
            const auto whole = ids_.find(named);
            if (whole == ids_.end())
                return wrong(row, "part_of", std::to_string(named),
                             phrase("the id of a row of this table"));
            BatteryLife life = lives_[id];
            if (life.partOf == whole->second) continue;
            life.partOf = whole->second;
            if (const auto ok = book_.setLife(id, life); !ok) return inRow(row, ok.error());
        }
        return {};
    }

    static Expected<void> inRow(std::size_t row, Error error) {
        error.where = phrase("row {}", row + 1) + (error.where.empty() ? "" : ", " + error.where);
        return tl::unexpected<Error>(std::move(error));
    }

    struct Part {
        std::size_t row;
        std::int64_t id, named;
    };
    BenchBook& book_;
    const Table& table_;
    std::vector<const ShelfColumn*> head_;
    std::vector<BatteryEntry> have_;
    std::map<std::int64_t, BatteryLife> lives_;
    std::map<std::int64_t, bool> met_;          ///< batteries that a row stands for
    std::map<std::int64_t, std::int64_t> ids_;  ///< of the table to the book's
    std::vector<Part> parts_;
};

}  // namespace

Expected<std::string> shelfTable(BenchBook& book) {
    const auto batteries = book.batteries();
    if (!batteries) return tl::unexpected<Error>(batteries.error());
    const auto lives = book.lives();
    if (!lives) return tl::unexpected<Error>(lives.error());
    const auto standings = keptStandings(book);
    if (!standings) return tl::unexpected<Error>(standings.error());
    const auto rules = verdictRules(book);
    if (!rules) return tl::unexpected<Error>(rules.error());
    const auto kindOf = [](const Battery& b) {
        return std::tuple(b.chemistry, b.series, b.parallel, b.rated_Ah);
    };
    std::map<std::tuple<std::string, int, int, double>, std::vector<double>> alike;
    for (const BatteryEntry& e : *batteries) {
        auto& group = alike[kindOf(e.battery)];
        const auto s = standings->find(e.id);
        if (s != standings->end() && std::isfinite(s->second.capacity_Ah))
            group.push_back(s->second.capacity_Ah);
    }
    std::string out;
    for (const ShelfColumn& c : columns()) out += (out.empty() ? "" : ",") + std::string(c.name);
    out += "\r\n";
    for (const BatteryEntry& e : *batteries) {
        ShelfRow row;
        row.id = e.id;
        row.battery = e.battery;
        if (const auto life = lives->find(e.id); life != lives->end()) row.life = life->second;
        if (const auto s = standings->find(e.id); s != standings->end()) row.standing = s->second;
        std::vector<double> siblings;
        if (e.battery.rated_Ah > 0) {
            siblings = alike.at(kindOf(e.battery));
            if (std::isfinite(row.standing.capacity_Ah))
                siblings.erase(std::ranges::find(siblings, row.standing.capacity_Ah));
        }
        row.verdict = verdictAmong(row.standing, std::move(siblings), *rules);
        bool first = true;
        for (const ShelfColumn& c : columns()) {
            out += (first ? "" : ",") + quoted(c.write(row));
            first = false;
        }
        out += "\r\n";
    }
    return out;
}

Expected<ShelfTaken> takeShelfTable(BenchBook& book, const std::string& csv) {
    const auto table = cellsOf(csv);
    if (!table) return tl::unexpected<Error>(table.error());
    Taking taking(book, *table);
    if (auto ok = book.change({"shelf"}, [&] { return taking.run(); }); !ok)
        return tl::unexpected<Error>(ok.error());
    return taking.taken;
}

}  // namespace nk
