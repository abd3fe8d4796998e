// Spreadsheets (xlsx, ods) through liborcus: the first sheet with a table, as tab-separated text.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ixion/model_context.hpp>
#include <orcus/orcus_ods.hpp>
#include <orcus/orcus_xlsx.hpp>
#include <orcus/spreadsheet/document.hpp>
#include <orcus/spreadsheet/factory.hpp>
#include <orcus/spreadsheet/sheet.hpp>
#include <stdexcept>

#include "importer.h"
#include "isolated.h"
#include "quantity/c_numbers.h"
#include "quantity/phrase.h"
#include "zip_members.h"

namespace nk {

namespace {

namespace ss = orcus::spreadsheet;

constexpr std::uint64_t kLargestContent = std::uint64_t{1} << 30;

/// Thrown when a sheet has far more places than cells.
struct TooFar {};

std::size_t countOf(std::string_view text, std::string_view what) {
    std::size_t n = 0;
    for (std::size_t at = text.find(what); at != std::string_view::npos;
         at = text.find(what, at + 1))
        ++n;
    return n;
}

/// Two spellings that some programs write and the library does not follow: absolute targets of the
/// workbook's relations, and strings written inside the cells instead of in the shared table. The
/// same workbook with the usual spelling.
class UsualSpelling {
  public:
    explicit UsualSpelling(std::string_view bytes) : zip_(bytes) {}

    std::string make() {
        const std::string rels = "xl/_rels/workbook.xml.rels";
        std::string relations = content(rels);
        std::string shared = content("xl/sharedStrings.xml");
        strings_ = countOf(shared, "<si>");
        std::vector<std::string> sheets;
        if (const auto members = zipMembers(zip_))
            for (const ZipMember& m : *members)
                if (m.name.rfind("xl/worksheets/sheet", 0) == 0) sheets.push_back(m.name);
        for (const std::string& sheet : sheets) moveStrings(sheet);
        if (!added_.empty()) {
            if (shared.empty()) {
                shared =
                    "<sst "
                    "xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"></sst>";
                insertBefore(
                    relations, "</Relationships>",
                    "<Relationship Id=\"rIdShared\" Type=\"http://schemas.openxmlformats.org/"
                    "officeDocument/2006/relationships/sharedStrings\" "
                    "Target=\"sharedStrings.xml\"/>");
                std::string types = content("[Content_Types].xml");
                insertBefore(
                    types, "</Types>",
                    "<Override PartName=\"/xl/sharedStrings.xml\" ContentType=\"application/"
                    "vnd.openxmlformats-officedocument.spreadsheetml.sharedStrings+xml\"/>");
                store("[Content_Types].xml", types);
            }
            insertBefore(shared, "</sst>", added_);
            store("xl/sharedStrings.xml", shared);
        }
        const std::string absolute = "Target=\"/xl/";
        for (std::size_t at = relations.find(absolute); at != std::string::npos;
             at = relations.find(absolute, at))
            relations.replace(at, absolute.size(), "Target=\"");
        if (relations != content(rels)) store(rels, relations);
        return zip_;
    }

  private:
    std::string content(const std::string& name) const {
        if (const auto members = zipMembers(zip_))
            for (const ZipMember& m : *members)
                if (m.name == name) return zipContent(m, kLargestContent).value_or("");
        return {};
    }
    void store(const std::string& name, const std::string& text) {
        if (const auto members = zipMembers(zip_)) zip_ = zipWith(*members, name, text);
    }
    static void insertBefore(std::string& text, std::string_view mark, std::string_view what) {
        const std::size_t at = text.rfind(mark);
        if (at != std::string::npos) text.insert(at, what);
    }
    /// <c t="inlineStr"><is><t>words</t></is></c> to <c t="s"><v>number</v></c>.
    void moveStrings(const std::string& sheet) {
        const std::string text = content(sheet);
        const std::string mark = "t=\"inlineStr\"";
        if (text.find(mark) == std::string::npos) return;
        std::string out;
        std::size_t at = 0;
        while (true) {
            const std::size_t cell = text.find(mark, at);
            const std::size_t open = cell == std::string::npos ? cell : text.find("<is>", cell);
            const std::size_t close = open == std::string::npos ? open : text.find("</is>", open);
            if (close == std::string::npos) break;
            out.append(text, at, cell - at);
            out += "t=\"s\"";
            out.append(text, cell + mark.size(), open - cell - mark.size());
            out += "<v>" + std::to_string(strings_++) + "</v>";
            added_ += "<si>" + text.substr(open + 4, close - open - 4) + "</si>";
            at = close + 5;
        }
        out.append(text, at);
        store(sheet, out);
    }

    std::string zip_;
    std::string added_;
    std::size_t strings_ = 0;
};

/// The value of an attribute in an element's opening tag; 1 when it is not there.
std::size_t repeatOf(std::string_view tag, std::string_view attribute) {
    const std::size_t at = tag.find(attribute);
    if (at == std::string_view::npos) return 1;
    const std::string_view digits = tag.substr(at + attribute.size());
    std::size_t n = 0;
    for (std::size_t k = 0;
         k < digits.size() && digits[k] >= '0' && digits[k] <= '9' && n < 10'000'000; ++k)
        n = n * 10 + static_cast<std::size_t>(digits[k] - '0');
    return std::max<std::size_t>(n, 1);
}

/// Elements of a sheet that stand for several, written out: cells of a row, or rows. Empty ones
/// stay as they are. Throws std::length_error when the text grows beyond `most`.
std::string writtenOut(std::string_view xml, std::string_view element, std::string_view attribute,
                       std::size_t most) {
    const std::string open = "<" + std::string(element);
    const std::string close = "</" + std::string(element) + ">";
    std::string out;
    std::size_t at = 0;
    while (true) {
        std::size_t from = xml.find(open, at);
        while (from != std::string_view::npos && from + open.size() < xml.size() &&
               std::string_view(" />\t\n\r").find(xml[from + open.size()]) ==
                   std::string_view::npos)
            from = xml.find(open, from + 1);
        const std::size_t tagEnd = from == std::string_view::npos ? from : xml.find('>', from);
        if (tagEnd == std::string_view::npos) break;
        std::size_t end = tagEnd + 1;
        if (xml[tagEnd - 1] != '/') {
            const std::size_t closing = xml.find(close, tagEnd);
            if (closing == std::string_view::npos) break;
            end = closing + close.size();
        }
        const std::string_view tag = xml.substr(from, tagEnd - from + 1);
        const std::size_t times = repeatOf(tag, attribute);
        out.append(xml.substr(at, from - at));
        std::string whole(xml.substr(from, end - from));
        if (times > 1 && whole.find("office:value=") != std::string::npos) {
            const std::size_t mark = whole.find(attribute);
            whole.erase(mark, whole.find('"', mark + attribute.size()) + 1 - mark);
            if (whole.size() * times > most - std::min(most, out.size()))
                throw std::length_error("repeated");
            for (std::size_t n = 0; n < times; ++n) out += whole;
        } else {
            out += whole;
        }
        at = end;
    }
    out.append(xml.substr(at));
    return out;
}

/// An ods file with its repeated rows and cells written out: the library takes each for one.
std::string withRepeats(std::string_view bytes) {
    constexpr std::size_t kMost = std::size_t{256} << 20;
    const auto members = zipMembers(bytes);
    if (!members) return std::string(bytes);
    for (const ZipMember& m : *members) {
        if (m.name != "content.xml") continue;
        const std::string xml = zipContent(m, kLargestContent).value_or("");
        const std::string cells =
            writtenOut(xml, "table:table-cell", "table:number-columns-repeated=\"", kMost);
        const std::string rows =
            writtenOut(cells, "table:table-row", "table:number-rows-repeated=\"", kMost);
        if (rows != xml) return zipWith(*members, m.name, rows);
    }
    return std::string(bytes);
}

/// A day number of a spreadsheet (days since 1899-12-30) as ISO 8601.
std::string isoFromDays(double days) {
    const double seconds = std::round((days - 25569) * 86400 * 1000) / 1000;
    const auto whole = static_cast<long long>(std::floor(seconds / 86400));
    const double rest = seconds - static_cast<double>(whole) * 86400;
    // Civil from days (proleptic Gregorian).
    const long long z = whole + 719468;
    const long long era = (z >= 0 ? z : z - 146096) / 146097;
    const auto doe = static_cast<unsigned>(z - era * 146097);
    const unsigned yoe = (doe - doe / 1460 + doe / 36524 - doe / 146096) / 365;
    const unsigned doy = doe - (365 * yoe + yoe / 4 - yoe / 100);
    const unsigned mp = (5 * doy + 2) / 153;
    const unsigned day = doy - (153 * mp + 2) / 5 + 1;
    const unsigned month = mp < 10 ? mp + 3 : mp - 9;
    const long long year = static_cast<long long>(yoe) + era * 400 + (month <= 2 ? 1 : 0);
    const int h = static_cast<int>(rest / 3600);
    const int m = static_cast<int>((rest - h * 3600) / 60);
    return fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:{:06.3f}", year, month, day, h, m,
                       rest - h * 3600 - m * 60);
}

/// Columns that hold day numbers: the header names a time or date and all numbers look like days of
/// our times, rising.
std::vector<bool> dayColumns(const ixion::model_context& model, const ixion::abs_range_t& range,
                             ss::sheet_t sheet) {
    std::vector<bool> out;
    for (ixion::col_t c = range.first.column; c <= range.last.column; ++c) {
        int days = 0;
        int others = 0;
        for (ixion::row_t r = range.first.row; r <= std::min(range.last.row, range.first.row + 200);
             ++r) {
            const ixion::abs_address_t at(sheet, r, c);
            if (model.get_celltype(at) != ixion::celltype_t::numeric) continue;
            const double x = model.get_numeric_value(at);
            (x > 29000 && x < 80000 ? days : others) += 1;
        }
        out.push_back(days > 2 && others == 0);
    }
    return out;
}

std::string tableOf(ss::document& doc, ss::sheet_t index, std::uint64_t content, bool& any) {
    const ss::sheet* sheet = doc.get_sheet(index);
    const auto range = sheet->get_data_range();
    std::string out;
    any =
        range.valid() && range.last.row > range.first.row && range.last.column > range.first.column;
    if (!any) return out;
    const double cells = static_cast<double>(range.last.row - range.first.row + 1) *
                         static_cast<double>(range.last.column - range.first.column + 1);
    // A cell takes some twenty bytes of the file's content; far more places than cells is no table.
    if (cells > 1e6 && cells > static_cast<double>(content)) throw TooFar();
    const ixion::model_context& model = doc.get_model_context();
    const auto days = dayColumns(model, range, index);
    for (ixion::row_t r = range.first.row; r <= range.last.row; ++r) {
        for (ixion::col_t c = range.first.column; c <= range.last.column; ++c) {
            if (c > range.first.column) out.push_back('\t');
            const ixion::abs_address_t at(index, r, c);
            switch (model.get_celltype(at)) {
                case ixion::celltype_t::numeric: {
                    const double x = model.get_numeric_value(at);
                    const bool day = days[static_cast<std::size_t>(c - range.first.column)];
                    out += day && x > 29000 ? isoFromDays(x) : fmt::format("{:.15g}", x);
                    break;
                }
                case ixion::celltype_t::string: {
                    std::string text(model.get_string_value(at));
                    for (char& ch : text)
                        if (ch == '\t' || ch == '\n' || ch == '\r') ch = ' ';
                    out += text;
                    break;
                }
                case ixion::celltype_t::boolean:
                    out += model.get_boolean_value(at) ? "1" : "0";
                    break;
                case ixion::celltype_t::formula: {
                    const auto result = model.get_formula_result(at);
                    if (result.get_type() == ixion::formula_result::result_type::value)
                        out += fmt::format("{:.15g}", result.get_value());
                    break;
                }
                default:
                    break;
            }
        }
        out.push_back('\n');
    }
    return out;
}

Expected<std::string> loadSheet(std::string_view bytes, std::uint64_t content,
                                const std::string& name, const char* accepted) {
    const CNumbers plain;
    const bool ods = bytes.substr(0, 200).find("opendocument") != std::string_view::npos;
    try {
        ss::document doc{{1048576, 1024}};
        ss::import_factory factory(doc);
        if (ods) {
            orcus::orcus_ods loader(&factory);
            loader.read_stream(withRepeats(bytes));
        } else {
            orcus::orcus_xlsx loader(&factory);
            loader.read_stream(UsualSpelling(bytes).make());
        }
        factory.finalize();
        for (std::size_t k = 0; k < doc.get_sheet_count(); ++k) {
            bool any = false;
            std::string text = tableOf(doc, static_cast<ss::sheet_t>(k), content, any);
            if (any) return text;
        }
    } catch (const std::bad_alloc&) {
        throw;
    } catch (const TooFar&) {
        return fail(
            ErrorKind::Unsupported,
            phrase("The cells of this spreadsheet lie too far apart for a table; it was not read."),
            name, phrase("a sheet that holds the table and nothing far from it."));
    } catch (const std::length_error&) {
        return fail(
            ErrorKind::Unsupported,
            phrase("Unpacked, this spreadsheet grows beyond what a log does; it was not read."),
            name, phrase("a spreadsheet of at most 1 GiB; save the log as text."));
    } catch (const std::exception&) {
        return fail(ErrorKind::Unreadable,
                    phrase("The spreadsheet is damaged or of a kind that is not known."), name,
                    accepted);
    }
    return fail(ErrorKind::NotATable, phrase("No sheet of this spreadsheet holds a table."), name,
                accepted);
}

}  // namespace

Expected<std::string> sheetText(std::string_view bytes, const std::string& name,
                                const std::stop_token& stop) {
    const char* accepted = "an xlsx or ods spreadsheet with the table on its first sheet.";
    const auto members = zipMembers(bytes);
    if (!members)
        return fail(ErrorKind::Unreadable, phrase("The spreadsheet is damaged or cut off."), name,
                    accepted);
    std::uint64_t content = 0;
    for (const ZipMember& m : *members) content += m.size;
    if (content > kLargestContent || content / 1000 > bytes.size())
        return fail(
            ErrorKind::Unsupported,
            phrase("Unpacked, this spreadsheet grows beyond what a log does; it was not read."),
            name, phrase("a spreadsheet of at most 1 GiB; save the log as text."));
    // The library falls over on some damaged sheets (found by fuzzing): it works in a child
    // process.
    return inChild([&] { return loadSheet(bytes, content, name, accepted); }, name, accepted,
                   bytes.size(), stop);
}

}  // namespace nk
