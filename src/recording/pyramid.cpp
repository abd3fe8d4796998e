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

Pyramid::Pyramid(std::span<const double> column) {
    grow(column);
}

void Pyramid::grow(std::span<const double> column) {
    const std::size_t had = column_.size();
    column_ = column;
    fill(std::min(had, column.size()));
}

void Pyramid::fill(std::size_t from) {
    if (column_.size() < kBase) {
        levels_.clear();
        return;
    }
    if (levels_.empty()) {
        levels_.emplace_back();
        from = 0;
    }
    std::size_t first = from / kBase;  // the first block that is new or was not full
    levels_[0].resize((column_.size() + kBase - 1) / kBase);
    for (std::size_t b = first; b < levels_[0].size(); ++b) {
        levels_[0][b] = kNothing;
        const std::size_t end = std::min(column_.size(), (b + 1) * kBase);
        for (std::size_t i = b * kBase; i < end; ++i) widen(levels_[0][b], column_[i], column_[i]);
    }
    for (std::size_t l = 0; levels_[l].size() > kFactor; ++l) {
        if (l + 1 == levels_.size()) {
            levels_.emplace_back();
            first = 0;
        }
        const auto& below = levels_[l];
        auto& here = levels_[l + 1];
        first /= kFactor;
        here.resize((below.size() + kFactor - 1) / kFactor);
        for (std::size_t b = first; b < here.size(); ++b) {
            here[b] = kNothing;
            const std::size_t end = std::min(below.size(), (b + 1) * kFactor);
            for (std::size_t i = b * kFactor; i < end; ++i)
                widen(here[b], below[i].low, below[i].high);
        }
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
