#include "app/strength/strength_plot.h"

#include <algorithm>
#include <cmath>

#include "app/preferences/preferences.h"
#include "app/theme/theme.h"
#include "quantity/format.h"

namespace nk {

StrengthPlot::StrengthPlot(QWidget* parent) : QCustomPlot(parent) {
    setObjectName("strengthPlot");
    setAccessibleName(tr("Picture of resistance, sag, heat or cells"));
    setMinimumSize(320, 190);
    setFocusPolicy(Qt::StrongFocus);
    axisRect()->setMinimumMargins(QMargins(54, 12, 14, 40));
}

void StrengthPlot::setStudy(std::shared_ptr<const StrengthStudy> study,
                            std::shared_ptr<const SagMap> map, std::int64_t shown) {
    study_ = std::move(study);
    map_ = std::move(map);
    shown_ = shown;
    redraw();
}

void StrengthPlot::show(Picture picture) {
    picture_ = picture;
    redraw();
}

void StrengthPlot::applyColours() {
    redraw();
}

void StrengthPlot::labels(const QString& x, const QString& y) {
    xAxis->setLabel(x);
    yAxis->setLabel(y);
}

QCPGraph* StrengthPlot::points(const QColor& colour, QCPScatterStyle::ScatterShape shape,
                               bool filled, const QString& name) {
    QCPGraph* g = addGraph();
    g->setLineStyle(QCPGraph::lsNone);
    g->setScatterStyle(QCPScatterStyle(shape, QPen(colour, 1.6),
                                       filled ? QBrush(colour) : QBrush(currentTheme().plot), 8));
    g->setName(name);
    if (name.isEmpty()) g->removeFromLegend();
    return g;
}

void StrengthPlot::nothing(const QString& why) {
    empty_ = true;
    auto* words = new QCPItemText(this);
    words->position->setType(QCPItemPosition::ptAxisRectRatio);
    words->position->setCoords(0.5, 0.5);
    words->setText(why);
    words->setFont(font());
    words->setColor(currentTheme().muted);
    for (QCPAxis* a : {xAxis, yAxis}) a->setVisible(false);
    QLocale numbers;
    numbers.setNumberOptions(QLocale::OmitGroupSeparator);
    setLocale(numbers);
}

void StrengthPlot::redraw() {
    clearItems();
    clearPlottables();
    plotLayout()->clear();
    auto* rect = new QCPAxisRect(this);
    plotLayout()->addElement(0, 0, rect);
    rect->setMinimumMargins(QMargins(54, 12, 14, 40));
    xAxis = rect->axis(QCPAxis::atBottom);
    yAxis = rect->axis(QCPAxis::atLeft);
    xAxis2 = rect->axis(QCPAxis::atTop);
    yAxis2 = rect->axis(QCPAxis::atRight);
    legend = new QCPLegend;
    rect->insetLayout()->addElement(legend, Qt::AlignRight | Qt::AlignTop);
    const Theme& t = currentTheme();
    setBackground(t.window);
    rect->setBackground(t.plot);
    QFont small = font();
    small.setPixelSize(11);
    for (QCPAxis* axis : rect->axes()) {
        axis->setLayer("axes");
        axis->grid()->setLayer("grid");
        axis->setBasePen(QPen(t.line));
        axis->setTickPen(QPen(t.line));
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelColor(t.muted);
        axis->setTickLabelFont(small);
        axis->setLabelColor(t.muted);
        axis->setLabelFont(small);
        axis->grid()->setPen(QPen(t.line, 1));
        axis->grid()->setZeroLinePen(QPen(t.line, 1));
        axis->setNumberFormat("f");
        axis->setNumberPrecision(0);
    }
    xAxis->grid()->setVisible(false);
    legend->setLayer("legend");
    legend->setVisible(false);
    legend->setFont(small);
    legend->setTextColor(t.text);
    legend->setBrush(t.card);
    legend->setBorderPen(QPen(t.line));
    legend->setIconSize(12, 12);
    empty_ = false;
    if (!study_) {
        nothing(tr("Choose a recording."));
    } else {
        switch (picture_) {
            case Picture::OverCharge:
                overCharge();
                break;
            case Picture::OverTemperature:
                overTemperature();
                break;
            case Picture::SagMap:
                sagMap();
                break;
            case Picture::Heat:
                heat();
                break;
            case Picture::Cells:
                cells();
                break;
            case Picture::OpenCircuit:
                openCircuit();
                break;
        }
    }
    replot(QCustomPlot::rpQueuedReplot);
}

void StrengthPlot::overCharge() {
    const Theme& t = currentTheme();
    struct Series {
        double delay;
        QColor colour;
        QCPScatterStyle::ScatterShape shape;
        QString name;
    };
    const Series all[] = {{0, t.voltage, QCPScatterStyle::ssCircle, tr("first sample")},
                          {1, t.current, QCPScatterStyle::ssSquare, tr("1 s")},
                          {10, t.temperature, QCPScatterStyle::ssDiamond, tr("10 s")},
                          {30, t.charge, QCPScatterStyle::ssTriangle, tr("30 s")}};
    double top = 0;
    std::size_t count = 0;
    for (const Series& s : all) {
        QCPGraph* own = points(s.colour, s.shape, true, s.name);
        QCPGraph* others = points(s.colour, s.shape, false, {});
        for (const StudiedLog& log : study_->logs)
            for (const StepResistance& r : log.steps) {
                if (r.nominalDelay_s != s.delay || !std::isfinite(r.resistance_ohm) ||
                    !std::isfinite(r.soc))
                    continue;
                (log.id == shown_ ? own : others)->addData(100 * r.soc, 1e3 * r.resistance_ohm);
                top = std::max(top, 1e3 * r.resistance_ohm);
                ++count;
            }
        if (own->data()->isEmpty() && others->data()->isEmpty()) own->removeFromLegend();
    }
    if (count == 0) {
        nothing(tr("No step of the current in these logs. Log a rest, then a load."));
        return;
    }
    labels(tr("State of charge, % (filled: this log)"), tr("Resistance, mΩ"));
    xAxis->setRange(-3, 103);
    yAxis->setRange(0, 1.6 * top);  // room for the legend above the points
    yAxis->setNumberPrecision(top < 8 ? 1 : 0);
    legend->setVisible(true);
}

void StrengthPlot::overTemperature() {
    const Theme& t = currentTheme();
    if (!study_->law || study_->lawReadings.empty()) {
        nothing(tr("No step of the current with a temperature in these logs."));
        return;
    }
    double low = 1e9, high = -1e9, top = 0;
    for (const ResistanceAt& r : study_->lawReadings) {
        low = std::min(low, r.temperature_C), high = std::max(high, r.temperature_C);
        top = std::max(top, r.resistance_ohm);
    }
    low = std::min(low - 4, 0.0), high = std::max(high + 4, 30.0);
    QCPGraph* line = addGraph();
    line->setPen(QPen(t.voltage, 1.4, study_->law->fitted ? Qt::SolidLine : Qt::DashLine));
    line->setName(study_->law->fitted ? tr("fitted law") : tr("usual law, assumed"));
    for (int k = 0; k <= 100; ++k) {
        const double x = low + (high - low) * k / 100;
        line->addData(shownTemperature(x), 1e3 * study_->law->resistance_ohm(x));
    }
    QCPGraph* dots = points(t.current, QCPScatterStyle::ssCircle, true, tr("from the logs"));
    for (const ResistanceAt& r : study_->lawReadings)
        dots->addData(shownTemperature(r.temperature_C), 1e3 * r.resistance_ohm);
    top = std::max(top, study_->law->resistance_ohm(low));
    labels(tr("Temperature, %1").arg(temperatureUnit()),
           study_->lawDelay_s > 0 ? tr("Resistance after %1 s, mΩ").arg(study_->lawDelay_s)
                                  : tr("Resistance at the first sample, mΩ"));
    xAxis->setRange(shownTemperature(low), shownTemperature(high));
    yAxis->setRange(0, 1.15e3 * top);
    legend->setVisible(true);
}

void StrengthPlot::sagMap() {
    const Theme& t = currentTheme();
    if (!study_->rating || study_->rating->curves.empty() || !map_) {
        nothing(tr("No whole discharge at a steady current in these logs."));
        return;
    }
    const Rating& rating = *study_->rating;
    const auto& curves = rating.curves;  // those that the rating rests on, no others
    const RatingView* sag = rating.view("sag");
    const double deepest = map_->deepest_Ah;
    const double most = map_->most_A;
    const double floor = rating.floor_V_per_cell;
    auto* map = new QCPColorMap(xAxis, yAxis);
    map->data()->setSize(SagMap::kColumns, SagMap::kRows);
    map->data()->setRange(QCPRange(0, deepest), QCPRange(0, most));
    for (int x = 0; x < SagMap::kColumns; ++x)
        for (int y = 0; y < SagMap::kRows; ++y) {
            const float v = map_->at(x, y);
            map->data()->setCell(x, y, std::isfinite(v) ? v : 0);
            if (!std::isfinite(v))
                map->data()->setAlpha(x, y, 0);
            else if (!map_->measuredAt(x, y))
                map->data()->setAlpha(x, y, 110);  // outside the measured rates it is paler
        }
    double low = map_->lowest_V;
    const double high = map_->highest_V;
    low = std::max(low, floor - 0.6);
    QCPColorGradient gradient;
    gradient.clearColorStops();
    const double at = std::clamp((floor - low) / std::max(high - low, 1e-6), 0.02, 0.9);
    gradient.setColorStopAt(0, t.dischargeBlock);
    gradient.setColorStopAt(at * 0.995, t.dischargeBlock);
    gradient.setColorStopAt(at, t.plot);
    gradient.setColorStopAt(1, t.voltage);
    map->setGradient(gradient);
    map->setDataRange(QCPRange(low, high));
    map->setInterpolate(false);
    map->removeFromLegend();
    // The current at which each delivered charge is at the floor.
    QCPGraph* edge = addGraph();
    edge->setPen(QPen(t.text, 1.6));
    edge->setName(tr("floor, %1 V a cell").arg(QString::fromStdString(fixed(floor, 1))));
    for (std::size_t k = 0; k < map_->edge_Ah.size(); ++k)
        edge->addData(map_->edge_Ah[k], map_->edge_A[k]);
    for (const auto& c : curves) {
        QCPGraph* g = addGraph();
        g->setPen(QPen(t.current, 2));
        g->setName(tr("measured"));
        if (&c != &curves.front()) g->removeFromLegend();
        g->addData(0, c.mean_A);
        g->addData(c.charge_Ah.back(), c.mean_A);
    }
    auto* deep = new QCPItemStraightLine(this);
    const double at80 = 0.8 * rating.rated_Ah;
    deep->point1->setCoords(at80, 0);
    deep->point2->setCoords(at80, 1);
    deep->setPen(QPen(t.muted, 1, Qt::DashLine));
    auto* words = new QCPItemText(this);
    words->position->setTypeX(QCPItemPosition::ptPlotCoords);
    words->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
    words->position->setCoords(at80, 0.97);
    words->setPositionAlignment(Qt::AlignRight | Qt::AlignBottom);
    words->setPadding(QMargins(0, 0, 4, 0));
    words->setText(tr("80 % of the rating"));
    words->setColor(t.text);
    QFont f = font();
    f.setPixelSize(11);
    words->setFont(f);
    if (sag->known()) {
        QCPGraph* dot = points(t.hazard, QCPScatterStyle::ssCircle, true, tr("true C by sag"));
        dot->addData(std::min(at80, deepest), sag->current_A);
    }
    axisRect()->insetLayout()->setInsetAlignment(0, Qt::AlignLeft | Qt::AlignTop);
    labels(tr("Delivered charge, Ah (pale: extrapolated)"), tr("Current, A"));
    xAxis->setRange(0, 1.02 * deepest);
    xAxis->setNumberPrecision(deepest < 5 ? 1 : 0);
    yAxis->setRange(0, most);
    yAxis->setNumberPrecision(most < 5 ? 1 : 0);
    legend->setVisible(true);
}

void StrengthPlot::heat() {
    const Theme& t = currentTheme();
    if (!study_->rating || !study_->rating->heat) {
        nothing(tr("It hardly warmed in these logs, or no temperature was logged."));
        return;
    }
    const HeatFit& fit = *study_->rating->heat;
    std::size_t n = 0;
    double most = 0.2;
    double longest = 1;
    std::size_t traceIndex = 0;
    for (const StudiedLog& log : study_->logs) {
        if (log.heat.time_s.size() < 10) continue;
        if (traceIndex >= fit.residuals_C.size()) break;
        const auto& residual = fit.residuals_C[traceIndex++];
        QCPGraph* g = addGraph();
        const QColor colours[] = {t.temperature, t.current, t.voltage, t.charge};
        const Qt::PenStyle styles[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine, Qt::DashDotLine};
        g->setPen(QPen(colours[n % 4], 1.4, styles[n / 4 % 4]));
        g->setName(QString::fromStdString(log.title));
        ++n;
        for (std::size_t k = 0; k < residual.size(); ++k) {
            const double minutes = (log.heat.time_s[k + 1] - log.heat.time_s[0]) / 60;
            // A difference has no zero point.
            const double degrees = shownTemperature(residual[k]) - shownTemperature(0);
            g->addData(minutes, degrees);
            most = std::max(most, std::abs(degrees));
            longest = std::max(longest, minutes);
        }
    }
    labels(tr("Minutes"), tr("Measured minus fitted, %1").arg(temperatureUnit()));
    xAxis->setRange(0, longest);
    yAxis->setRange(-1.3 * most, 1.3 * most);
    yAxis->setNumberPrecision(most < 2 ? 1 : 0);
    legend->setVisible(true);
}

void StrengthPlot::cells() {
    const Theme& t = currentTheme();
    const PackDischarge* d = nullptr;
    for (const StudiedLog& log : study_->logs)
        if (log.id == shown_ && !log.pack.empty()) d = &log.pack.front();
    if (d == nullptr || !d->reachedFloor) {
        nothing(d == nullptr ? tr("This log has no cell voltages.")
                             : tr("No cell reached its floor in this log."));
        return;
    }
    if (!d->told()) {
        nothing(tr("These cells' curves are too flat to tell what each still held."));
        return;
    }
    auto* bars = new QCPBars(xAxis, yAxis);
    bars->setPen(QPen(t.voltage));
    bars->setBrush(t.chargeBlock);
    bars->setWidth(0.6);
    bars->removeFromLegend();
    auto ticks = QSharedPointer<QCPAxisTickerText>::create();
    double top = 0.01;
    auto* errors = new QCPErrorBars(xAxis, yAxis);
    errors->setDataPlottable(bars);
    errors->setPen(QPen(t.muted, 1));
    errors->removeFromLegend();
    for (const PackCell& c : d->cells) {
        // A fit may say a little less than nothing; the bar shows what can be held.
        const double held = std::max(0.0, c.remaining_Ah);
        bars->addData(c.cell, held);
        const double u =
            std::isfinite(c.remainingUncertainty_Ah) ? 2 * c.remainingUncertainty_Ah : 0;
        errors->addData(std::min(u, held), u);
        top = std::max(top, held + u);
        ticks->addTick(c.cell, c.cell == d->weakest ? tr("cell %1, first at its floor").arg(c.cell)
                                                    : tr("cell %1").arg(c.cell));
    }
    xAxis->setTicker(ticks);
    labels({}, tr("Charge still held at the end, Ah"));
    xAxis->setRange(0.3, static_cast<double>(d->cells.size()) + 0.7);
    yAxis->setRange(0, 1.2 * top);
    // Steps of a quarter need their second digit.
    yAxis->setNumberPrecision(top < 1.9 ? 2 : top < 16 ? 1 : 0);
}

void StrengthPlot::openCircuit() {
    const Theme& t = currentTheme();
    const auto known = findChemistry(study_->battery.chemistry);
    if (!known) {
        nothing(tr("The chemistry is not known. Write it on the battery card."));
        return;
    }
    const OpenCircuitCurve& usual = (*known)->ocv;
    QCPGraph* line = addGraph();
    line->setPen(QPen(t.muted, 1.2, Qt::DashLine));
    line->setName(tr("usual curve of %1").arg(QString::fromStdString((*known)->label)));
    double low = 1e9;
    double high = -1e9;
    for (int k = 0; k <= 100; ++k) {
        const double v = usual.voltage_V(k / 100.0);
        line->addData(k, v);
        low = std::min(low, v), high = std::max(high, v);
    }
    if (study_->openCircuit) {
        const OpenCircuitEstimate& own = *study_->openCircuit;
        QCPGraph* upper = addGraph();
        QCPGraph* lower = addGraph();
        QCPGraph* middle = addGraph();
        QColor band = t.voltage;
        band.setAlpha(50);
        upper->setPen(Qt::NoPen);
        lower->setPen(Qt::NoPen);
        upper->setBrush(band);
        upper->setChannelFillGraph(lower);
        upper->removeFromLegend();
        lower->removeFromLegend();
        middle->setPen(QPen(t.voltage, 1.8));
        middle->setName(tr("its own, with its uncertainty"));
        for (std::size_t k = 0; k < own.soc.size(); ++k) {
            const double x = 100 * own.soc[k];
            upper->addData(x, own.voltage_V[k] + 2 * own.uncertainty_V[k]);
            lower->addData(x, own.voltage_V[k] - 2 * own.uncertainty_V[k]);
            middle->addData(x, own.voltage_V[k]);
            low = std::min(low, own.voltage_V[k]), high = std::max(high, own.voltage_V[k]);
        }
    }
    axisRect()->insetLayout()->setInsetAlignment(0, Qt::AlignLeft | Qt::AlignTop);
    labels(tr("State of charge, %"), tr("Open-circuit voltage, V a cell"));
    xAxis->setRange(0, 100);
    yAxis->setRange(low - 0.05 * (high - low), high + 0.15 * (high - low));
    yAxis->setNumberPrecision(2);
    legend->setVisible(true);
}

}  // namespace nk
