#include "text_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <thread>

#include "bytes.h"
#include "clean.h"
#include "dialect.h"
#include "quantity/extent.h"
#include "quantity/phrase.h"
#include "row_parser.h"
#include "table_shape.h"
#include "text_source.h"

namespace nk {

namespace {

constexpr std::size_t kPiece = std::size_t{4} << 20;

struct Piece {
    std::size_t from = 0, to = 0;  ///< bytes of the source
    std::int64_t firstLine = 1;
    std::size_t rowOffset = 0;
    std::size_t lines = 0;
    std::size_t room = 0;  ///< rows it can hold, and one more to try a line in
    PieceResult result;
};

/// Runs work(k) for k < count on several threads.
template <class Work>
void inParallel(std::size_t count, unsigned threads, Work work) {
    std::atomic<std::size_t> next{0};
    const auto take = [&] {
        for (std::size_t k = next++; k < count; k = next++) work(k);
    };
    std::vector<std::jthread> pool;
    for (std::size_t n = 1; n < std::min<std::size_t>(threads, count); ++n) pool.emplace_back(take);
    take();
}

std::size_t countLines(std::string_view text) {
    std::size_t lines = 0;
    // So few at a time that a byte counts them, and always as many: the compiler takes sixteen.
    constexpr std::size_t kFew = 192;
    std::size_t k = 0;
    for (; k + kFew <= text.size(); k += kFew) {
        std::uint8_t here = 0;
        for (std::size_t n = 0; n < kFew; ++n)
            here = static_cast<std::uint8_t>(here + (text[k + n] == '\n'));
        lines += here;
    }
    for (; k < text.size(); ++k) lines += text[k] == '\n';
    return lines + (text.empty() || text.back() == '\n' ? 0 : 1);
}

/// Cuts the data part at line ends and counts the lines of each piece. `plain` becomes false when a
/// piece is no plain UTF-8.
std::vector<Piece> cutPieces(const TextSource& source, std::size_t from, std::int64_t firstLine,
                             std::size_t leastRowBytes, unsigned threads, bool& plain,
                             const std::stop_token& stop) {
    std::vector<Piece> pieces;
    std::size_t at = from;
    while (at < source.size()) {
        Piece piece;
        piece.from = at;
        piece.to =
            at + kPiece < source.size() ? lineStartAfter(source, at + kPiece) : source.size();
        at = piece.to;
        pieces.push_back(std::move(piece));
    }
    std::atomic<bool> good{true};
    inParallel(pieces.size(), threads, [&](std::size_t k) {
        if (stop.stop_requested() || !good) return;
        thread_local std::string buffer;
        const auto text = source.bytes(pieces[k].from, pieces[k].to, buffer);
        pieces[k].lines = countLines(text);
        pieces[k].room = std::min(pieces[k].lines, text.size() / leastRowBytes + 1) + 1;
        if (!plainUtf8(text)) good = false;
    });
    plain = good;
    std::int64_t line = firstLine;
    std::size_t row = 0;
    for (Piece& piece : pieces) {
        piece.firstLine = line;
        piece.rowOffset = row;
        line += static_cast<std::int64_t>(piece.lines);
        row += piece.room;
    }
    return pieces;
}

void parsePieces(const TextSource& source, std::vector<Piece>& pieces, const RowParser& parser,
                 RawColumns& raw, unsigned threads, const Progress& progress,
                 std::stop_token stop) {
    std::atomic<std::size_t> done{0};
    inParallel(pieces.size(), threads, [&](std::size_t i) {
        if (stop.stop_requested() || source.failed()) return;
        thread_local std::string buffer;
        Piece& piece = pieces[i];
        piece.result = parser.parse(source.bytes(piece.from, piece.to, buffer), piece.firstLine,
                                    piece.rowOffset, raw, i + 1 == pieces.size(), stop);
        const std::size_t finished = ++done;
        if (progress)
            progress(0.9 * static_cast<double>(finished) / static_cast<double>(pieces.size()));
    });
}

/// Moves the rows of all pieces together where lines were left out between them.
std::size_t compact(const std::vector<Piece>& pieces, RawColumns& raw, unsigned threads) {
    const auto together = [&]<class T>(std::vector<T>& column) {
        if (column.empty()) return;
        std::size_t rows = 0;
        for (const Piece& piece : pieces) {
            const std::size_t count = piece.result.rows;
            if (rows != piece.rowOffset && count > 0)
                std::memmove(column.data() + rows, column.data() + piece.rowOffset,
                             count * sizeof(T));
            rows += count;
        }
        column.resize(rows);
    };
    std::vector<std::vector<double>*> columns;
    raw.forEach([&](std::vector<double>& column) { columns.push_back(&column); });
    inParallel(columns.size(), threads, [&](std::size_t k) { together(*columns[k]); });
    together(raw.mode);
    std::size_t rows = 0;
    for (const Piece& piece : pieces) rows += piece.result.rows;
    return rows;
}

double stepOf(const Dialect& dialect, Role role, int decimals) {
    const Column* column = dialect.column(role);
    if (column == nullptr) return 0;  // a derived column has no last digit of its own
    return std::pow(10.0, -decimals) * (column->unit ? column->unit->factor : 1.0);
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
        for (std::size_t i = 0; i < rows; ++i) {
            const double in = std::abs(raw.current[i]);
            const double out = std::abs(raw.discharge[i]);
            if (std::isfinite(in) || std::isfinite(out))
                raw.current[i] = (std::isfinite(in) ? in : 0) - (std::isfinite(out) ? out : 0);
        }
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
    // Two columns of one direction each leave nothing to find.
    if (dialect.column(Role::Current) == nullptr &&
        dialect.column(Role::ChargeCurrent) != nullptr && wanted == SignConvention::Auto)
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
    bool plain = true;
    auto pieces = cutPieces(source, offsetOfLine(head, dialect.firstDataLine),
                            static_cast<std::int64_t>(dialect.firstDataLine),
                            parser.leastRowBytes(), threads, plain, stop);
    const auto cancelled = [&] {
        return fail(ErrorKind::Cancelled, phrase("The import was cancelled; nothing was changed."),
                    name);
    };
    if (stop.stop_requested()) return cancelled();
    if (!plain) return std::optional<Imported>();
    std::size_t room = 0;
    for (const Piece& piece : pieces) room += piece.room;
    if (options.most_bytes > 0 && room * parser.columns() > options.most_bytes / sizeof(double))
        return fail(
            ErrorKind::Unsupported,
            phrase("Unpacked, this file grows beyond what a log does; it was not read further."),
            name, phrase("the log as plain text, or in parts."));
    RawColumns raw;
    parser.allocate(raw, room);
    parsePieces(source, pieces, parser, raw, threads, progress, stop);
    if (stop.stop_requested()) return cancelled();
    if (source.failed())
        return fail(
            ErrorKind::Unreadable,
            phrase(
                "The file became shorter, or unreadable, while it was read; nothing was changed."),
            name, phrase("a file that is not being written to."));
    std::size_t rows = compact(pieces, raw, threads);

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
