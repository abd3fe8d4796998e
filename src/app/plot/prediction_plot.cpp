#include "app/plot/prediction_plot.h"

#include <algorithm>

#include "app/plot/plain_axes.h"
#include "app/theme/theme.h"

namespace nk {

PredictionPlot::PredictionPlot(QWidget* parent) : QCustomPlot(parent) {
    setObjectName("predictionPlot");
    setAccessibleName(tr("Measured and predicted volts"));
    setMinimumHeight(220);
    setFocusPolicy(Qt::NoFocus);
}

void PredictionPlot::setLines(std::vector<Line> lines) {
    lines_ = std::move(lines);
    redraw();
}

void PredictionPlot::redraw() {
    clearItems();
    clearPlottables();
    const Theme& t = currentTheme();
    stylePlainAxes(*this, QMargins(62, 8, 96, 38));
    const QFont small = plainAxisFont(*this);
    double longest = 0;
    for (const Line& l : lines_)
        if (!l.time_s.empty()) longest = std::max(longest, l.time_s.back() / 60);
    const bool hours = longest > 240;
    for (const Line& l : lines_) {
        if (l.time_s.empty()) continue;
        QVector<double> at;
        for (const double s : l.time_s) at << s / (hours ? 3600 : 60);
        QCPGraph* graph = addGraph();
        const bool measured = l.kind == Line::Kind::Measured;
        const bool instead = l.kind == Line::Kind::Instead;
        graph->setPen(QPen(measured  ? t.voltage
                           : instead ? t.current
                                     : t.muted,
                           measured ? 1.6 : 1.4, measured ? Qt::SolidLine : Qt::DashLine));
        graph->setData(at, QVector<double>(l.voltage_V.begin(), l.voltage_V.end()), true);
    }
    rescaleAxes();
    yAxis->scaleRange(1.12);
    xAxis->setLabel(hours ? tr("hours") : tr("minutes"));
    yAxis->setLabel(tr("V a cell"));
    // A curve's name at its end; those that end together are moved apart.
    const double height = std::max(60.0, static_cast<double>(viewport().height()) - 46);
    const double hair = 15 / height;
    std::vector<std::pair<double, const Line*>> names;
    for (const Line& l : lines_)
        if (!l.time_s.empty())
            names.emplace_back((l.voltage_V.back() - yAxis->range().lower) / yAxis->range().size(),
                               &l);
    std::ranges::sort(names, {}, [](const auto& n) { return n.first; });
    for (std::size_t k = 1; k < names.size(); ++k)
        names[k].first = std::max(names[k].first, names[k - 1].first + hair);
    const double over = names.empty() ? 0 : std::max(0.0, names.back().first - 0.98);
    for (auto& name : names) name.first -= over;
    for (const auto& [place, line] : names) {
        auto* text = new QCPItemText(this);
        text->setClipToAxisRect(false);
        text->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
        text->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
        text->position->setCoords(1.005, 1 - std::clamp(place, 0.02, 0.98));
        text->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        text->setFont(small);
        text->setColor(line->kind == Line::Kind::Measured  ? t.voltage
                       : line->kind == Line::Kind::Instead ? t.current
                                                           : t.text);
        text->setText(line->name);
    }
    replot();
}

}  // namespace nk
