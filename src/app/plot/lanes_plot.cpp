#include "app/plot/lanes_plot.h"

#include <algorithm>
#include <cmath>

#include "app/theme/theme.h"

namespace nk {

namespace {

/// From this mean height of a pixel column on, a curve is drawn as the area it covers.
constexpr double kDenseStroke_px = 24;

}  // namespace

LanesPlot::LanesPlot(QWidget* parent) : QCustomPlot(parent) {
    setObjectName("lanes");
    setAccessibleName(tr("Curves of voltage, current and temperature over time"));
    setFocusPolicy(Qt::StrongFocus);
    setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    setNoAntialiasingOnDrag(true);
    plotLayout()->clear();
    plotLayout()->setRowSpacing(2);
    addLayer(kShade, layer("grid"), QCustomPlot::limBelow);
    addLayer(kOverlay, layer("overlay"), QCustomPlot::limAbove);
    layer(kOverlay)->setMode(QCPLayer::lmBuffered);
    setMinimumSize(320, 240);
}

QColor LanesPlot::colourOf(int kind, std::size_t index, std::size_t count) const {
    const Theme& t = currentTheme();
    if (kind == 1) return t.current;
    if (kind == 2) return t.temperature;
    if (kind == 4) return t.charge;
    if (kind == 0) return t.voltage;
    // The cell bundle: one hue, from strong to weak.
    const double f = count > 1 ? static_cast<double>(index) / static_cast<double>(count - 1) : 0;
    QColor c = t.voltage;
    c.setHslF(
        c.hslHueF(), c.hslSaturationF() * static_cast<float>(1 - 0.35 * f),
        std::clamp(c.lightnessF() + static_cast<float>((t.dark ? -0.22 : 0.26) * f), 0.0F, 1.0F));
    return c;
}

void LanesPlot::buildLane(int kind, const QString& title,
                          std::vector<std::span<const double>> columns, int stretch) {
    Lane lane;
    lane.kind = kind;
    lane.title = title;
    lane.rect = new QCPAxisRect(this, true);
    lane.rect->setLayer("background");
    lane.rect->setMinimumMargins(QMargins(52, 18, 10, 4));
    lane.rect->setRangeDrag(Qt::Horizontal);
    lane.rect->setRangeZoom(Qt::Horizontal);
    plotLayout()->addElement(static_cast<int>(lanes_.size()), 0, lane.rect);
    plotLayout()->setRowStretchFactor(static_cast<int>(lanes_.size()), stretch);
    QCPAxis* x = lane.rect->axis(QCPAxis::atBottom);
    QCPAxis* y = lane.rect->axis(QCPAxis::atLeft);
    QSharedPointer<QCPAxisTickerTime> ticker(new QCPAxisTickerTime);
    ticker->setTimeFormat("%h:%m:%s");
    ticker->setTickCount(6);
    x->setTicker(ticker);
    y->ticker()->setTickCount(kind == 0 ? 6 : 3);
    for (QCPAxis* axis : lane.rect->axes()) axis->setLayer("axes");
    for (QCPGrid* grid : {x->grid(), y->grid()}) grid->setLayer("grid");
    lane.rect->setupFullAxesBox(false);
    lane.rect->axis(QCPAxis::atTop)->setTicks(false);
    lane.rect->axis(QCPAxis::atRight)->setTicks(false);
    for (const auto& column : columns) {
        Curve curve;
        curve.column = column;
        curve.pyramid = Pyramid(column);
        curve.graph = new EnvelopeGraph(x, y);
        curve.graph->setAdaptiveSampling(false);  // the points are decimated already
        lane.curves.push_back(std::move(curve));
    }
    lane.label = new QCPItemText(this);
    lane.label->position->setAxisRect(lane.rect);
    lane.label->position->setType(QCPItemPosition::ptAxisRectRatio);
    lane.label->position->setCoords(0, 0);
    lane.label->setPositionAlignment(Qt::AlignLeft | Qt::AlignBottom);
    lane.label->setPadding(QMargins(0, 0, 0, 2));
    lane.label->setClipToAxisRect(false);
    lane.label->setText(title);
    lane.shade = new QCPItemRect(this);
    lane.shade->setLayer(kShade);
    lane.shade->setClipAxisRect(lane.rect);
    for (QCPItemPosition* p : {lane.shade->topLeft, lane.shade->bottomRight}) {
        p->setAxes(x, y);
        p->setAxisRect(lane.rect);
        p->setTypeX(QCPItemPosition::ptPlotCoords);
        p->setTypeY(QCPItemPosition::ptAxisRectRatio);
    }
    lane.shade->setVisible(false);
    const auto verticalLine = [&] {
        auto* line = new QCPItemStraightLine(this);
        line->setLayer(kOverlay);
        line->setClipAxisRect(lane.rect);
        line->point1->setAxes(x, y);
        line->point2->setAxes(x, y);
        line->setVisible(false);
        return line;
    };
    lane.cursor = verticalLine();
    lane.pins[0] = verticalLine();
    lane.pins[1] = verticalLine();
    lane.dot = new QCPItemTracer(this);
    lane.dot->setLayer(kOverlay);
    lane.dot->setStyle(QCPItemTracer::tsCircle);
    lane.dot->setSize(7);
    lane.dot->position->setAxes(x, y);
    lane.dot->setClipAxisRect(lane.rect);
    lane.dot->setVisible(false);
    lanes_.push_back(std::move(lane));
}

void LanesPlot::setRecording(RecordingPtr recording, int wanted) {
    clearItems();
    clearPlottables();
    plotLayout()->clear();
    lanes_.clear();
    markItems_.clear();
    marks_.clear();
    temperatureLimits_.clear();
    bracket_ = nullptr;
    bracketText_ = nullptr;
    evidence_.reset();
    cursor_.reset();
    pins_[0].reset();
    pins_[1].reset();
    recording_ = std::move(recording);
    if (!recording_ || recording_->empty()) {
        replot(QCustomPlot::rpQueuedReplot);
        return;
    }
    buildLane(0, tr("Voltage V"), {recording_->voltage_V()}, 100);
    if (recording_->cells_V().size() > 1 && (wanted & kCells) != 0) {
        std::vector<std::span<const double>> cells;
        for (const auto& cell : recording_->cells_V()) cells.emplace_back(cell);
        buildLane(3, tr("Cells V · %1 in a bundle, cell 1 strongest").arg(cells.size()), cells, 52);
        spread_mV_.resize(recording_->size());
        for (std::size_t k = 0; k < spread_mV_.size(); ++k) {
            double low = 1e300;
            double high = -1e300;
            for (const auto& cell : cells) {
                low = std::min(low, cell[k]);
                high = std::max(high, cell[k]);
            }
            spread_mV_[k] = 1e3 * (high - low);
        }
        buildLane(4, tr("Cell spread mV · highest minus lowest"), {spread_mV_}, 30);
    }
    if ((wanted & kCurrent) != 0)
        buildLane(1, tr("Current A · above zero charges"), {recording_->current_A()}, 46);
    if (recording_->hasTemperature() && (wanted & kTemperature) != 0)
        buildLane(2, tr("Temperature °C"), {recording_->temperature_C()}, 40);
    auto* group = new QCPMarginGroup(this);
    for (std::size_t n = 0; n < lanes_.size(); ++n) {
        Lane& lane = lanes_[n];
        lane.rect->setMarginGroup(QCP::msLeft | QCP::msRight, group);
        lane.rect->axis(QCPAxis::atBottom)->setTickLabels(n + 1 == lanes_.size());
        if (n + 1 == lanes_.size()) lane.rect->setMinimumMargins(QMargins(52, 18, 10, 24));
        connect(lane.rect->axis(QCPAxis::atBottom),
                qOverload<const QCPRange&>(&QCPAxis::rangeChanged), this,
                [this](const QCPRange& range) {
                    if (refilling_) return;
                    showRange(range.lower, range.upper);
                });
    }
    bracket_ = new QCPItemBracket(this);
    bracket_->setLayer(kOverlay);
    bracket_->setStyle(QCPItemBracket::bsSquare);
    bracket_->setLength(7);
    bracketText_ = new QCPItemText(this);
    bracketText_->setLayer(kOverlay);
    QCPAxisRect* top = lanes_.front().rect;
    for (QCPItemPosition* p : {bracket_->left, bracket_->right, bracketText_->position}) {
        p->setAxes(top->axis(QCPAxis::atBottom), top->axis(QCPAxis::atLeft));
        p->setAxisRect(top);
        p->setTypeX(QCPItemPosition::ptPlotCoords);
        p->setTypeY(QCPItemPosition::ptAxisRectRatio);
    }
    bracket_->setClipAxisRect(top);
    bracketText_->setClipToAxisRect(false);
    bracket_->setVisible(false);
    bracketText_->setVisible(false);
    applyColours();
    showAll();
}

void LanesPlot::applyColours() {
    const Theme& t = currentTheme();
    setBackground(t.window);
    const QFont small(font().family(), -1);
    QFont labels = font();
    labels.setPixelSize(11);
    QFont titles = font();
    titles.setPixelSize(12);
    titles.setWeight(QFont::DemiBold);
    for (Lane& lane : lanes_) {
        lane.rect->setBackground(t.plot);
        for (QCPAxis* axis : lane.rect->axes()) {
            axis->setBasePen(QPen(t.line));
            axis->setTickPen(QPen(t.line));
            axis->setSubTickPen(Qt::NoPen);
            axis->setTickLabelColor(t.muted);
            axis->setTickLabelFont(labels);
            axis->grid()->setPen(QPen(t.line, 1, Qt::SolidLine));
            axis->grid()->setZeroLinePen(QPen(t.line, 1));
            axis->grid()->setSubGridVisible(false);
        }
        lane.rect->axis(QCPAxis::atBottom)->grid()->setVisible(false);
        for (std::size_t k = 0; k < lane.curves.size(); ++k) {
            QPen pen(colourOf(lane.kind, k, lane.curves.size()));
            pen.setWidthF(1.0);  // thicker antialiased dense lines cost a second a redraw
            lane.curves[k].graph->setPen(pen);
        }
        lane.label->setFont(titles);
        lane.label->setColor(colourOf(lane.kind, 0, 1));
        lane.cursor->setPen(QPen(t.text, 1, Qt::DotLine));
        lane.pins[0]->setPen(QPen(t.accent, 1.4, Qt::DashLine));
        lane.pins[1]->setPen(QPen(t.charge, 1.4, Qt::DashDotLine));
        lane.dot->setPen(QPen(t.card, 1));
        lane.dot->setBrush(colourOf(lane.kind, 0, 1));
        QColor shade = t.accent;
        shade.setAlpha(t.dark ? 46 : 26);
        lane.shade->setBrush(shade);
        lane.shade->setPen(Qt::NoPen);
    }
    if (bracket_ != nullptr) {
        bracket_->setPen(QPen(t.accent, 1.6));
        bracketText_->setFont(titles);
        bracketText_->setColor(t.accent);
    }
    setMarks(marks_);
    refill();
}

std::vector<std::size_t> LanesPlot::pixelColumns(int pixels, double low, double high) const {
    const std::size_t size = recording_->size();
    std::vector<std::size_t> columns;
    columns.reserve(static_cast<std::size_t>(pixels) + 1);
    const std::size_t first = recording_->lowerBound(low);
    const std::size_t last = std::min(recording_->lowerBound(high) + 1, size);
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
        found = recording_->lowerBound(edge, found + width);
        width = std::max<std::size_t>(found - before, 1);
        columns.push_back(std::clamp((found + block - 1) / block * block, columns.back(), last));
    }
    columns.push_back(last);
    return columns;
}

double LanesPlot::fillCurve(Curve& curve, const std::vector<std::size_t>& columns, double low,
                            double high, double& yLow, double& yHigh) {
    const auto t = recording_->time_s();
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
            points.push_back({t[k], curve.column[k]});
            if (gap < gaps.size() && gaps[gap].before == k) {
                points.push_back({t[k], qQNaN()});
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

void LanesPlot::refill() {
    if (!recording_ || lanes_.empty()) return;
    refilling_ = true;
    const double low = rangeLow();
    const double high = rangeHigh();
    int columnsWide = 0;
    std::vector<std::size_t> columns;  // the same for all curves of lanes of the same width
    // Hours and minutes are enough until less than half an hour is shown.
    const QString format = high - low > 1800 ? "%h:%m" : "%h:%m:%s";
    for (Lane& lane : lanes_) {
        QCPAxis* x = lane.rect->axis(QCPAxis::atBottom);
        x->setRange(low, high);
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
        if (lane.kind == 1) yLow = std::min(yLow, 0.0), yHigh = std::max(yHigh, 0.0);
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
        const double exact = (yHigh - yLow + 2 * pad) / std::max(1, y->ticker()->tickCount());
        const double power = std::pow(10.0, std::floor(std::log10(std::max(exact, 1e-9))));
        const double mantissa = exact / power;
        const bool quarter = mantissa > 2.25 && mantissa < 3.75;
        const int digits = static_cast<int>(-std::floor(std::log10(power) + 1e-9)) +
                           (quarter ? 1 : 0) - (mantissa >= 7.5 ? 1 : 0);
        y->setNumberFormat("f");
        y->setNumberPrecision(std::clamp(digits, 0, 5));
    }
    refilling_ = false;
    placeOverlays();
    replot(QCustomPlot::rpQueuedReplot);
}

void LanesPlot::showAll() {
    if (!recording_ || recording_->empty()) return;
    const auto t = recording_->time_s();
    showRange(t.front(), std::max(t.back(), t.front() + 1e-3));
}

void LanesPlot::showRange(double from_s, double to_s) {
    if (!recording_ || lanes_.empty()) return;
    const auto t = recording_->time_s();
    const double all = std::max(t.back() - t.front(), 1e-3);
    const double least = std::max(all * 1e-7, 2 * recording_->usualInterval_s());
    double span = std::clamp(to_s - from_s, std::min(least, all), all);
    double from = 0.5 * (from_s + to_s) - span / 2;
    from = std::clamp(from, t.front(), t.front() + all - span);
    refilling_ = true;
    for (Lane& lane : lanes_) lane.rect->axis(QCPAxis::atBottom)->setRange(from, from + span);
    refilling_ = false;
    refill();
    Q_EMIT viewChanged();
}

double LanesPlot::rangeLow() const {
    return lanes_.empty() ? 0 : lanes_.front().rect->axis(QCPAxis::atBottom)->range().lower;
}
double LanesPlot::rangeHigh() const {
    return lanes_.empty() ? 1 : lanes_.front().rect->axis(QCPAxis::atBottom)->range().upper;
}

std::pair<int, int> LanesPlot::laneEdges() const {
    if (lanes_.empty()) return {52, width() - 10};
    return {lanes_.front().rect->left(), lanes_.front().rect->right()};
}

void LanesPlot::mouseMoveEvent(QMouseEvent* event) {
    QCustomPlot::mouseMoveEvent(event);
    if (lanes_.empty()) return;
    const double x =
        lanes_.front().rect->axis(QCPAxis::atBottom)->pixelToCoord(event->position().x());
    cursor_ = std::clamp(x, rangeLow(), rangeHigh());
    placeOverlays();
    Q_EMIT pointerAt(*cursor_);
}

void LanesPlot::leaveEvent(QEvent* event) {
    QCustomPlot::leaveEvent(event);
    cursor_.reset();
    placeOverlays();
    Q_EMIT pointerLeft();
}

void LanesPlot::keyPressEvent(QKeyEvent* event) {
    const double span = rangeHigh() - rangeLow();
    const double middle = 0.5 * (rangeLow() + rangeHigh());
    switch (event->key()) {
        case Qt::Key_Home:
            showAll();
            return;
        case Qt::Key_Left:
            showRange(rangeLow() - 0.1 * span, rangeHigh() - 0.1 * span);
            return;
        case Qt::Key_Right:
            showRange(rangeLow() + 0.1 * span, rangeHigh() + 0.1 * span);
            return;
        case Qt::Key_Plus:
        case Qt::Key_Equal:
            showRange(middle - 0.35 * span, middle + 0.35 * span);
            return;
        case Qt::Key_Minus:
            showRange(middle - 0.72 * span, middle + 0.72 * span);
            return;
        case Qt::Key_A:
        case Qt::Key_B:
            if (!lanes_.empty())
                Q_EMIT pinRequested(event->key() == Qt::Key_A ? 0 : 1, cursor_.value_or(middle));
            return;
        default:
            QCustomPlot::keyPressEvent(event);
    }
}

void LanesPlot::resizeEvent(QResizeEvent* event) {
    QCustomPlot::resizeEvent(event);
    replot(QCustomPlot::rpImmediateRefresh);  // lays the lanes out, so that their width is known
    refill();
    Q_EMIT viewChanged();
}

}  // namespace nk
