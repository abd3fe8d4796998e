// The importers: each answers from the first bytes how sure it is that a file is its own, then
// turns the bytes into a recording. The surest one reads. How to add one: docs/add-an-importer.md.
#pragma once

#include "dialect.h"
#include "text_table.h"

namespace nk {

struct Importer {
    const char* name;  ///< identifier, never translated
    const char* kind;  ///< for people: "text table"
    /// 0 (not mine) … 1 (surely mine), from the first bytes and the file's name. Must not fail.
    double (*score)(std::string_view head, const std::string& fileName);
    /// Keeps no state between calls.
    Expected<Imported> (*parse)(std::string_view bytes, const std::string& name,
                                const ReadOptions& options, const Progress& progress,
                                const std::stop_token& stop);
};

/// All importers, in one explicit list.
const std::vector<Importer>& importers();

/// Reads bytes with the surest importer. Packed files (gzip, zstd) are unpacked first, up to a
/// limit.
Expected<Imported> readLog(std::string_view bytes, const std::string& name,
                           const ReadOptions& options = {}, const Progress& progress = {},
                           const std::stop_token& stop = {});

/// Reads a file with the surest importer; large plain text is streamed, never whole in memory.
Expected<Imported> readLogFile(const std::filesystem::path& path, const ReadOptions& options = {},
                               const Progress& progress = {}, const std::stop_token& stop = {});

/// The text table a log amounts to, as the preview shows it: a spreadsheet's or MAT-file's cells as
/// tab-separated lines, a packed file's content, plain text as it is; UTF-8, at most about 64 KiB.
Expected<std::string> previewText(std::string_view bytes, const std::string& name,
                                  const std::stop_token& stop = {});

/// The two ways in which a log can be read that fit equally well (formats/dialect.h); empty when
/// there is no such question.
std::vector<ReadingChoice> readingWays(std::string_view bytes, const std::string& name,
                                       const ReadOptions& options,
                                       const std::stop_token& stop = {});

/// The first sheet with a table in an xlsx or ods file, as tab-separated text. Dates that the sheet
/// stores as day numbers become ISO 8601 where the header names a time.
Expected<std::string> sheetText(std::string_view bytes, const std::string& name,
                                const std::stop_token& stop = {});
/// The numeric vectors of equal length in a MAT-file (v5, v7.3 where the library can), as a
/// tab-separated table with the variables' names as header.
Expected<std::string> matText(std::string_view bytes, const std::string& name,
                              const std::stop_token& stop = {});

}  // namespace nk
