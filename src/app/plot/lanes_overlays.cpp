// What lies over the curves: temperature limits, marks with words, evidence, cursor and pins.
#include <algorithm>
#include <cmath>

#include "app/plot/lanes_plot.h"
#include "app/theme/theme.h"

namespace nk {

void LanesPlot::drawTemperatureLimits() {
    const Theme& t = currentTheme();
    for (Lane& lane : lanes_) {
        if (lane.kind != 2) continue;
        for (const auto& [limit, words] : temperatureLimits_) {
            QCPAxis* y = lane.rect->axis(QCPAxis::atLeft);
            if (!y->range().contains(limit)) continue;
            auto* line = new QCPItemStraightLine(this);
            line->setClipAxisRect(lane.rect);
            for (QCPItemPosition* p : {line->point1, line->point2}) {
                p->setAxes(lane.rect->axis(QCPAxis::atBottom), y);
                p->setAxisRect(lane.rect);
                p->setTypeX(QCPItemPosition::ptAxisRectRatio);
            }
            line->point1->setCoords(0, limit);
            line->point2->setCoords(1, limit);
            line->setPen(QPen(t.hazard, 1, Qt::DashDotLine));
            markItems_.push_back(line);
            auto* text = new QCPItemText(this);
            text->position->setAxes(lane.rect->axis(QCPAxis::atBottom), y);
            text->position->setAxisRect(lane.rect);
            text->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
            text->position->setCoords(0.995, limit);
            text->setPositionAlignment(
                Qt::AlignRight | (y->range().center() < limit ? Qt::AlignTop : Qt::AlignBottom));
            QFont f = font();
            f.setPixelSize(11);
            text->setFont(f);
            text->setColor(t.hazard);
            text->setText(words);
            markItems_.push_back(text);
        }
    }
}

void LanesPlot::setMarks(std::vector<PlotMark> marks) {
    for (QCPAbstractItem* item : markItems_) removeItem(item);
    markItems_.clear();
    markWords_.clear();
    marks_ = std::move(marks);
    if (lanes_.empty()) return;
    const Theme& t = currentTheme();
    drawTemperatureLimits();
    for (const PlotMark& mark : marks_) {
        const double place = axis_->at(mark.time_s);
        for (Lane& lane : lanes_) {
            auto* line = new QCPItemStraightLine(this);
            line->setClipAxisRect(lane.rect);
            line->point1->setAxes(lane.rect->axis(QCPAxis::atBottom),
                                  lane.rect->axis(QCPAxis::atLeft));
            line->point2->setAxes(lane.rect->axis(QCPAxis::atBottom),
                                  lane.rect->axis(QCPAxis::atLeft));
            line->point1->setCoords(place, 0);
            line->point2->setCoords(place, 1);
            line->setPen(QPen(t.accent, 1, Qt::DashLine));
            markItems_.push_back(line);
        }
        auto* words = new QCPItemText(this);
        QCPAxisRect* top = lanes_.front().rect;
        words->position->setAxes(top->axis(QCPAxis::atBottom), top->axis(QCPAxis::atLeft));
        words->position->setAxisRect(top);
        words->position->setTypeX(QCPItemPosition::ptPlotCoords);
        words->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
        words->position->setCoords(place, 0);
        words->setPositionAlignment(Qt::AlignHCenter | Qt::AlignBottom);
        words->setClipToAxisRect(false);
        QFont f = font();
        f.setPixelSize(12);
        f.setWeight(QFont::Medium);
        words->setFont(f);
        words->setColor(t.accent);
        words->setText(mark.words);
        words->setPadding(QMargins(0, 0, 0, 2));
        markItems_.push_back(words);
        markWords_.push_back(words);
    }
    placeOverlays();
}

void LanesPlot::placeMarkWords() {
    const QCPAxisRect* top = lanes_.front().rect;
    QCPAxis* x = top->axis(QCPAxis::atBottom);
    constexpr double kApart_px = 10;
    // From left to right, behind the lane's title and each other.
    double free =
        top->left() +
        QFontMetricsF(lanes_.front().label->font()).horizontalAdvance(lanes_.front().title) +
        kApart_px;
    std::vector<std::pair<double, QCPItemText*>> order;
    for (std::size_t k = 0; k < markWords_.size(); ++k)
        order.emplace_back(x->coordToPixel(axis_->at(marks_[k].time_s)), markWords_[k]);
    std::ranges::sort(order);
    for (const auto& [place, words] : order) {
        const double wide = QFontMetricsF(words->font()).horizontalAdvance(words->text());
        const bool seen = place >= top->left() && place <= top->right();
        const double left =
            std::max(free, std::min(place - wide / 2, static_cast<double>(top->right()) - wide));
        words->setVisible(seen && left + wide <= top->right() + kApart_px);
        if (!words->visible()) continue;
        words->position->setCoords(x->pixelToCoord(left + wide / 2), 0);
        free = left + wide + kApart_px;
    }
}

void LanesPlot::nameBundle(Lane& lane, double high) {
    QCPAxis* x = lane.rect->axis(QCPAxis::atBottom);
    const std::size_t at = recording_->nearest(axis_->timeAt(high));
    int ends[2] = {-1, -1};  // highest, lowest
    for (std::size_t c = 0; c < lane.curves.size(); ++c) {
        const double v = lane.curves[c].column[at];
        if (!std::isfinite(v)) continue;
        const auto value = [&](int k) {
            return lane.curves[static_cast<std::size_t>(k)].column[at];
        };
        if (ends[0] < 0 || v > value(ends[0])) ends[0] = static_cast<int>(c);
        if (ends[1] < 0 || v < value(ends[1])) ends[1] = static_cast<int>(c);
    }
    for (int k = 0; k < 2; ++k) {
        QCPItemText*& words = lane.ends[k];
        if (words == nullptr) {
            words = new QCPItemText(this);
            words->setLayer(kOverlay);
            words->position->setAxes(x, lane.rect->axis(QCPAxis::atLeft));
            words->position->setAxisRect(lane.rect);
            words->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
            words->setClipAxisRect(lane.rect);
            words->setPadding(QMargins(0, 1, 3, 1));
        }
        words->setVisible(ends[k] >= 0 && ends[0] != ends[1] && lane.rect->height() > 34);
        if (!words->visible()) continue;
        QFont f = font();
        f.setPixelSize(11);
        words->setFont(f);
        words->setColor(currentTheme().text);
        words->setText(tr("cell %1").arg(ends[k] + 1));
        // Over the highest and under the lowest, inside the lane.
        const double v = lane.curves[static_cast<std::size_t>(ends[k])].column[at];
        const double y = lane.rect->axis(QCPAxis::atLeft)->coordToPixel(v);
        constexpr double kTall_px = 16;
        const bool over =
            k == 0 ? y - kTall_px > lane.rect->top() : y + kTall_px > lane.rect->bottom();
        words->setPositionAlignment(Qt::AlignRight | (over ? Qt::AlignBottom : Qt::AlignTop));
        words->position->setCoords(1, v);
    }
}

void LanesPlot::setTemperatureLimits(std::vector<std::pair<double, QString>> limits) {
    temperatureLimits_ = std::move(limits);
    refill();
    setMarks(marks_);
}

void LanesPlot::placeOverlays() {
    if (lanes_.empty()) return;
    placeMarkWords();
    for (Lane& lane : lanes_) {
        const bool shaded = evidence_.has_value();
        lane.shade->setVisible(shaded);
        if (shaded) {
            lane.shade->topLeft->setCoords(axis_->at(evidence_->from_s), 0);
            lane.shade->bottomRight->setCoords(
                axis_->at(std::max(evidence_->to_s, evidence_->from_s)), 1);
        }
        for (int p = 0; p < 2; ++p) {
            lane.pins[p]->setVisible(pins_[p].has_value());
            if (pins_[p])
                lane.pins[p]->point1->setCoords(axis_->at(*pins_[p]), 0),
                    lane.pins[p]->point2->setCoords(axis_->at(*pins_[p]), 1);
        }
        lane.cursor->setVisible(cursor_.has_value());
        lane.dot->setVisible(cursor_.has_value() && lane.curves.size() == 1);
        if (cursor_) {
            const std::size_t k = recording_->nearest(*cursor_);
            const double place = axis_->column()[k];
            lane.cursor->point1->setCoords(place, 0);
            lane.cursor->point2->setCoords(place, 1);
            lane.dot->position->setCoords(place, lane.curves.front().column[k]);
        }
    }
    if (bracket_ != nullptr) {
        bracket_->setVisible(evidence_.has_value());
        bracketText_->setVisible(evidence_.has_value());
        if (evidence_) {
            const double low = shown().lower;
            const double high = shown().upper;
            const double from = std::max(axis_->at(evidence_->from_s), low);
            const double to =
                std::min(axis_->at(std::max(evidence_->to_s, evidence_->from_s)), high);
            // At the foot of the top lane: marks with words stand at its head.
            bracket_->left->setCoords(to, 0.965);
            bracket_->right->setCoords(from, 0.965);
            const double middle = std::clamp(0.5 * (from + to), low + 0.09 * (high - low),
                                             high - 0.09 * (high - low));
            bracketText_->position->setCoords(middle, 0.945);
            bracketText_->setPositionAlignment(Qt::AlignHCenter | Qt::AlignBottom);
            bracketText_->setText(evidenceWords_);
            QColor ground = currentTheme().plot;
            ground.setAlpha(215);
            bracketText_->setBrush(ground);
            bracketText_->setPadding(QMargins(4, 1, 4, 1));
        }
    }
    layer(kOverlay)->replot();
}

void LanesPlot::showEvidence(std::optional<Evidence> evidence, const QString& words) {
    evidence_ = evidence && std::isfinite(evidence->from_s) ? evidence : std::nullopt;
    evidenceWords_ = words;
    if (evidence_ && axis_) {
        const double from = axis_->at(evidence_->from_s);
        const double to = axis_->at(std::max(evidence_->to_s, evidence_->from_s));
        // Bring it into view when it is outside.
        const QCPRange range = shown();
        if (to < range.lower || from > range.upper) {
            const double middle = 0.5 * (from + to);
            const double half = std::max(range.size() / 2, (to - from) * 0.75);
            showPlaces(middle - half, middle + half);
        }
    }
    placeOverlays();
    replot(QCustomPlot::rpQueuedReplot);
}

void LanesPlot::setPin(int which, std::optional<double> time_s) {
    pins_[which] = time_s;
    placeOverlays();
}

}  // namespace nk
