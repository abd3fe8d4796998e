#include "app/battery/history_plot.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "app/plot/plain_axes.h"
#include "app/theme/theme.h"
#include "quantity/format.h"

namespace nk {

HistoryPlot::HistoryPlot(QWidget* parent) : QCustomPlot(parent) {
    setObjectName("historyPlot");
    setAccessibleName(tr("History of the battery as a picture"));
    setMinimumHeight(220);
    setFocusPolicy(Qt::NoFocus);
}

void HistoryPlot::setView(const BatteryPageView& view) {
    view_ = view;
    redraw();
}

void HistoryPlot::show(Picture picture) {
    picture_ = picture;
    redraw();
}

void HistoryPlot::setByCycles(bool on) {
    byCycles_ = on;
    redraw();
}

void HistoryPlot::yardstick(double value, const QString& words) {
    if (!std::isfinite(value)) return;
    const Theme& t = currentTheme();
    auto* line = new QCPItemStraightLine(this);
    line->point1->setCoords(0, value);
    line->point2->setCoords(1, value);
    line->setPen(QPen(t.muted, 1, Qt::DashLine));
    auto* text = new QCPItemText(this);
    text->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
    text->position->setTypeY(QCPItemPosition::ptPlotCoords);
    text->position->setCoords(0.995, value);
    text->setPositionAlignment(Qt::AlignRight | Qt::AlignBottom);
    QFont f = font();
    f.setPixelSize(11);
    text->setFont(f);
    text->setColor(t.muted);
    text->setText(words);
}

void HistoryPlot::redraw() {
    clearItems();
    clearPlottables();
    places_.clear();
    const Theme& t = currentTheme();
    stylePlainAxes(*this, QMargins(58, 12, 14, 40));
    const auto& dots = picture_ == Picture::Capacity     ? view_.capacities
                       : picture_ == Picture::Resistance ? view_.resistances
                                                         : view_.temperatures;
    const bool ohms = picture_ == Picture::Resistance;
    const bool fahrenheit = picture_ == Picture::Temperature && currentStyle().fahrenheit;
    const auto figure = [&](double x) { return ohms ? 1e3 * x : fahrenheit ? 1.8 * x + 32 : x; };
    std::map<std::string, std::vector<const HistoryDot*>> groups;
    double low = 1e300;
    double high = -1e300;
    double from = 1e300;
    double to = -1e300;
    const auto place = [&](const HistoryDot& d) { return byCycles_ ? d.efc : d.at_s; };
    for (const HistoryDot& d : dots) {
        if (!std::isfinite(place(d)) || !std::isfinite(d.value)) continue;
        groups[d.group].push_back(&d);
        low = std::min(low, figure(std::isfinite(d.low) ? d.low : d.value));
        high = std::max(high, figure(std::isfinite(d.high) ? d.high : d.value));
        from = std::min(from, place(d));
        to = std::max(to, place(d));
        places_.emplace_back(QPointF(place(d), figure(d.value)), &d);
    }
    if (groups.empty()) {
        auto* words = new QCPItemText(this);
        words->position->setType(QCPItemPosition::ptAxisRectRatio);
        words->position->setCoords(0.5, 0.5);
        words->setFont(font());
        words->setColor(t.muted);
        words->setText(byCycles_ ? tr("Full cycles need the rated capacity on the card.")
                                 : tr("No log of this battery tells it yet."));
        for (QCPAxis* a : {xAxis, yAxis}) a->setVisible(false);
        replot();
        return;
    }
    const QColor ink = picture_ == Picture::Capacity     ? t.charge
                       : picture_ == Picture::Resistance ? t.voltage
                                                         : t.temperature;
    for (auto& [group, members] : groups) {
        // The bars go with the points by their order, and the points stand by their place.
        std::ranges::stable_sort(members, {}, [&](const HistoryDot* d) { return place(*d); });
        QCPGraph* g = addGraph();
        g->setLineStyle(group.empty() ? QCPGraph::lsNone : QCPGraph::lsLine);
        g->setPen(QPen(ink, 1.4));
        g->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(ink, 1.6),
                                           group.empty() ? QBrush(t.plot) : QBrush(ink), 8));
        auto* bars = new QCPErrorBars(xAxis, yAxis);
        bars->setDataPlottable(g);
        bars->setPen(QPen(t.muted, 1));
        for (const HistoryDot* d : members) {
            g->addData(place(*d), figure(d->value));
            const bool known = std::isfinite(d->high) && std::isfinite(d->low);
            bars->addData(known ? figure(d->value) - figure(d->low) : 0,
                          known ? figure(d->high) - figure(d->value) : 0);
        }
    }
    if (picture_ == Picture::Capacity) {
        // Lines that fall together are one, with both their names.
        std::vector<std::pair<double, QString>> lines;
        for (const auto& [y, name] :
             {std::pair(view_.label_Ah, tr("label")), std::pair(view_.first_Ah, tr("own first")),
              std::pair(view_.siblings_Ah, tr("siblings"))}) {
            if (!std::isfinite(y)) continue;
            const auto near = std::ranges::find_if(lines, [&, y = y](const auto& line) {
                return std::abs(line.first - y) < 0.05 * std::max(high - low, 0.02 * y);
            });
            if (near == lines.end())
                lines.emplace_back(y, name);
            else
                near->second += ", " + name;
        }
        for (const auto& [y, name] : lines) yardstick(y, name);
        for (const double y : {view_.label_Ah, view_.first_Ah, view_.siblings_Ah})
            if (std::isfinite(y)) low = std::min(low, y), high = std::max(high, y);
    }
    const double pad = std::max(0.12 * (high - low), 0.02 * std::abs(high));
    yAxis->setRange(low - pad, high + pad);
    const double step = (high - low + 2 * pad) / 6;
    yAxis->setNumberFormat("f");
    yAxis->setNumberPrecision(
        std::clamp(static_cast<int>(std::ceil(-std::log10(std::max(step, 1e-6)))), 0, 4));
    yAxis->setLabel(picture_ == Picture::Capacity ? tr("Capacity, Ah")
                    : ohms                        ? tr("Resistance, mΩ")
                    : fahrenheit                  ? tr("Highest temperature, °F")
                                                  : tr("Highest temperature, °C"));
    if (byCycles_) {
        xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
        xAxis->setLabel(tr("Full cycles before it"));
        const double room = std::max(0.08 * (to - from), 0.5);
        xAxis->setRange(from - room, to + room);
    } else {
        QSharedPointer<QCPAxisTickerDateTime> days(new QCPAxisTickerDateTime);
        days->setDateTimeFormat("d MMM yy");
        days->setTickCount(5);
        xAxis->setTicker(days);
        xAxis->setLabel(tr("Joined points may be compared; hollow ones stand apart"));
        const double room = std::max(0.08 * (to - from), 86400.0);
        xAxis->setRange(from - room, to + room);
    }
    replot();
}

void HistoryPlot::mousePressEvent(QMouseEvent* event) {
    constexpr double kNear_px = 10;
    for (const auto& [at, dot] : places_)
        if (dot->recording > 0 &&
            std::hypot(xAxis->coordToPixel(at.x()) - event->position().x(),
                       yAxis->coordToPixel(at.y()) - event->position().y()) < kNear_px) {
            Q_EMIT evidenceChosen(dot->recording, dot->evidence, dot->words);
            return;
        }
    QCustomPlot::mousePressEvent(event);
}

}  // namespace nk
