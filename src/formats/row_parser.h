// Parses one piece of a text table straight into preallocated columns.
#pragma once

#include <array>
#include <span>
#include <string>
#include <vector>

#include "text_table.h"

namespace nk {

/// Where parsed rows go. All vectors are sized by the caller.
struct RawColumns {
    std::vector<double> time, date, voltage, current, charge, discharge, power, temperature,
        counterAh, counterWh;
    std::vector<std::vector<double>> cells, temperatures;
    std::vector<signed char> mode;  ///< +1, 0, −1; 2 when the word is unknown

    void forEach(const std::function<void(std::vector<double>&)>& visit);
};

struct SkippedRow {
    std::int64_t line = 0;  ///< of the piece, from 0
    std::string kind;
    std::string reason;
};

struct PieceResult {
    std::size_t rows = 0;
    std::int64_t skippedCount = 0;
    std::vector<SkippedRow> skipped;
    std::vector<std::size_t>
        headerRepeats;  ///< rows (within the piece) before which the header stood again
    std::vector<std::int64_t>
        lines;  ///< line of each row within the piece, only when lines were left out
    int decimalsVoltage = 0, decimalsCurrent = 0, decimalsTemperature = 0;
};

class RowParser {
  public:
    RowParser(const Dialect& dialect, std::string_view headerLine, std::string_view unitLine);

    /// No row of fewer bytes is whole: each cell up to the last one that is needed has an end.
    std::size_t leastRowBytes() const { return lastNeeded_ + 1; }
    /// Columns of numbers a row fills.
    std::size_t columns() const;
    /// Room for `rows` rows in the columns the dialect has, not touched yet.
    void reserve(RawColumns& out, std::size_t rows) const;
    /// Makes these columns `rows` long; what is new is missing.
    void resize(RawColumns& out, std::size_t rows) const;
    /// Parses the lines of `text` into rows from `offset` on; lines are counted from 0.
    PieceResult parse(std::string_view text, std::size_t offset, RawColumns& out, bool lastPiece,
                      const std::stop_token& stop) const;

  private:
    enum class Slot : unsigned char {
        Skip,
        Time,
        Date,
        Voltage,
        Current,
        Charge,
        Discharge,
        Power,
        Temperature,
        CounterAh,
        CounterWh,
        Cell,
        MoreTemperature,
        Mode
    };
    bool needs(Slot slot) const;
    void forNeeded(RawColumns& out, const std::function<void(std::vector<double>&)>& visit) const;
    struct Target {
        Slot slot = Slot::Skip;
        std::size_t index = 0;
        double factor = 1, offset = 0;
    };
    /// A column of the quick path: where its numbers go; null when it is passed over.
    struct QuickColumn {
        double* values = nullptr;
        double factor = 1, offset = 0;
        double most = 0;          ///< a larger size is no figure of a battery
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
    static const char* titleOf(Slot slot);
    /// Sizes beyond anything a battery does: 2 kV, 20 kA, 300 °C, three thousand years.
    static double mostOf(Slot slot);
    /// A row with an open quote and the lines behind it that close it; nothing when there are none
    /// that make a row.
    std::optional<std::string> joined(std::string_view row, std::string_view rest,
                                      std::size_t& lines, std::size_t& bytes) const;

    const Dialect& dialect_;
    std::string_view header_, units_;
    std::vector<Target> targets_;
    std::size_t lastNeeded_ = 0;
    std::size_t cells_ = 0, temperatures_ = 0;
    bool hasTime_ = false;
    bool quick_ = false;  ///< plain delimiter, number columns only
};

}  // namespace nk
