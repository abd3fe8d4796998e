#include "piece_reader.h"

#include <algorithm>
#include <exception>
#include <new>
#include <thread>

#include "bytes.h"

namespace nk {

namespace {

constexpr std::size_t kPiece = std::size_t{4} << 20;

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

}  // namespace

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

std::vector<Piece> cutPieces(const TextSource& source, std::size_t from) {
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
    return pieces;
}

std::size_t PieceReader::read(RawColumns& out, std::size_t rowBytes, unsigned threads) {
    const std::size_t bytes = pieces_.empty() ? 0 : pieces_.back().to - pieces_.front().from;
    const std::size_t likely = bytes / std::max(rowBytes, parser_.leastRowBytes());
    // Room that is not touched costs nothing; what there is not enough memory for is not asked for
    // ahead.
    try {
        if (most_bytes_ == 0) parser_.reserve(out, likely + likely / 50 + 1000);
    } catch (const std::bad_alloc&) {
    }
    std::size_t front = 0;
    std::exception_ptr failure;
    const auto work = [&](auto part) {
        try {
            part();
        } catch (...) {
            left_ = true;
            const std::scoped_lock lock(guard_);
            failure = std::current_exception();
        }
    };
    {
        std::vector<std::jthread> pool;
        for (std::size_t n = 1; n < std::min<std::size_t>(threads, pieces_.size()); ++n)
            pool.emplace_back([this, &work] {
                work([this] {
                    while (Piece* piece = take(false)) parse(*piece, piece->rows, 0);
                });
            });
        work([&] {
            while (Piece* piece = take(true)) front += parse(*piece, out, front);
        });
    }
    if (failure) std::rethrow_exception(failure);
    if (done_ != pieces_.size()) return 0;
    parser_.resize(out, front);  // where all came from behind too
    return putTogether(out, front, threads);
}

Piece* PieceReader::take(bool fromFront) {
    const std::scoped_lock lock(guard_);
    if (left_ || stop_.stop_requested() || source_.failed() || front_ == behind_) return nullptr;
    return &pieces_[fromFront ? front_++ : --behind_];
}

std::size_t PieceReader::parse(Piece& piece, RawColumns& into, std::size_t from) {
    thread_local std::string buffer;
    const auto text = source_.bytes(piece.from, piece.to, buffer);
    if (!plainUtf8(text)) {
        plain_ = false;
        left_ = true;
        return 0;
    }
    piece.lines = countLines(text);
    const std::size_t room = std::min(piece.lines, text.size() / parser_.leastRowBytes() + 1) + 1;
    if (most_bytes_ > 0 && (room_ += room) * parser_.columns() > most_bytes_ / sizeof(double)) {
        tooMany_ = true;
        left_ = true;
        return 0;
    }
    parser_.resize(into, from + room);
    piece.result = parser_.parse(text, from, into, &piece == &pieces_.back(), stop_);
    parser_.resize(into, from + piece.result.rows);
    const std::size_t finished = ++done_;
    if (progress_)
        progress_(0.9 * static_cast<double>(finished) / static_cast<double>(pieces_.size()));
    return piece.result.rows;
}

std::size_t PieceReader::putTogether(RawColumns& out, std::size_t rows, unsigned threads) {
    std::size_t total = rows;
    for (std::size_t k = front_; k < pieces_.size(); ++k) total += pieces_[k].result.rows;
    if (front_ == pieces_.size()) return total;
    std::vector<std::vector<double>*> columns;
    std::vector<std::vector<std::vector<double>*>> parts(pieces_.size());
    out.forEach([&](std::vector<double>& column) { columns.push_back(&column); });
    for (std::size_t k = front_; k < pieces_.size(); ++k)
        pieces_[k].rows.forEach([&](std::vector<double>& column) { parts[k].push_back(&column); });
    for (std::size_t c = 0; c < columns.size(); ++c)
        if (std::any_of(parts.begin() + static_cast<std::ptrdiff_t>(front_), parts.end(),
                        [c](const auto& part) { return !part[c]->empty(); }))
            columns[c]->reserve(total);
    inParallel(columns.size(), threads, [&](std::size_t c) {
        for (std::size_t k = front_; k < pieces_.size(); ++k) {
            columns[c]->insert(columns[c]->end(), parts[k][c]->begin(), parts[k][c]->end());
            std::vector<double>().swap(*parts[k][c]);
        }
    });
    for (std::size_t k = front_; k < pieces_.size(); ++k)
        out.mode.insert(out.mode.end(), pieces_[k].rows.mode.begin(), pieces_[k].rows.mode.end());
    return total;
}

}  // namespace nk
