// Text tables of any logger into a Recording: dialect guessed from the first lines, then all rows
// parsed in fixed-size pieces by several threads (the pieces do not depend on the thread count, so
// neither does the result). Every row that is not used is listed with line number and reason.
#pragma once

#include <atomic>
#include <filesystem>
#include <functional>
#include <map>
#include <optional>
#include <set>
#include <stop_token>
#include <string>
#include <vector>

#include "header.h"
#include "quantity/error.h"
#include "recording/recording.h"
#include "time_text.h"

namespace nk {

class TextSource;

enum class SignConvention { Auto, ChargePositive, DischargePositive };

/// What is known of the battery, so that readings of a log can be told apart. 0: not known.
struct BatteryHint {
    double lowest_V = 0, highest_V = 0;  ///< usual voltages of the whole battery, empty and full
    double rated_Ah = 0;
};

/// The load of a log that has no current: current and charge follow from it.
struct KnownLoad {
    enum Kind { None, Power, Current, Resistance } kind = None;
    double value = 0;  ///< W, A or Ω; it discharges
};

/// "20W", "5 A", "8ohm".
Expected<KnownLoad> parseLoad(const std::string& text);
/// The current that a load draws at a voltage, A, negative: it discharges.
double currentOf(const KnownLoad& load, double voltage_V);

/// What the caller fixes; everything else is guessed.
struct ReadOptions {
    SignConvention sign = SignConvention::Auto;
    std::map<Role, std::string> map;           ///< column title or 1-based number for a role
    std::map<std::string, std::string> units;  ///< unit by column title, where the guess is wrong
    std::map<Role, std::string> roleUnits;     ///< unit of a part, whatever its column is called
    std::optional<DateOrder> dateOrder;        ///< of dates that do not begin with the year
    KnownLoad load;                            ///< for logs without a current
    BatteryHint battery;
    std::set<std::string> ignored;  ///< 1-based numbers of columns that are not to be used
    char delimiter = 0;             ///< 0: guessed
    char decimal = 0;               ///< 0: guessed
    bool lenient = false;   ///< for the preview: a dialect even where columns are still unknown
    double interval_s = 0;  ///< for logs without a time column
    unsigned threads = 0;   ///< 0: as many as the machine has, at most 4
    std::size_t most_bytes =
        0;  ///< the columns may take no more than this; 0: what the file's own size allows
};

/// How the file was understood.
struct Dialect {
    char delimiter = ',';
    char decimal = '.';
    std::string encoding = "utf-8";
    std::size_t headerLine = 0;     ///< 1-based; 0 when there is no header
    std::size_t firstDataLine = 1;  ///< 1-based
    std::vector<Column> columns;
    TimeStyle time;
    double timeFactor = 1;    ///< number column to seconds
    bool evenSpaces = false;  ///< parted by spaces: a row with a cell less lacks one somewhere
    SignConvention sign = SignConvention::ChargePositive;
    bool unsignedCurrent = false;          ///< signs were taken from mode words or from the voltage
    std::vector<std::string> guesses;      ///< assumptions in plain words ("current taken as mA")
    std::vector<std::string> guessesTold;  ///< the same, written down to be kept

    const Column* column(Role role) const;
};

struct Imported {
    RecordingPtr recording;
    Dialect dialect;
    std::int64_t rowsRead = 0;
    std::int64_t rowsSkipped = 0;
    double startEpoch_s = kNaN;  ///< wall-clock time of the first row when the log has dates
};

/// Called now and then with the fraction done, 0 … 1; must be thread-safe.
using Progress = std::function<void(double)>;

/// Reads a text table. `name` is used in messages. Errors: binary, fewer than two columns, no
/// numbers, no voltage or current column, cancelled. Nothing is kept on error.
Expected<Imported> readTextTable(std::string_view bytes, const std::string& name,
                                 const ReadOptions& options = {}, const Progress& progress = {},
                                 const std::stop_token& stop = {});

/// The same from a source of text that need not lie in memory whole. Nothing (no error) when it is
/// no plain UTF-8.
Expected<std::optional<Imported>> readTextSource(const TextSource& source, const std::string& name,
                                                 const ReadOptions& options,
                                                 const Progress& progress,
                                                 const std::stop_token& stop);

/// A large plain UTF-8 text file, read piece by piece and never whole in memory. Nothing (no error)
/// for files that are small, packed or otherwise encoded: those are read whole.
Expected<std::optional<Imported>> streamTextFile(const std::filesystem::path& path,
                                                 const ReadOptions& options,
                                                 const Progress& progress,
                                                 const std::stop_token& stop);

}  // namespace nk
