#include "app/side/side_plot.h"

#include <algorithm>
#include <cmath>

#include "app/shell/data_export.h"
#include "app/theme/theme.h"
#include "quantity/format.h"

namespace nk {

namespace {
constexpr double kNames_px = 110;  ///< kept free for the names behind the curves
}

SidePlot::SidePlot(QWidget* parent) : QCustomPlot(parent) {
    setObjectName("sidePlot");
    setAccessibleName(tr("Curves side by side"));
    setMinimumSize(320, 240);
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setNoAntialiasingOnDrag(true);
    plotLayout()->clear();
    curves_ = new QCPAxisRect(this);
    difference_ = new QCPAxisRect(this);
    plotLayout()->addElement(0, 0, curves_);
    plotLayout()->addElement(1, 0, difference_);
    plotLayout()->setRowStretchFactors({3, 1});
    auto* edges = new QCPMarginGroup(this);
    plotLayout()->setRowSpacing(2);
    for (QCPAxisRect* rect : {curves_, difference_}) {
        rect->setMarginGroup(QCP::msLeft | QCP::msRight, edges);
        rect->setMinimumMargins(QMargins(62, 8, 14, 8));
        rect->setRangeDrag(Qt::Horizontal);
        rect->setRangeZoom(Qt::Horizontal);
    }
    setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    const auto follow = [](QCPAxisRect* from, QCPAxisRect* to) {
        connect(from->axis(QCPAxis::atBottom), qOverload<const QCPRange&>(&QCPAxis::rangeChanged),
                to->axis(QCPAxis::atBottom), qOverload<const QCPRange&>(&QCPAxis::setRange));
    };
    follow(curves_, difference_);
    follow(difference_, curves_);
}

QColor SidePlot::colourOf(std::size_t k, std::size_t n, bool dark) {
    // Hues as far apart as the number of curves allows, neighbours far from each other.
    const double turn =
        n <= 6 ? static_cast<double>(k) / static_cast<double>(std::max<std::size_t>(n, 3))
               : std::fmod(static_cast<double>(k) * 0.618034, 1.0);
    const double hue = std::fmod(turn + 0.52, 1.0);
    QColor c;
    // As light or dark as it takes to stand out of the ground (WCAG 2.1, 4.5 to 1).
    const QColor& ground = dark ? Theme::nightBench().plot : Theme::paper().plot;
    for (int step = 0; step < 20; ++step) {
        const double light = dark ? 0.55 + 0.02 * step : 0.42 - 0.018 * step;
        c = QColor::fromHslF(static_cast<float>(hue), 0.62F,
                             static_cast<float>(std::clamp(light, 0.05, 0.95)));
        if (contrastRatio(c, ground) >= 4.5) break;
    }
    return c;
}

void SidePlot::setView(const SideView& view) {
    const bool anew = view.xLabel != view_.xLabel || view.yLabel != view_.yLabel ||
                      view.curves.size() != view_.curves.size() || graphCount() == 0;
    const QCPRange before = curves_->axis(QCPAxis::atBottom)->range();
    view_ = view;
    redraw();
    if (!anew) curves_->axis(QCPAxis::atBottom)->setRange(before);
    replot();
}

const Theme& SidePlot::look() const {
    return paper_ ? Theme::paper() : currentTheme();
}

QByteArray SidePlot::onPaper() {
    const QCPRange across = curves_->axis(QCPAxis::atBottom)->range();
    const QCPRange up = curves_->axis(QCPAxis::atLeft)->range();
    const auto draw = [&](bool paper) {
        paper_ = paper;
        redraw();
        curves_->axis(QCPAxis::atBottom)->setRange(across);
        curves_->axis(QCPAxis::atLeft)->setRange(up);
    };
    draw(true);
    const QByteArray out = curveSvgBytes(*this);
    draw(false);
    replot(QCustomPlot::rpQueuedReplot);
    return out;
}

void SidePlot::redraw() {
    const Theme& t = look();
    clearGraphs();
    clearItems();
    setBackground(paper_ ? QColor(Qt::white) : t.window);
    const bool differs = !view_.difference.x.empty();
    difference_->setVisible(differs);
    plotLayout()->setRowStretchFactors({3, differs ? 1.1 : 0.001});
    difference_->setMinimumSize(0, differs ? 90 : 0);
    difference_->setMaximumSize(QWIDGETSIZE_MAX, differs ? QWIDGETSIZE_MAX : 1);
    QLocale numbers;
    numbers.setNumberOptions(QLocale::OmitGroupSeparator);
    setLocale(numbers);
    QFont small = font();
    small.setPixelSize(11);
    for (QCPAxisRect* rect : {curves_, difference_}) {
        rect->setBackground(t.plot);
        for (QCPAxis* a : rect->axes()) {
            const bool used =
                a->axisType() == QCPAxis::atBottom || a->axisType() == QCPAxis::atLeft;
            a->setVisible(used && (rect == curves_ || differs));
            a->setBasePen(QPen(t.line));
            a->setTickPen(QPen(t.line));
            a->setSubTickPen(Qt::NoPen);
            a->setTickLabelColor(t.muted);
            a->setTickLabelFont(small);
            a->setLabelFont(small);
            a->setLabelColor(t.muted);
            a->grid()->setPen(QPen(t.line));
            a->grid()->setZeroLinePen(rect == difference_ ? QPen(t.muted) : QPen(Qt::NoPen));
        }
    }
    QCPAxis* x = curves_->axis(QCPAxis::atBottom);
    QCPAxis* y = curves_->axis(QCPAxis::atLeft);
    x->setLabel(view_.xLabel);
    y->setLabel(view_.yLabel);
    double lowest = 1e300;
    double highest = -1e300;
    const Qt::PenStyle styles[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine, Qt::DashDotLine};
    const std::size_t n = view_.curves.size();
    for (std::size_t k = 0; k < n; ++k) {
        const SideCurve& c = view_.curves[k];
        QCPGraph* g = addGraph(x, y);
        const QColor colour = colourOf(k, n, t.dark);
        // Told apart without colour too: by its name at its end, and its stroke where they are few.
        g->setPen(QPen(colour, n > 12 ? 1.0 : 1.5,
                       c.x.size() < 3000 && n <= 12 ? styles[k % 4] : Qt::SolidLine));
        g->setName(c.name);
        if (c.x.empty()) continue;
        g->setData(QVector<double>(c.x.begin(), c.x.end()), QVector<double>(c.y.begin(), c.y.end()),
                   true);
        for (const double value : c.y)
            if (std::isfinite(value))
                lowest = std::min(lowest, value), highest = std::max(highest, value);
        for (const IncrementalPeak& p : c.peaks) {
            highest = std::max(highest, p.height_Ah_V);
            auto* mark = new QCPItemTracer(this);
            mark->position->setAxes(x, y);
            mark->position->setAxisRect(curves_);
            mark->position->setCoords(p.volts, p.height_Ah_V);
            mark->setStyle(QCPItemTracer::tsCircle);
            mark->setSize(7);
            mark->setPen(QPen(colour, 1.4));
            mark->setBrush(t.plot);
        }
    }
    if (differs) {
        const OverlayDifference& d = view_.difference;
        QCPAxis* dx = difference_->axis(QCPAxis::atBottom);
        QCPAxis* dy = difference_->axis(QCPAxis::atLeft);
        const auto column = [](const std::vector<double>& v, double scale) {
            QVector<double> out;
            for (const double a : v) out << scale * a;
            return out;
        };
        const QVector<double> at = column(d.x, 1);
        QCPGraph* low = addGraph(dx, dy);
        QCPGraph* high = addGraph(dx, dy);
        QCPGraph* middle = addGraph(dx, dy);
        low->setData(at, column(d.low, 1e3), true);
        high->setData(at, column(d.high, 1e3), true);
        middle->setData(at, column(d.volts, 1e3), true);
        QColor band = t.voltage;
        band.setAlpha(50);
        low->setPen(Qt::NoPen);
        high->setPen(Qt::NoPen);
        high->setBrush(band);
        high->setChannelFillGraph(low);
        middle->setPen(QPen(t.voltage, 1.4));
        dx->setLabel(view_.xLabel);
        dy->setLabel(tr("Difference, mV"));
        x->setLabel({});
        x->setTickLabels(false);
        auto* name = new QCPItemText(this);
        name->position->setType(QCPItemPosition::ptAxisRectRatio);
        name->position->setAxisRect(difference_);
        // Where the curve is not: over it when it begins low, under it when it begins high.
        const auto [least, most] = std::ranges::minmax(d.volts);
        double begins = 0;
        const std::size_t third = std::max<std::size_t>(1, d.volts.size() / 3);
        for (std::size_t k = 0; k < third; ++k) begins += d.volts[k] / static_cast<double>(third);
        const bool beginsHigh = begins > 0.5 * (least + most);
        name->position->setCoords(0.01, beginsHigh ? 0.96 : 0.04);
        name->setPositionAlignment(Qt::AlignLeft | (beginsHigh ? Qt::AlignBottom : Qt::AlignTop));
        name->setText(tr("%1, with its 95 % band").arg(view_.differenceName));
        name->setFont(small);
        name->setColor(t.muted);
        name->setClipToAxisRect(false);
        dy->rescale();
        dy->scaleRange(1.15);
    } else {
        x->setTickLabels(true);
    }
    if (highest < lowest) {
        auto* words = new QCPItemText(this);
        words->position->setType(QCPItemPosition::ptAxisRectRatio);
        words->position->setAxisRect(curves_);
        words->position->setCoords(0.5, 0.5);
        words->setFont(font());
        words->setColor(t.muted);
        words->setText(
            n == 0 ? tr("Choose logs to lay over each other.")
                   : tr("None of these logs can be shown this way. What is missing stands below."));
        replot();
        return;
    }
    const double pad = std::max(0.06 * (highest - lowest), 1e-6);
    y->setRange(lowest - pad, highest + pad);
    showAll();
    // Names behind the ends, one over the other where ends meet.
    std::vector<QRectF> taken;
    const QFontMetricsF metrics(small);
    for (std::size_t k = 0; k < n && n <= 16; ++k) {
        const SideCurve& c = view_.curves[k];
        if (c.x.empty()) continue;
        const QString words = metrics.elidedText(c.name, Qt::ElideRight, kNames_px - 8);
        auto* name = new QCPItemText(this);
        name->setFont(small);
        name->setText(words);
        name->setColor(colourOf(k, n, t.dark));
        name->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        name->position->setAxes(x, y);
        name->position->setAxisRect(curves_);
        const double left = x->coordToPixel(c.x.back()) + 5;
        const double end = y->coordToPixel(c.y.back());
        const double floor = curves_->bottom() - 8;
        for (int step = 0; step < 40; ++step) {
            // Up and down in turn, as near to the end as there is room.
            const double place = end + (step % 2 == 0 ? -1 : 1) * 13.0 * ((step + 1) / 2);
            const QRectF box(left, place - 6, metrics.horizontalAdvance(words), 12);
            if (place > floor || place < curves_->top() + 8 ||
                std::ranges::any_of(taken, [&](const QRectF& r) { return r.intersects(box); }))
                continue;
            taken.push_back(box);
            name->position->setCoords(x->pixelToCoord(left), y->pixelToCoord(place));
            break;
        }
        if (taken.empty() || taken.back().left() != left) name->setVisible(false);
    }
    replot();
}

void SidePlot::showAll() {
    double from = 1e300;
    double to = -1e300;
    for (const SideCurve& c : view_.curves)
        if (!c.x.empty()) from = std::min(from, c.x.front()), to = std::max(to, c.x.back());
    if (to > from) {
        // Room for the names behind the ends.
        const double names =
            view_.curves.size() > 1 ? kNames_px / std::max(200.0, 1.0 * width()) : 0.01;
        curves_->axis(QCPAxis::atBottom)
            ->setRange(from - 0.01 * (to - from), to + names * (to - from) / (1 - names));
    }
    replot();
}

int SidePlot::curveAt(const QPointF& place) const {
    constexpr double kNear_px = 8;
    int best = -1;
    double least = kNear_px;
    for (int k = 0; k < static_cast<int>(view_.curves.size()) && k < graphCount(); ++k) {
        const double off = graph(k)->selectTest(place, false);
        if (off >= 0 && off < least) least = off, best = k;
    }
    return best;
}

void SidePlot::mousePressEvent(QMouseEvent* event) {
    held_ = -1;
    if (event->button() == Qt::LeftButton && curves_->rect().contains(event->pos())) {
        held_ = curveAt(event->position());
        heldFrom_ = curves_->axis(QCPAxis::atBottom)->pixelToCoord(event->position().x());
        heldBy_ = 0;
        if (held_ >= 0) {
            setCursor(Qt::SizeHorCursor);
            return;
        }
    }
    QCustomPlot::mousePressEvent(event);
}

void SidePlot::mouseMoveEvent(QMouseEvent* event) {
    const double x = curves_->axis(QCPAxis::atBottom)->pixelToCoord(event->position().x());
    if (held_ >= 0) {
        heldBy_ = x - heldFrom_;
        const SideCurve& c = view_.curves[static_cast<std::size_t>(held_)];
        QVector<double> moved;
        for (const double at : c.x) moved << at + heldBy_;
        graph(held_)->setData(moved, QVector<double>(c.y.begin(), c.y.end()), true);
        replot(QCustomPlot::rpQueuedReplot);
        return;
    }
    if (event->buttons() == Qt::NoButton) {
        setCursor(curveAt(event->position()) >= 0 ? Qt::SizeHorCursor : Qt::ArrowCursor);
        tellAt(x);
    }
    QCustomPlot::mouseMoveEvent(event);
}

void SidePlot::mouseReleaseEvent(QMouseEvent* event) {
    if (held_ >= 0) {
        const int curve = std::exchange(held_, -1);
        setCursor(Qt::ArrowCursor);
        if (heldBy_ != 0) Q_EMIT shifted(curve, heldBy_);
        return;
    }
    QCustomPlot::mouseReleaseEvent(event);
}

void SidePlot::keyPressEvent(QKeyEvent* event) {
    QCPAxis* x = curves_->axis(QCPAxis::atBottom);
    const double width = x->range().size();
    if (event->key() == Qt::Key_Home)
        showAll();
    else if (event->key() == Qt::Key_Left)
        x->moveRange(-0.1 * width);
    else if (event->key() == Qt::Key_Right)
        x->moveRange(0.1 * width);
    else if (event->key() == Qt::Key_Plus)
        x->scaleRange(0.8);
    else if (event->key() == Qt::Key_Minus)
        x->scaleRange(1.25);
    else
        return QCustomPlot::keyPressEvent(event);
    replot();
}

void SidePlot::tellAt(double x) {
    QStringList words{
        QString("%1 %2").arg(view_.xLabel.section(',', 0, 0), QLocale().toString(x, 'g', 4))};
    for (const SideCurve& c : view_.curves) {
        if (c.x.empty() || x < c.x.front() || x > c.x.back() || words.size() > 6) continue;
        const auto above = std::ranges::lower_bound(c.x, x);
        const auto k = std::min(c.x.size() - 1, static_cast<std::size_t>(above - c.x.begin()));
        words << QString("%1 %2").arg(c.name, QLocale().toString(c.y[k], 'g', 5));
    }
    Q_EMIT readingChanged(words.join("   "));
}

}  // namespace nk
