// Mouse and keyboard on the lanes.
#include <algorithm>

#include "app/plot/lanes_plot.h"

namespace nk {

void LanesPlot::mouseMoveEvent(QMouseEvent* event) {
    QCustomPlot::mouseMoveEvent(event);
    if (lanes_.empty()) return;
    const double x =
        lanes_.front().rect->axis(QCPAxis::atBottom)->pixelToCoord(event->position().x());
    cursor_ = axis_->timeAt(std::clamp(x, shown().lower, shown().upper));
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
    const double low = shown().lower;
    const double high = shown().upper;
    const double span = high - low;
    const double middle = 0.5 * (low + high);
    switch (event->key()) {
        case Qt::Key_Home:
            showAll();
            return;
        case Qt::Key_Left:
            showPlaces(low - 0.1 * span, high - 0.1 * span);
            return;
        case Qt::Key_Right:
            showPlaces(low + 0.1 * span, high + 0.1 * span);
            return;
        case Qt::Key_Plus:
        case Qt::Key_Equal:
            showPlaces(middle - 0.35 * span, middle + 0.35 * span);
            return;
        case Qt::Key_Minus:
            showPlaces(middle - 0.72 * span, middle + 0.72 * span);
            return;
        case Qt::Key_A:
        case Qt::Key_B:
            if (!lanes_.empty())
                Q_EMIT pinRequested(event->key() == Qt::Key_A ? 0 : 1,
                                    cursor_.value_or(axis_->timeAt(middle)));
            return;
        default:
            QCustomPlot::keyPressEvent(event);
    }
}

}  // namespace nk
