#include "app/plot/envelope_graph.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

namespace nk {

namespace {

struct Bar {
    int left, top, bottom;  ///< pixels; bottom is not part of it
};

/// Draws bars that stand side by side. What they have in common is one rectangle: pixels are
/// quickest filled along a row.
void drawRun(QCPPainter& painter, const Bar* first, const Bar* last, const QColor& colour) {
    int top = first->top;
    int bottom = first->bottom;
    for (const Bar* b = first; b != last; ++b) {
        top = std::max(top, b->top);
        bottom = std::min(bottom, b->bottom);
    }
    const bool common = bottom > top;
    if (common)
        painter.fillRect(QRect(first->left, top, static_cast<int>(last - first), bottom - top),
                         colour);
    for (const Bar* b = first; b != last; ++b) {
        const int upper = common ? top : b->bottom;
        if (b->top < upper) painter.fillRect(QRect(b->left, b->top, 1, upper - b->top), colour);
        if (common && b->bottom > bottom)
            painter.fillRect(QRect(b->left, bottom, 1, b->bottom - bottom), colour);
    }
}

}  // namespace

void EnvelopeGraph::draw(QCPPainter* painter) {
    if (!dense_) {
        QCPGraph::draw(painter);
        return;
    }
    painter->setAntialiasing(false);
    std::vector<Bar> bars;
    std::optional<double> before;  // last value of the column to the left: bars must touch
    for (auto point = data()->constBegin(); point != data()->constEnd();) {
        const double key = point->key;
        double low = before.value_or(point->value);
        double high = low;
        double last = low;
        for (; point != data()->constEnd() && point->key == key; ++point) {
            last = point->value;
            low = std::min(low, last);
            high = std::max(high, last);
        }
        if (!std::isfinite(last)) {  // a gap in the log
            before.reset();
            continue;
        }
        before = last;
        const int top = static_cast<int>(std::floor(valueAxis()->coordToPixel(high)));
        const int bottom = static_cast<int>(std::ceil(valueAxis()->coordToPixel(low)));
        const int left = static_cast<int>(std::floor(keyAxis()->coordToPixel(key)));
        bars.push_back({left, top, std::max(bottom, top + 1)});
    }
    constexpr std::size_t kRun = 16;
    for (std::size_t k = 0; k < bars.size();) {
        std::size_t end = k + 1;
        while (end < bars.size() && end - k < kRun && bars[end].left == bars[end - 1].left + 1)
            ++end;
        drawRun(*painter, bars.data() + k, bars.data() + end, pen().color());
        k = end;
    }
}

}  // namespace nk
