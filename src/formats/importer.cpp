#include "importer.h"

#include <fmt/format.h>

#include <algorithm>

#include "bytes.h"
#include "packed.h"
#include "quantity/phrase.h"
#include "text_source.h"

namespace nk {

namespace {

bool startsWith(std::string_view head, std::string_view mark) {
    return head.substr(0, mark.size()) == mark;
}

bool endsWith(const std::string& name, std::string_view ending) {
    return name.size() >= ending.size() &&
           lowered(std::string_view(name).substr(name.size() - ending.size())) == ending;
}

double textScore(std::string_view, const std::string&) {
    return 0.1;  // what nobody else knows is tried as text; its own errors say what is missing
}
double gzipScore(std::string_view head, const std::string&) {
    return startsWith(head, "\x1F\x8B") ? 1 : 0;
}
double zstdScore(std::string_view head, const std::string&) {
    return startsWith(head, "\x28\xB5\x2F\xFD") ? 1 : 0;
}
double sheetScore(std::string_view head, const std::string& name) {
    if (!startsWith(head, "PK\x03\x04")) return 0;
    return endsWith(name, ".xlsx") || endsWith(name, ".ods") ? 1 : 0.6;
}
double matScore(std::string_view head, const std::string& name) {
    if (startsWith(head, "MATLAB 5.0 MAT-file") || startsWith(head, "MATLAB 7.3 MAT-file"))
        return 1;
    return endsWith(name, ".mat") ? 0.5 : 0;
}

/// The memory that the columns of a packed log may take: 700 MB, or 16 times the file.
ReadOptions bounded(ReadOptions options, std::size_t packed) {
    options.most_bytes = std::max(std::size_t{700} << 20, 16 * packed);
    return options;
}

template <auto Unpack>
Expected<Imported> unpacked(std::string_view bytes, const std::string& name,
                            const ReadOptions& options, const Progress& progress,
                            const std::stop_token& stop) {
    auto inner = Unpack(bytes, name, stop, 0);
    if (!inner) return tl::unexpected<Error>(inner.error());
    const ReadOptions within = bounded(options, bytes.size());
    if (inner->file) {
        auto read = readTextSource(*inner->file, name, within, progress, stop);
        if (!read) return tl::unexpected<Error>(read.error());
        if (*read) return std::move(**read);
        return fail(ErrorKind::Unsupported,
                    phrase("Such a large packed log is read only as UTF-8 text."), name,
                    phrase("the log as UTF-8 text, or unpacked."));
    }
    // One packing only: a packed file inside a packed file is no log.
    for (const auto score : {gzipScore, zstdScore})
        if (score(inner->memory, name) > 0)
            return fail(ErrorKind::Unsupported, phrase("The file is packed more than once."), name,
                        phrase("a log that is packed once, with gzip or zstd."));
    return readLog(inner->memory, name, within, progress, stop);
}

template <auto ToText>
Expected<Imported> asText(std::string_view bytes, const std::string& name,
                          const ReadOptions& options, const Progress& progress,
                          const std::stop_token& stop) {
    auto text = ToText(bytes, name, stop);
    if (!text) return tl::unexpected<Error>(text.error());
    return readTextTable(*text, name, bounded(options, bytes.size()), progress, stop);
}

const Importer& surest(std::string_view bytes, const std::string& name) {
    const Importer* best = &importers().front();
    double most = -1;
    for (const Importer& importer : importers()) {
        const double score = importer.score(bytes.substr(0, 4096), name);
        if (score > most) most = score, best = &importer;
    }
    return *best;
}

}  // namespace

const std::vector<Importer>& importers() {
    static const std::vector<Importer> list = {
        {"text", "text table", textScore, readTextTable},
        {"gzip", "packed with gzip", gzipScore, unpacked<unpackGzip>},
        {"zstd", "packed with zstd", zstdScore, unpacked<unpackZstd>},
        {"spreadsheet", "spreadsheet", sheetScore, asText<sheetText>},
        {"mat", "MAT-file", matScore, asText<matText>},
    };
    return list;
}

namespace {

/// What is said of a log while it is read is written down: its notes are kept, and read in other
/// languages. Here they are said in the language of the caller.
template <class Read>
Expected<Imported> retelling(Read read) {
    Expected<Imported> out = [&] {
        const Recorded down;
        return read();
    }();
    if (!out) {
        Error e = std::move(out).error();
        for (std::string* words : {&e.what, &e.where, &e.accepted}) *words = retold(*words);
        return tl::unexpected<Error>(std::move(e));
    }
    out->dialect.guessesTold = out->dialect.guesses;
    for (std::string& words : out->dialect.guesses) words = retold(words);
    return out;
}

}  // namespace

Expected<Imported> readLog(std::string_view bytes, const std::string& name,
                           const ReadOptions& options, const Progress& progress,
                           const std::stop_token& stop) {
    if (presentation().recorded)
        return surest(bytes, name).parse(bytes, name, options, progress, stop);
    return retelling(
        [&] { return surest(bytes, name).parse(bytes, name, options, progress, stop); });
}

Expected<Imported> readLogFile(const std::filesystem::path& path, const ReadOptions& options,
                               const Progress& progress, const std::stop_token& stop) {
    return retelling([&]() -> Expected<Imported> {
        const auto size = checkFile(path);
        if (!size) return tl::unexpected<Error>(size.error());
        auto streamed = streamTextFile(path, options, progress, stop);
        if (!streamed) return tl::unexpected<Error>(streamed.error());
        if (*streamed) return std::move(**streamed);
        auto bytes = readFile(path, stop);
        if (!bytes) return tl::unexpected<Error>(bytes.error());
        return readLog(*bytes, path.string(), options, progress, stop);
    });
}

Expected<std::string> previewText(std::string_view bytes, const std::string& name,
                                  const std::stop_token& stop) {
    constexpr std::size_t kMost = std::size_t{64} << 10;
    const std::string kind = surest(bytes, name).name;
    if (kind == "text") {
        // The cut must not fall into a UTF-16 pair.
        DecodedText decoded;
        if (auto ok = decodeText(bytes.substr(0, kMost), name, decoded); !ok)
            return tl::unexpected<Error>(ok.error());
        return std::string(decoded.text);
    }
    if (kind == "gzip" || kind == "zstd") {
        auto inner = kind == "gzip" ? unpackGzip(bytes, name, stop, kMost)
                                    : unpackZstd(bytes, name, stop, kMost);
        if (!inner) return tl::unexpected<Error>(inner.error());
        return previewText(std::string_view(inner->memory).substr(0, kMost), name, stop);
    }
    auto inner = kind == "spreadsheet" ? sheetText(bytes, name, stop) : matText(bytes, name, stop);
    if (!inner) return tl::unexpected<Error>(inner.error());
    return inner->substr(0, kMost);
}

std::vector<ReadingChoice> readingWays(std::string_view bytes, const std::string& name,
                                       const ReadOptions& options, const std::stop_token& stop) {
    const std::string kind = surest(bytes, name).name;
    if (kind == "gzip" || kind == "zstd") {
        // The beginning tells enough.
        constexpr std::size_t kMost = std::size_t{4} << 20;
        const auto inner = kind == "gzip" ? unpackGzip(bytes, name, stop, kMost)
                                          : unpackZstd(bytes, name, stop, kMost);
        return inner ? readingWays(std::string_view(inner->memory).substr(0, kMost), name, options,
                                   stop)
                     : std::vector<ReadingChoice>();
    }
    std::string table;
    DecodedText decoded;
    if (kind == "text") {
        if (!decodeText(bytes, name, decoded)) return {};
    } else {
        auto text =
            kind == "spreadsheet" ? sheetText(bytes, name, stop) : matText(bytes, name, stop);
        if (!text) return {};
        table = std::move(*text);
        decoded.text = table;
    }
    return readingChoices(
        sampleOf(MemoryText(decoded.text), decoded.text.substr(0, std::size_t{1} << 20)), options);
}

}  // namespace nk
