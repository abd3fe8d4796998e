#include "text_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <thread>

#include "bytes.h"
#include "clean.h"
#include "dialect.h"
#include "piece_reader.h"
#include "quantity/extent.h"
#include "quantity/phrase.h"
#include "table_shape.h"
#include "text_source.h"

namespace nk {

namespace {

double stepOf(const Dialect& dialect, Role role, int decimals) {
    const Column* column = dialect.column(role);
    if (column == nullptr) return 0;  // a derived column has no last digit of its own
    return std::pow(10.0, -decimals) * (column->unit ? column->unit->factor : 1.0);
}

/// The current of two columns of one direction each, into the first of them. Where both are filled
/// as a rule a blank is a lost figure; where one of them is, the other's blank is 0. Blank in both
/// is a rest where it lasts, else a lost row.
void oneOfTwo(std::vector<double>& charge, const std::vector<double>& discharge) {
    std::size_t both = 0;
    std::size_t one = 0;
    for (std::size_t i = 0; i < charge.size(); ++i) {
        const bool a = std::isfinite(charge[i]);
        const bool b = std::isfinite(discharge[i]);
        both += a && b ? 1 : 0;
        one += a != b ? 1 : 0;
    }
    const bool always = both >= one;
    constexpr std::size_t kRest = 5;  // so many rows in a row are no accident
    for (std::size_t i = 0; i < charge.size();) {
        const double in = std::abs(charge[i]);
        const double out = std::abs(discharge[i]);
        if (std::isfinite(in) && std::isfinite(out)) {
            charge[i++] = in - out;
        } else if (always) {
            // Only what flows can stand alone: 0 beside a blank says nothing of the blank.
            charge[i] = in > 0 ? in : out > 0 ? -out : std::nan("");
            ++i;
        } else if (std::isfinite(in) || std::isfinite(out)) {
            charge[i] = std::isfinite(in) ? in : -out;
            ++i;
        } else {
            std::size_t end = i;
            while (end < charge.size() && !std::isfinite(charge[end]) &&
                   !std::isfinite(discharge[end]))
                ++end;
            const bool rest = end - i >= kRest;
            for (; i < end; ++i) charge[i] = rest ? 0 : std::nan("");
        }
    }
}

/// Current from power, from two columns of one direction each, or from a known load; pack voltage
/// from cells.
void deriveMissing(RawColumns& raw, std::size_t rows, Dialect& dialect, const KnownLoad& load) {
    if (raw.voltage.empty() && !raw.cells.empty()) {
        raw.voltage.assign(rows, 0.0);
        for (const auto& cell : raw.cells)
            for (std::size_t i = 0; i < rows; ++i) raw.voltage[i] += cell[i];
        dialect.guesses.push_back(
            phrase("no pack voltage is logged: the sum of the cell voltages is used"));
    }
    if (raw.current.empty() && !raw.charge.empty()) {
        raw.discharge.resize(rows, 0.0);
        raw.current = std::move(raw.charge);
        oneOfTwo(raw.current, raw.discharge);
        raw.discharge.clear();
        dialect.guesses.push_back(phrase("the current is what goes in less what comes out"));
    }
    if (raw.current.empty() && !raw.power.empty() && !raw.voltage.empty()) {
        raw.current.assign(rows, 0.0);
        for (std::size_t i = 0; i < rows; ++i)
            raw.current[i] = raw.voltage[i] != 0 ? raw.power[i] / raw.voltage[i] : 0;
        dialect.guesses.push_back(phrase("no current is logged: power divided by voltage is used"));
    }
    if (raw.current.empty() && load.kind != KnownLoad::None && !raw.voltage.empty()) {
        raw.current.assign(rows, 0.0);
        for (std::size_t i = 0; i < rows; ++i) raw.current[i] = currentOf(load, raw.voltage[i]);
    }
}

/// Leaves out rows that have no voltage or current after all was derived, and lists them. `kept`
/// then says which row each one was; empty when all stay.
void dropIncomplete(RawColumns& raw, bool noVoltage, std::size_t& rows,
                    std::vector<std::size_t>& headerRepeats, std::vector<std::size_t>& kept,
                    const std::function<void(std::size_t)>& report) {
    const auto whole = [&](std::size_t i) {
        return (noVoltage || std::isfinite(raw.voltage[i])) && std::isfinite(raw.current[i]);
    };
    std::size_t good = 0;
    while (good < rows && whole(good)) ++good;
    if (good == rows) return;
    for (std::size_t i = 0; i < rows; ++i)
        if (whole(i))
            kept.push_back(i);
        else
            report(i);
    raw.forEach([&](std::vector<double>& column) {
        if (column.empty()) return;
        for (std::size_t k = 0; k < kept.size(); ++k) column[k] = column[kept[k]];
        column.resize(kept.size());
    });
    if (!raw.mode.empty()) {
        for (std::size_t k = 0; k < kept.size(); ++k) raw.mode[k] = raw.mode[kept[k]];
        raw.mode.resize(kept.size());
    }
    for (std::size_t& r : headerRepeats)
        r = static_cast<std::size_t>(std::ranges::lower_bound(kept, r) - kept.begin());
    rows = kept.size();
}

/// Whether the time falls throughout: the newest row first.
bool newestFirst(const RawColumns& raw) {
    if (raw.time.size() < 3) return false;
    std::size_t falls = 0;
    std::size_t rises = 0;
    const auto at = [&](std::size_t i) {
        return raw.time[i] + (raw.date.empty() ? 0 : raw.date[i]);
    };
    for (std::size_t i = 1; i < raw.time.size(); ++i) {
        const double step = at(i) - at(i - 1);
        if (step < 0) ++falls;
        if (step > 0) ++rises;
    }
    // A clock that passes midnight, or a logger that began again, rises here and there.
    constexpr std::size_t kFew = 20;
    return falls >= 2 && falls > kFew * rises;
}

void turnRound(RawColumns& raw) {
    raw.forEach([](std::vector<double>& column) { std::ranges::reverse(column); });
    std::ranges::reverse(raw.mode);
}

/// Signs from mode words: the word decides, an unknown word keeps the last known one.
void signByMode(RawColumns& raw) {
    std::int8_t last = 0;
    for (std::size_t i = 0; i < raw.current.size(); ++i) {
        if (raw.mode[i] != 2) last = raw.mode[i];
        if (last != 0) raw.current[i] = std::abs(raw.current[i]) * last;
    }
}

/// Brings the current to our sign. `quality` is that of the columns as they come, and then as they
/// go.
void settleSign(RecordingData& data, ChannelQualities& quality, Dialect& dialect,
                SignConvention wanted, bool byMode) {
    if (byMode) {
        dialect.sign = SignConvention::ChargePositive;
        dialect.unsignedCurrent = true;
        return;
    }
    // Two columns of one direction each leave nothing to find, where their names tell which.
    if (const Column* in = dialect.column(Role::ChargeCurrent);
        dialect.column(Role::Current) == nullptr && in != nullptr && in->direction != 0 &&
        wanted == SignConvention::Auto)
        wanted = SignConvention::ChargePositive;
    int sign = wanted == SignConvention::DischargePositive ? -1 : 1;
    if (wanted == SignConvention::Auto) {
        const auto [low, high] = extentOf(data.current_A);
        const double step = std::max(data.textStep_A, 0.002 * std::max(high, -low));
        const bool noSigns = low > -3 * step;
        const int found = noSigns && signByVoltage(data, quality) ? 2 : findSign(data, quality);
        if (found == 2) {
            quality.current = estimateQuality(data.current_A, data.textStep_A);
            dialect.unsignedCurrent = true;
            dialect.guesses.push_back(
                "the current has no sign: charge and discharge are told apart by the voltage");
            sign = 1;
        } else if (found == 0) {
            dialect.guesses.push_back(
                "the current's sign cannot be told from the voltage: positive taken as charging");
        } else {
            sign = found;
        }
    }
    dialect.sign = sign > 0 ? SignConvention::ChargePositive : SignConvention::DischargePositive;
    if (sign < 0)
        for (double& c : data.current_A) c = -c;
}

std::string_view lineAt(std::string_view text, std::size_t number) {
    if (number == 0) return {};
    const auto lines = firstLines(text, number);
    return lines.size() == number ? lines.back() : std::string_view{};
}

std::size_t offsetOfLine(std::string_view text, std::size_t number) {
    std::size_t at = 0;
    for (std::size_t i = 1; i < number && at < text.size(); ++i) {
        const std::size_t end = text.find('\n', at);
        if (end == std::string_view::npos) return text.size();
        at = end + 1;
    }
    return at;
}

}  // namespace

namespace {

/// Reads a table from a source in UTF-8. `head` is its beginning, from which the dialect is
/// guessed. Nothing (no error) when the source turns out to be no plain UTF-8.
Expected<std::optional<Imported>> readTable(const TextSource& source, std::string_view head,
                                            const std::string& encoding, const std::string& name,
                                            const ReadOptions& options, const Progress& progress,
                                            const std::stop_token& stop) {
    auto guessed = guessDialect(sampleOf(source, head), name, options);
    if (!guessed) return tl::unexpected<Error>(guessed.error());
    Imported out;
    out.dialect = std::move(*guessed);
    Dialect& dialect = out.dialect;
    dialect.encoding = encoding;

    const std::string_view header = lineAt(head, dialect.headerLine);
    std::string_view unitLine;
    if (dialect.headerLine > 0 && dialect.headerLine + 1 < dialect.firstDataLine)
        unitLine = lineAt(head, dialect.headerLine + 1);
    const RowParser parser(dialect, header, unitLine);
    const unsigned threads = options.threads > 0
                                 ? options.threads
                                 : std::clamp(std::thread::hardware_concurrency(), 1U, 4U);
    const std::size_t dataFrom = offsetOfLine(head, dialect.firstDataLine);
    auto pieces = cutPieces(source, dataFrom);
    const auto cancelled = [&] {
        return fail(ErrorKind::Cancelled, phrase("The import was cancelled; nothing was changed."),
                    name);
    };
    const std::string_view begins = head.substr(std::min(dataFrom, head.size()));
    PieceReader reader(source, pieces, parser, options.most_bytes, progress, stop);
    RawColumns raw;
    std::size_t rows =
        reader.read(raw, begins.size() / std::max<std::size_t>(1, countLines(begins)), threads);
    if (stop.stop_requested()) return cancelled();
    if (!reader.plain()) return std::optional<Imported>();
    if (reader.tooMany())
        return fail(
            ErrorKind::Unsupported,
            phrase("Unpacked, this file grows beyond what a log does; it was not read further."),
            name, phrase("the log as plain text, or in parts."));
    if (source.failed())
        return fail(
            ErrorKind::Unreadable,
            phrase(
                "The file became shorter, or unreadable, while it was read; nothing was changed."),
            name, phrase("a file that is not being written to."));
    std::int64_t line = static_cast<std::int64_t>(dialect.firstDataLine);
    for (Piece& piece : pieces) {
        piece.firstLine = line;
        line += static_cast<std::int64_t>(piece.lines);
        for (SkippedRow& skipped : piece.result.skipped) skipped.line += piece.firstLine;
        for (std::int64_t& at : piece.result.lines) at += piece.firstLine;
    }

    RecordingData data;
    std::vector<std::size_t> headerRepeats;
    std::vector<std::pair<std::size_t, const Piece*>> starts;  // first row of each piece
    int decimalsV = 0, decimalsA = 0, decimalsC = 0;
    std::size_t row = 0;
    for (const Piece& piece : pieces) {
        starts.emplace_back(row, &piece);
        out.rowsSkipped += piece.result.skippedCount;
        for (const SkippedRow& skipped : piece.result.skipped)
            data.problems.push_back({skipped.line, kNaN, skipped.kind, skipped.reason});
        for (const std::size_t r : piece.result.headerRepeats) headerRepeats.push_back(row + r);
        decimalsV = std::max(decimalsV, piece.result.decimalsVoltage);
        decimalsA = std::max(decimalsA, piece.result.decimalsCurrent);
        decimalsC = std::max(decimalsC, piece.result.decimalsTemperature);
        row += piece.result.rows;
    }
    if (rows == 0)
        return fail(
            ErrorKind::NotATable,
            phrase("No row of the table could be read") +
                (data.problems.empty() ? std::string(".")
                                       : ": " + data.problems.front().message + "."),
            fmt::format("{}:{}", name, data.problems.empty() ? 0 : data.problems.front().line),
            phrase("rows with a time, a voltage and a current."));
    std::vector<std::size_t> kept;
    const LineOf lineOf = [&starts, &kept](std::size_t r) {
        if (!kept.empty()) r = kept[std::min(r, kept.size() - 1)];
        const auto it = std::upper_bound(starts.begin(), starts.end(), r,
                                         [](std::size_t a, const auto& b) { return a < b.first; }) -
                        1;
        const std::size_t within = r - it->first;
        const PieceResult& result = it->second->result;
        return within < result.lines.size()
                   ? result.lines[within]
                   : it->second->firstLine + static_cast<std::int64_t>(within);
    };

    deriveMissing(raw, rows, dialect, options.load);
    const bool noVoltage = raw.voltage.empty();
    if (noVoltage) {
        raw.voltage.assign(rows, kNaN);
        dialect.guesses.push_back(
            phrase("no voltage is logged: only the current and its charge are known"));
        data.problems.push_back(
            {0, kNaN, "no_voltage",
             phrase("no voltage is logged: only the current and its charge are known")});
    } else if (options.load.kind != KnownLoad::None && dialect.column(Role::Current) == nullptr) {
        const std::string words =
            phrase("no current is logged: it follows from the load that was given ({:g} {})",
                   options.load.value,
                   options.load.kind == KnownLoad::Power     ? "W"
                   : options.load.kind == KnownLoad::Current ? "A"
                                                             : "Ω");
        dialect.guesses.push_back(words);
        data.problems.push_back({0, kNaN, "derived_current", words});
    }
    std::vector<std::size_t> incomplete;
    dropIncomplete(raw, noVoltage, rows, headerRepeats, kept,
                   [&](std::size_t r) { incomplete.push_back(r); });
    for (const std::size_t r : incomplete) {
        const auto it = std::upper_bound(starts.begin(), starts.end(), r,
                                         [](std::size_t a, const auto& b) { return a < b.first; }) -
                        1;
        const std::size_t in = r - it->first;
        const PieceResult& result = it->second->result;
        data.problems.push_back(
            {in < result.lines.size() ? result.lines[in]
                                      : it->second->firstLine + static_cast<std::int64_t>(in),
             kNaN, "bad_row", phrase("a value that the voltage or the current needs is missing")});
        ++out.rowsSkipped;
    }
    if (rows == 0)
        return fail(ErrorKind::NotATable, phrase("No row of the table could be read") + ".", name,
                    phrase("rows with a time, a voltage and a current."));
    if (newestFirst(raw)) {
        turnRound(raw);
        if (kept.empty()) {
            kept.resize(rows);
            std::iota(kept.begin(), kept.end(), std::size_t{0});
        }
        std::ranges::reverse(kept);
        for (std::size_t& r : headerRepeats) r = rows - std::min(r, rows);
        std::ranges::sort(headerRepeats);
        const std::string words =
            phrase("the newest row stands first: the table is turned round, the oldest first");
        dialect.guesses.push_back(words);
        data.problems.push_back({0, kNaN, "newest_first", words});
    }
    const auto [lowest, highest] = extentOf(raw.current);
    const bool modesKnown = std::any_of(raw.mode.begin(), raw.mode.end(),
                                        [](signed char m) { return m == 1 || m == -1; });
    const bool byMode = modesKnown && options.sign == SignConvention::Auto &&
                        lowest > -0.02 * std::max(highest, 1e-9);
    if (byMode) signByMode(raw);

    data.voltage_V = std::move(raw.voltage);
    data.current_A = std::move(raw.current);
    data.temperature_C = std::move(raw.temperature);
    if (std::none_of(data.temperature_C.begin(), data.temperature_C.end(),
                     [](double x) { return std::isfinite(x); }))
        data.temperature_C.clear();
    data.cells_V = std::move(raw.cells);
    data.moreTemperatures_C = std::move(raw.temperatures);
    data.counter_Ah = std::move(raw.counterAh);
    data.counter_Wh = std::move(raw.counterWh);
    data.textStep_V = stepOf(dialect, Role::Voltage, decimalsV);
    data.textStep_A = stepOf(dialect, Role::Current, decimalsA);
    data.textStep_C = stepOf(dialect, Role::Temperature, decimalsC);
    if (raw.time.empty()) {
        data.time_s.resize(rows);
        for (std::size_t i = 0; i < rows; ++i)
            data.time_s[i] = static_cast<double>(i) * options.interval_s;
    } else {
        data.time_s = std::move(raw.time);
        if (!raw.date.empty())
            for (std::size_t i = 0; i < rows; ++i) data.time_s[i] += raw.date[i];
        if (dialect.time.shape == TimeShape::DateTime || !raw.date.empty() ||
            data.time_s.front() > 5e8)
            out.startEpoch_s = data.time_s.front();
        // A spreadsheet's days begin at 1899-12-30.
        if (dialect.time.shape == TimeShape::Number && dialect.timeFactor == 86400 &&
            out.startEpoch_s > 2.7e9)
            out.startEpoch_s -= 25569.0 * 86400;
    }
    straightenTime(data, dialect, headerRepeats, lineOf);
    if (stop.stop_requested()) return cancelled();
    if (progress) progress(0.95);
    ChannelQualities quality = estimateQualities(data);
    repairOutliers(data, quality, lineOf);
    if (stop.stop_requested()) return cancelled();
    if (!data.repairs.empty()) quality = estimateQualities(data);
    settleSign(data, quality, dialect, options.sign, byMode);
    std::stable_sort(data.problems.begin(), data.problems.end(),
                     [](const Problem& a, const Problem& b) { return a.line < b.line; });
    out.rowsRead = static_cast<std::int64_t>(rows);
    if (stop.stop_requested()) return cancelled();
    out.recording = Recording::make(std::move(data), quality);
    if (progress) progress(1.0);
    return std::optional<Imported>(std::move(out));
}

}  // namespace

Expected<Imported> readTextTable(std::string_view bytes, const std::string& name,
                                 const ReadOptions& options, const Progress& progress,
                                 const std::stop_token& stop) {
    if (bytes.empty())
        return fail(ErrorKind::NotATable, phrase("The file is empty (0 bytes)."), name,
                    phrase("a text table of a logger (CSV, TSV, TXT)."));
    DecodedText decoded;
    if (auto ok = decodeText(bytes, name, decoded); !ok) return tl::unexpected<Error>(ok.error());
    auto read = readTable(MemoryText(decoded.text), decoded.text, decoded.encoding, name, options,
                          progress, stop);
    if (!read) return tl::unexpected<Error>(read.error());
    if (!*read)
        return fail(ErrorKind::NotATable, phrase("The file holds binary data, not text."), name,
                    phrase("a text table of a logger (CSV, TSV, TXT); export the log as text."));
    return std::move(**read);
}

Expected<std::optional<Imported>> streamTextFile(const std::filesystem::path& path,
                                                 const ReadOptions& options,
                                                 const Progress& progress,
                                                 const std::stop_token& stop) {
    constexpr std::size_t kStreamFrom = std::size_t{8} << 20;
    auto file = FileText::open(path);
    if (!file) return tl::unexpected<Error>(file.error());
    if (file->size() < kStreamFrom) return std::optional<Imported>();
    return readTextSource(*file, path.string(), options, progress, stop);
}

Expected<std::optional<Imported>> readTextSource(const TextSource& source, const std::string& name,
                                                 const ReadOptions& options,
                                                 const Progress& progress,
                                                 const std::stop_token& stop) {
    std::string head;
    std::string_view text = source.bytes(0, std::min(source.size(), std::size_t{1} << 20), head);
    if (!plainUtf8(text) || text.substr(0, 3) == "\xEF\xBB\xBF" || text.substr(0, 2) == "PK")
        return std::optional<Imported>();
    // The cut of the head is no end of a line.
    text = text.substr(0, text.rfind('\n') + 1);
    if (text.empty()) return std::optional<Imported>();
    return readTable(source, text, "utf-8", name, options, progress, stop);
}

}  // namespace nk
