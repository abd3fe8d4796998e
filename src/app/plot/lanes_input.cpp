// Mouse and keyboard on the lanes.
#include <QGestureEvent>
#include <QNativeGestureEvent>
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

void LanesPlot::zoomAt(double x_px, double factor) {
    if (lanes_.empty() || factor <= 0) return;
    const QCPRange range = shown();
    const double at = std::clamp(lanes_.front().rect->axis(QCPAxis::atBottom)->pixelToCoord(x_px),
                                 range.lower, range.upper);
    showPlaces(at - (at - range.lower) / factor, at + (range.upper - at) / factor);
}

bool LanesPlot::event(QEvent* event) {
    // Two fingers on a touch pad, or on a screen.
    if (event->type() == QEvent::NativeGesture) {
        const auto* gesture = static_cast<QNativeGestureEvent*>(event);
        if (gesture->gestureType() == Qt::ZoomNativeGesture) {
            zoomAt(gesture->position().x(), 1 + gesture->value());
            return true;
        }
    }
    if (event->type() == QEvent::Gesture) {
        auto* gestures = static_cast<QGestureEvent*>(event);
        if (auto* pinch = static_cast<QPinchGesture*>(gestures->gesture(Qt::PinchGesture))) {
            zoomAt(mapFromGlobal(pinch->centerPoint()).x(), pinch->scaleFactor());
            return true;
        }
    }
    return QCustomPlot::event(event);
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
