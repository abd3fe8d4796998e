#include "app/plot/lanes_plot.h"

#include <algorithm>
#include <cmath>

#include "app/plot/fahrenheit_ticker.h"
#include "app/preferences/preferences.h"
#include "app/theme/theme.h"

namespace nk {

LanesPlot::LanesPlot(QWidget* parent) : QCustomPlot(parent) {
    setObjectName("lanes");
    setAccessibleName(tr("Curves of voltage, current and temperature over time"));
    setFocusPolicy(Qt::StrongFocus);
    setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    setNoAntialiasingOnDrag(true);
    grabGesture(Qt::PinchGesture);
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
    if (kind == 4 || kind == 5) return t.charge;
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
    if (kind == 2 && currentStyle().fahrenheit)
        y->setTicker(QSharedPointer<QCPAxisTicker>(new FahrenheitTicker));
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

void LanesPlot::setRecording(RecordingPtr recording, int wanted,
                             std::span<const double> charge_Ah) {
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
    axis_.reset();
    if (!recording_ || recording_->empty()) {
        replot(QCustomPlot::rpQueuedReplot);
        return;
    }
    axis_ = SampleAxis::make(recording_, across_);
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
            // A row whose cells are all blank has no spread.
            spread_mV_[k] = high >= low ? 1e3 * (high - low) : kNaN;
        }
        buildLane(4, tr("Cell spread mV · highest minus lowest"), {spread_mV_}, 30);
    }
    if ((wanted & kCurrent) != 0)
        buildLane(1, tr("Current A · above zero charges"), {recording_->current_A()}, 46);
    if (recording_->hasTemperature() && (wanted & kTemperature) != 0)
        buildLane(2, tr("Temperature %1").arg(temperatureUnit()), {recording_->temperature_C()},
                  40);
    if (!charge_Ah.empty() && (wanted & kCharge) != 0)
        buildLane(5, tr("Charge Ah · in minus out since the start"), {charge_Ah}, 40);
    auto* group = new QCPMarginGroup(this);
    for (std::size_t n = 0; n < lanes_.size(); ++n) {
        Lane& lane = lanes_[n];
        lane.rect->setMarginGroup(QCP::msLeft | QCP::msRight, group);
        lane.rect->axis(QCPAxis::atBottom)->setTickLabels(n + 1 == lanes_.size());
        connect(lane.rect->axis(QCPAxis::atBottom),
                qOverload<const QCPRange&>(&QCPAxis::rangeChanged), this,
                [this](const QCPRange& range) {
                    if (refilling_) return;
                    showPlaces(range.lower, range.upper);
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
    dressAxes();
    applyColours();
    showAll();
}

void LanesPlot::dressAxes() {
    const bool byTime = across_ == AxisKind::Time;
    for (std::size_t n = 0; n < lanes_.size(); ++n) {
        QCPAxis* x = lanes_[n].rect->axis(QCPAxis::atBottom);
        QSharedPointer<QCPAxisTicker> ticker(byTime ? new QCPAxisTickerTime : new QCPAxisTicker);
        ticker->setTickCount(6);
        x->setTicker(ticker);
        const bool last = n + 1 == lanes_.size();
        x->setLabel(last && !byTime ? tr("Charge moved Ah · charge and discharge both count")
                                    : QString());
        lanes_[n].rect->setMinimumMargins(QMargins(52, 18, 10, !last ? 4 : byTime ? 24 : 40));
    }
}

void LanesPlot::setAcross(AxisKind kind) {
    if (kind == across_) return;
    const double low = rangeLow();
    const double high = rangeHigh();
    across_ = kind;
    if (lanes_.empty()) return;
    axis_ = SampleAxis::make(recording_, kind);
    dressAxes();
    applyColours();
    showRange(low, high);
    replot(QCustomPlot::rpImmediateRefresh);  // the room below the lanes has changed
    refill();
    Q_EMIT viewChanged();
}

void LanesPlot::applyColours() {
    const Theme& t = currentTheme();
    QLocale numbers;  // the decimal sign of the preferences
    numbers.setNumberOptions(QLocale::OmitGroupSeparator);
    setLocale(numbers);
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
            axis->setLabelFont(labels);
            axis->setLabelColor(t.muted);
            axis->setLabelPadding(2);
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

void LanesPlot::showAll() {
    if (axis_) showPlaces(axis_->low(), axis_->high());
}

void LanesPlot::showRange(double from_s, double to_s) {
    if (axis_) showPlaces(axis_->at(from_s), axis_->at(to_s));
}

void LanesPlot::showPlaces(double from, double to) {
    if (!axis_ || lanes_.empty()) return;
    const double all =
        std::max(axis_->high() - axis_->low(), across_ == AxisKind::Time ? 1e-3 : 1e-6);
    const double sample = all / static_cast<double>(recording_->size());
    const double least = std::max(
        all * 1e-7, 2 * (across_ == AxisKind::Time ? recording_->usualInterval_s() : sample));
    const double span = std::clamp(to - from, std::min(least, all), all);
    const double start =
        std::clamp(0.5 * (from + to) - span / 2, axis_->low(), axis_->low() + all - span);
    refilling_ = true;
    for (Lane& lane : lanes_) lane.rect->axis(QCPAxis::atBottom)->setRange(start, start + span);
    refilling_ = false;
    refill();
    Q_EMIT viewChanged();
}

QCPRange LanesPlot::shown() const {
    return lanes_.empty() ? QCPRange(0, 1) : lanes_.front().rect->axis(QCPAxis::atBottom)->range();
}
double LanesPlot::rangeLow() const {
    return axis_ ? axis_->timeAt(shown().lower) : 0;
}
double LanesPlot::rangeHigh() const {
    return axis_ ? axis_->timeAt(shown().upper) : 1;
}

std::pair<int, int> LanesPlot::laneEdges() const {
    if (lanes_.empty()) return {52, width() - 10};
    return {lanes_.front().rect->left(), lanes_.front().rect->right()};
}

void LanesPlot::resizeEvent(QResizeEvent* event) {
    QCustomPlot::resizeEvent(event);
    replot(QCustomPlot::rpImmediateRefresh);  // lays the lanes out, so that their width is known
    refill();
    Q_EMIT viewChanged();
}

}  // namespace nk
