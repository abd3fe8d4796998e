// Minimum and maximum of a column at several block sizes, so that a redraw costs the same for a
// thousand or ten million samples. Borrows the column: it must outlive the pyramid.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace nk {

struct MinMax {
    double low = 0;
    double high = 0;
};

class Pyramid {
  public:
    Pyramid() = default;
    explicit Pyramid(std::span<const double> column);

    /// The column has grown (and may lie elsewhere): the same as a pyramid of the whole, for the
    /// cost of what is new. The samples it had before must be the same.
    void grow(std::span<const double> column);

    /// Smallest and largest value of samples [first, last); NaN samples are ignored. Both NaN
    /// when there is none.
    MinMax range(std::size_t first, std::size_t last) const;
    std::size_t bytes() const;

    /// The largest block of any level of which `samples` hold at least eight; 1 when none. A range
    /// that begins and ends at multiples of it is answered without touching a sample.
    static std::size_t alignment(std::size_t samples);

  private:
    static constexpr std::size_t kBase = 64;  ///< samples in a block of the lowest level
    static constexpr std::size_t kFactor = 8;
    /// Makes the blocks that hold samples from `from` on anew, on every level.
    void fill(std::size_t from);

    std::span<const double> column_;
    std::vector<std::vector<MinMax>> levels_;
};

}  // namespace nk
