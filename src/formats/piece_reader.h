// Reads the data part of a text table in pieces, on several threads.
#pragma once

#include <atomic>
#include <mutex>
#include <stop_token>
#include <vector>

#include "row_parser.h"
#include "text_source.h"

namespace nk {

struct Piece {
    std::size_t from = 0, to = 0;  ///< bytes of the source
    std::int64_t firstLine = 1;
    std::size_t lines = 0;
    PieceResult result;
    RawColumns rows;  ///< of a piece from behind, until all is put together
};

/// Lines of a text; one that has no end counts too.
std::size_t countLines(std::string_view text);

/// Cuts the data part, from byte `from` on, at line ends.
std::vector<Piece> cutPieces(const TextSource& source, std::size_t from);

/// Parses pieces on several threads. The first takes them from the front, straight into the
/// columns that stay; the others from behind, into columns of each piece that are put to the end
/// when the two have met. So no line is counted before it is parsed, and no room is left between.
class PieceReader {
  public:
    PieceReader(const TextSource& source, std::vector<Piece>& pieces, const RowParser& parser,
                std::size_t most_bytes, const Progress& progress, const std::stop_token& stop)
        : source_(source),
          pieces_(pieces),
          parser_(parser),
          most_bytes_(most_bytes),
          progress_(progress),
          stop_(stop),
          behind_(pieces.size()) {}

    /// All rows, in the order of the file; their number. `rowBytes`: what a line takes about.
    std::size_t read(RawColumns& out, std::size_t rowBytes, unsigned threads);

    /// False: a piece is no plain UTF-8.
    bool plain() const { return plain_; }
    /// More rows than memory was granted for.
    bool tooMany() const { return tooMany_; }

  private:
    /// The next piece from the front or from behind; null when there is none or all is to end.
    Piece* take(bool fromFront);
    std::size_t parse(Piece& piece, RawColumns& into, std::size_t from);
    /// Puts the rows of the pieces from behind to the end, column by column: each goes as soon as
    /// it stands there.
    std::size_t putTogether(RawColumns& out, std::size_t rows, unsigned threads);

    const TextSource& source_;
    std::vector<Piece>& pieces_;
    const RowParser& parser_;
    std::size_t most_bytes_;
    const Progress& progress_;
    const std::stop_token& stop_;
    std::mutex guard_;
    std::size_t front_ = 0, behind_;
    std::atomic<std::size_t> done_{0}, room_{0};
    std::atomic<bool> plain_{true}, tooMany_{false}, left_{false};
};

}  // namespace nk
