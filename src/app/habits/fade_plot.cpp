#include "app/habits/fade_plot.h"

#include <algorithm>
#include <cmath>

#include "app/plot/plain_axes.h"
#include "app/theme/theme.h"

namespace nk {

FadePlot::FadePlot(QWidget* parent) : QCustomPlot(parent) {
    setObjectName("fadePlot");
    setAccessibleName(tr("How this battery fades, as a picture"));
    setMinimumHeight(190);
    setMaximumHeight(250);
    setFocusPolicy(Qt::NoFocus);
}

void FadePlot::setPicture(const FadePicture& picture, const QString& none) {
    picture_ = picture;
    none_ = none;
    redraw();
}

void FadePlot::redraw() {
    clearItems();
    clearPlottables();
    const Theme& t = currentTheme();
    const bool any = !picture_.empty();
    stylePlainAxes(*this, QMargins(58, 10, 14, 40), any);
    const QFont small = plainAxisFont(*this);
    if (!any) {
        auto* words = new QCPItemText(this);
        words->position->setType(QCPItemPosition::ptAxisRectRatio);
        words->position->setCoords(0.5, 0.5);
        words->setFont(font());
        words->setColor(t.muted);
        // Lines of a length that fits: the text item does not wrap.
        QString wrapped;
        int column = 0;
        for (const QString& word : none_.split(' ')) {
            if (column + word.size() > 60) {
                wrapped += '\n';
                column = 0;
            }
            wrapped += (column > 0 ? " " : "") + word;
            column += static_cast<int>(word.size()) + 1;
        }
        words->setText(wrapped);
        replot();
        return;
    }
    const auto vec = [](const std::vector<double>& v) {
        return QVector<double>(v.begin(), v.end());
    };
    QColor fan = t.charge;
    fan.setAlphaF(0.22F);
    QCPGraph* low = addGraph();
    low->setPen(Qt::NoPen);
    low->setData(vec(picture_.x), vec(picture_.low), true);
    QCPGraph* high = addGraph();
    high->setPen(Qt::NoPen);
    high->setData(vec(picture_.x), vec(picture_.high), true);
    high->setBrush(fan);
    high->setChannelFillGraph(low);
    QCPGraph* middle = addGraph();
    middle->setPen(QPen(t.charge, 1.6));
    middle->setData(vec(picture_.x), vec(picture_.middle), true);
    QCPGraph* dots = addGraph();
    dots->setLineStyle(QCPGraph::lsNone);
    dots->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, t.charge, t.charge, 4));
    dots->setData(vec(picture_.at), vec(picture_.value), true);
    QCPGraph* odd = addGraph();
    odd->setLineStyle(QCPGraph::lsNone);
    odd->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCross, t.muted, 7));
    odd->setData(vec(picture_.oddAt), vec(picture_.oddValue), true);

    auto* end = new QCPItemStraightLine(this);
    end->point1->setCoords(0, picture_.end);
    end->point2->setCoords(1, picture_.end);
    end->setPen(QPen(t.muted, 1, Qt::DashLine));
    const auto label = [&](double x, double y, const QString& words, Qt::Alignment at) {
        auto* text = new QCPItemText(this);
        text->position->setCoords(x, y);
        text->setPositionAlignment(at);
        text->setFont(small);
        text->setColor(t.text);
        text->setText(words);
    };
    label(picture_.x.front(), picture_.end, " " + tr("80 %: the end"),
          Qt::AlignLeft | Qt::AlignBottom);
    const double right = picture_.x.back();
    if (std::isfinite(picture_.crossing.middle) && picture_.crossing.low < right) {
        auto* bar = new QCPItemLine(this);
        bar->start->setCoords(picture_.crossing.low, picture_.end);
        bar->end->setCoords(
            std::isfinite(picture_.crossing.high) ? std::min(picture_.crossing.high, right) : right,
            picture_.end);
        bar->setPen(QPen(t.text, 3));
        if (picture_.crossing.middle < right)
            label(picture_.crossing.middle, picture_.end, picture_.endWords,
                  Qt::AlignHCenter | Qt::AlignTop);
    }
    if (std::isfinite(picture_.knee)) {
        auto* knee = new QCPItemStraightLine(this);
        knee->point1->setCoords(picture_.knee, 0);
        knee->point2->setCoords(picture_.knee, 1);
        knee->setPen(QPen(t.muted, 1, Qt::DotLine));
    }
    double bottom = picture_.end;
    double top = picture_.end;
    for (const auto* values : {&picture_.value, &picture_.middle})
        for (const double v : *values) {
            bottom = std::min(bottom, v);
            top = std::max(top, v);
        }
    const double room = 0.12 * std::max(top - bottom, 1e-9);
    xAxis->setRange(picture_.x.front(), right);
    yAxis->setRange(bottom - 2 * room, top + room);
    xAxis->setLabel(picture_.axis);
    yAxis->setLabel(tr("Capacity, %1").arg(picture_.unit));
    replot();
}

}  // namespace nk
