// Parses one piece of a text table straight into preallocated columns.
#pragma once

#include <array>
#include <span>
#include <string>
#include <vector>

#include "text_table.h"

namespace nk {

/// Where parsed rows go. All vectors are sized by the caller; piece k writes from its own offset.
struct RawColumns {
    std::vector<double> time, date, voltage, current, power, temperature, counterAh, counterWh;
    std::vector<std::vector<double>> cells, temperatures;
    std::vector<signed char> mode;  ///< +1, 0, −1; 2 when the word is unknown

    void forEach(const std::function<void(std::vector<double>&)>& visit);
};

struct SkippedRow {
    std::int64_t line = 0;
    std::string kind;
    std::string reason;
};

struct PieceResult {
    std::size_t rows = 0;
    std::int64_t skippedCount = 0;
    std::vector<SkippedRow> skipped;
    std::vector<std::size_t>
        headerRepeats;  ///< rows (within the piece) before which the header stood again
    std::vector<std::int64_t> lines;  ///< line of each row, only when lines were left out
    int decimalsVoltage = 0, decimalsCurrent = 0, decimalsTemperature = 0;
};

class RowParser {
  public:
    RowParser(const Dialect& dialect, std::string_view headerLine, std::string_view unitLine);

    /// Sizes `out` for `rows` rows with the columns the dialect has.
    void allocate(RawColumns& out, std::size_t rows) const;
    /// Parses the lines of `text`, the first of which is `firstLine`, into rows from `offset` on.
    PieceResult parse(std::string_view text, std::int64_t firstLine, std::size_t offset,
                      RawColumns& out, bool lastPiece, const std::stop_token& stop) const;

  private:
    enum class Slot : unsigned char {
        Skip,
        Time,
        Date,
        Voltage,
        Current,
        Power,
        Temperature,
        CounterAh,
        CounterWh,
        Cell,
        MoreTemperature,
        Mode
    };
    struct Target {
        Slot slot = Slot::Skip;
        std::size_t index = 0;
        double factor = 1, offset = 0;
    };
    /// A column of the quick path: where its numbers go; null when it is passed over.
    struct QuickColumn {
        double* values = nullptr;
        double factor = 1, offset = 0;
        int* decimals = nullptr;  ///< most decimals seen; null when they are of no interest
    };
    std::vector<QuickColumn> quickColumns(RawColumns& out, PieceResult& result) const;
    /// Reads one line of plain numbers; moves `at` behind it. False, with nothing moved, for any
    /// line that is not just that: the careful path takes it.
    bool quickRow(const char*& at, const char* end, std::size_t row,
                  const std::vector<QuickColumn>& columns) const;
    bool parseRow(std::string_view line, std::size_t row, RawColumns& out, PieceResult& result,
                  std::string& reason) const;
    bool storeCell(std::string_view cell, const Target& target, std::size_t row, RawColumns& out,
                   PieceResult& result, std::string& reason) const;
    const char* titleOf(const Target& target) const;

    const Dialect& dialect_;
    std::string_view header_, units_;
    std::vector<Target> targets_;
    std::size_t lastNeeded_ = 0;
    std::size_t cells_ = 0, temperatures_ = 0;
    bool hasTime_ = false;
    bool quick_ = false;  ///< plain delimiter, number columns only
};

}  // namespace nk
