#include "pyramid.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace nk {

namespace {

constexpr MinMax kNothing{std::numeric_limits<double>::infinity(),
                          -std::numeric_limits<double>::infinity()};

void widen(MinMax& into, double low, double high) {
    // Comparisons with NaN are false, so NaN never gets in.
    if (low < into.low) into.low = low;
    if (high > into.high) into.high = high;
}

}  // namespace

Pyramid::Pyramid(std::span<const double> column) : column_(column) {
    if (column.size() < kBase) return;
    std::vector<MinMax> base((column.size() + kBase - 1) / kBase, kNothing);
    for (std::size_t b = 0; b < base.size(); ++b) {
        const std::size_t end = std::min(column.size(), (b + 1) * kBase);
        for (std::size_t i = b * kBase; i < end; ++i) widen(base[b], column[i], column[i]);
    }
    levels_.push_back(std::move(base));
    while (levels_.back().size() > kFactor) {
        const auto& below = levels_.back();
        std::vector<MinMax> next((below.size() + kFactor - 1) / kFactor, kNothing);
        for (std::size_t i = 0; i < below.size(); ++i)
            widen(next[i / kFactor], below[i].low, below[i].high);
        levels_.push_back(std::move(next));
    }
}

MinMax Pyramid::range(std::size_t first, std::size_t last) const {
    MinMax out = kNothing;
    last = std::min(last, column_.size());
    std::size_t at = first;
    while (at < last) {
        // Take the largest aligned block that fits.
        std::size_t size = 1;
        std::size_t level = 0;
        std::size_t block = kBase;
        bool fromLevel = false;
        for (std::size_t l = 0; l < levels_.size(); ++l, block *= kFactor) {
            if (at % block != 0 || at + block > last) break;
            size = block;
            level = l;
            fromLevel = true;
        }
        if (fromLevel) {
            const MinMax& m = levels_[level][at / size];
            widen(out, m.low, m.high);
        } else {
            widen(out, column_[at], column_[at]);
        }
        at += size;
    }
    if (out.low > out.high) return {std::nan(""), std::nan("")};
    return out;
}

std::size_t Pyramid::alignment(std::size_t samples) {
    if (samples < 8 * kBase) return 1;
    std::size_t block = kBase;
    while (samples >= 8 * block * kFactor) block *= kFactor;
    return block;
}

std::size_t Pyramid::bytes() const {
    std::size_t sum = 0;
    for (const auto& level : levels_) sum += level.size() * sizeof(MinMax);
    return sum;
}

}  // namespace nk
