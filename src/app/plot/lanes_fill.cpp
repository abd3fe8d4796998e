// What a redraw costs: the samples of the shown range, one pixel column at a time.
#include <algorithm>
#include <cmath>

#include "app/plot/lanes_plot.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// From this mean height of a pixel column on, a curve is drawn as the area it covers.
constexpr double kDenseStroke_px = 24;

}  // namespace

std::vector<std::size_t> LanesPlot::pixelColumns(int pixels, double low, double high) const {
    const auto place = axis_->column();
    std::vector<std::size_t> columns;
    columns.reserve(static_cast<std::size_t>(pixels) + 1);
    const std::size_t first = lowerBoundNear(place, low, 0);
    const std::size_t last = std::min(lowerBoundNear(place, high, first) + 1, place.size());
    columns.push_back(first > 0 ? first - 1 : 0);
    // Where a column holds many blocks of the pyramid its edge goes to the next block: less than
    // an eighth of a pixel, and no sample need be touched.
    const std::size_t block =
        Pyramid::alignment((last - columns.front()) / static_cast<std::size_t>(pixels));
    std::size_t found = first;
    std::size_t width = 1;
    for (int p = 1; p < pixels; ++p) {
        const double edge = low + (high - low) * p / pixels;
        const std::size_t before = found;
        found = lowerBoundNear(place, edge, found + width);
        width = std::max<std::size_t>(found - before, 1);
        columns.push_back(std::clamp((found + block - 1) / block * block, columns.back(), last));
    }
    columns.push_back(last);
    return columns;
}

double LanesPlot::fillCurve(Curve& curve, const std::vector<std::size_t>& columns, double low,
                            double high, double& yLow, double& yHigh) {
    const auto place = axis_->column();
    const int pixels = static_cast<int>(columns.size()) - 1;
    const std::size_t first = columns.front();
    const std::size_t last = columns.back();
    double heights = 0;
    auto* container = new QCPGraphDataContainer;
    const std::size_t count = last > first ? last - first : 0;
    QVector<QCPGraphData> points;
    const auto& gaps = recording_->gaps();
    std::size_t gap = 0;
    while (gap < gaps.size() && gaps[gap].before < first) ++gap;
    if (count <= static_cast<std::size_t>(pixels) * 3) {
        points.reserve(static_cast<int>(count + 8));
        for (std::size_t k = first; k < last; ++k) {
            points.push_back({place[k], curve.column[k]});
            if (gap < gaps.size() && gaps[gap].before == k) {
                points.push_back({place[k], qQNaN()});
                ++gap;
            }
            if (std::isfinite(curve.column[k]))
                yLow = std::min(yLow, curve.column[k]), yHigh = std::max(yHigh, curve.column[k]);
        }
    } else {
        points.reserve(pixels * 4 + 8);
        std::size_t from = first;
        for (int p = 0; p < pixels && from < last; ++p) {
            const double edge = low + (high - low) * (p + 1) / pixels;
            const std::size_t to = columns[static_cast<std::size_t>(p) + 1];
            if (to <= from) continue;
            const MinMax m = curve.pyramid.range(from, to);
            if (std::isfinite(m.low)) {
                yLow = std::min(yLow, m.low);
                yHigh = std::max(yHigh, m.high);
                heights += m.high - m.low;
                const double x = low + (high - low) * (p + 0.5) / pixels;
                points.push_back({x, curve.column[from]});
                if (m.high > m.low) {
                    points.push_back({x, m.low});
                    points.push_back({x, m.high});
                }
                points.push_back({x, curve.column[to - 1]});
            }
            bool broken = false;
            while (gap < gaps.size() && gaps[gap].before < to) broken = true, ++gap;
            if (broken && to < last) points.push_back({edge, qQNaN()});
            from = to;
        }
    }
    container->set(points, true);
    curve.graph->setData(QSharedPointer<QCPGraphDataContainer>(container));
    return heights / pixels;
}

namespace {

/// How many ticks of the axis lie in its range.
int labelsIn(const QCPAxis& axis) {
    QVector<double> ticks;
    axis.ticker()->generate(axis.range(), QLocale::c(), 'f', 3, ticks, nullptr, nullptr);
    int inside = 0;
    for (const double t : ticks) inside += axis.range().contains(t);
    return inside;
}

}  // namespace

void LanesPlot::refill() {
    if (!recording_ || lanes_.empty()) return;
    refilling_ = true;
    const double low = shown().lower;
    const double high = shown().upper;
    int columnsWide = 0;
    std::vector<std::size_t> columns;  // the same for all curves of lanes of the same width
    // Hours and minutes are enough until less than half an hour is shown.
    const QString format = high - low > 1800 ? "%h:%m" : "%h:%m:%s";
    for (Lane& lane : lanes_) {
        QCPAxis* x = lane.rect->axis(QCPAxis::atBottom);
        x->setRange(low, high);
        if (across_ == AxisKind::Time)
            qSharedPointerCast<QCPAxisTickerTime>(x->ticker())->setTimeFormat(format);
        double yLow = 1e300;
        double yHigh = -1e300;
        const int pixels = std::max(50, lane.rect->width() > 0 ? lane.rect->width() : width());
        if (pixels != columnsWide) columns = pixelColumns(pixels, low, high), columnsWide = pixels;
        double height = 0;
        for (Curve& curve : lane.curves)
            height = std::max(height, fillCurve(curve, columns, low, high, yLow, yHigh));
        const double stroke_px = height / (yHigh - yLow) * lane.rect->height();
        for (Curve& curve : lane.curves) curve.graph->setDense(stroke_px > kDenseStroke_px);
        if (yLow > yHigh) yLow = 0, yHigh = 1;
        if (lane.kind == 1 || lane.kind == 5)
            yLow = std::min(yLow, 0.0), yHigh = std::max(yHigh, 0.0);
        if (lane.kind == 4) yLow = 0;
        if (lane.kind == 2)
            for (const auto& [limit, words] : temperatureLimits_) {
                // Near means within eight degrees on the side the limit lies.
                if (limit > yHigh && limit - yHigh < 8) yHigh = limit + 1;
                if (limit < yLow && yLow - limit < 8 && limit < 15) yLow = limit - 1;
            }
        const double least = lane.kind == 4   ? 5.0
                             : lane.kind == 2 ? 2.0
                             : lane.kind == 1 ? 0.02
                                              : 0.01;
        double pad = 0.07 * (yHigh - yLow);
        if (yHigh - yLow < least) pad = (least - (yHigh - yLow)) / 2;
        QCPAxis* y = lane.rect->axis(QCPAxis::atLeft);
        y->setRange(yLow - pad, yHigh + pad);
        // As many decimals as the steps of the axis need, the same on every label. The ticker takes
        // steps of 1, 2, 2.5 or 5 times a power of ten; 2.5 needs one digit more.
        // A label needs its room.
        const int most = lane.kind == 0 ? 6 : 3;
        if (lane.rect->height() > 0)
            y->ticker()->setTickCount(std::clamp(lane.rect->height() / 22, 2, most));
        const double scale = lane.kind == 2 && currentStyle().fahrenheit ? 1.8 : 1;
        // One label is no scale: finer steps until two lie in view.
        while (y->ticker()->tickCount() < 8 && labelsIn(*y) < 2)
            y->ticker()->setTickCount(y->ticker()->tickCount() + 1);
        const double exact =
            scale * (yHigh - yLow + 2 * pad) / std::max(1, y->ticker()->tickCount());
        const double power = std::pow(10.0, std::floor(std::log10(std::max(exact, 1e-9))));
        const double mantissa = exact / power;
        const bool quarter = mantissa > 2.25 && mantissa < 3.75;
        const int digits = static_cast<int>(-std::floor(std::log10(power) + 1e-9)) +
                           (quarter ? 1 : 0) - (mantissa >= 7.5 ? 1 : 0);
        y->setNumberFormat("f");
        y->setNumberPrecision(std::clamp(digits, 0, 5));
        if (lane.kind == 3) nameBundle(lane, high);
    }
    refilling_ = false;
    placeOverlays();
    replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace nk
