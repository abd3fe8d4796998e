#include "app/bench/channel_strip.h"

#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMouseEvent>
#include <QStyle>
#include <cmath>

#include "app/bench/live_lanes.h"
#include "app/theme/theme.h"
#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

QString figure(double value, int digits, const QString& unit) {
    if (!std::isfinite(value)) return "– " + unit;
    return QString::fromStdString(fixed(value, digits)) + QString(QChar(0x202F)) + unit;
}

}  // namespace

ChannelStrip::ChannelStrip(BenchChannel& channel, QWidget* parent)
    : QFrame(parent), channel_(channel) {
    setObjectName("channelStrip");
    setProperty("role", "card");
    setFocusPolicy(Qt::StrongFocus);
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(12, 8, 12, 8);
    grid->setHorizontalSpacing(18);
    grid->setVerticalSpacing(1);
    const auto label = [&](const char* name, const char* role) {
        auto* l = new QLabel(this);
        l->setObjectName(name);
        l->setTextFormat(Qt::PlainText);
        if (*role != 0) l->setProperty("role", role);
        return l;
    };
    name_ = label("stripName", "");
    doing_ = label("stripDoing", "muted");
    figures_ = label("stripFigures", "");
    remaining_ = label("stripRemaining", "");
    remaining_->setWordWrap(true);
    curve_ = new LiveLanes(LiveLanes::Size::Strip, this);
    curve_->setAttribute(Qt::WA_TransparentForMouseEvents);
    setLarge(false);
    refresh();
}

void ChannelStrip::setLarge(bool large) {
    const auto size = [](QLabel* l, int pixels, QFont::Weight weight) {
        QFont f = l->font();
        f.setPixelSize(pixels);
        f.setWeight(weight);
        l->setFont(f);
    };
    size(name_, large ? 30 : 15, QFont::DemiBold);
    size(doing_, large ? 24 : 12, QFont::Normal);
    size(figures_, large ? 76 : 24, QFont::DemiBold);
    size(remaining_, large ? 34 : 14, large ? QFont::DemiBold : QFont::Normal);
    curve_->setVisible(!large);
    auto* grid = static_cast<QGridLayout*>(layout());
    while (QLayoutItem* item = grid->takeAt(0)) delete item;
    if (large) {
        grid->addWidget(name_, 0, 0);
        grid->addWidget(doing_, 0, 1, Qt::AlignRight | Qt::AlignVCenter);
        grid->addWidget(figures_, 1, 0, 1, 2);
        grid->addWidget(remaining_, 2, 0, 1, 2);
        for (const int column : {0, 1, 2, 3}) grid->setColumnStretch(column, column == 0 ? 1 : 0);
        return;
    }
    grid->addWidget(name_, 0, 0);
    grid->addWidget(doing_, 1, 0);
    grid->addWidget(figures_, 0, 1, 2, 1);
    grid->addWidget(curve_, 0, 2, 2, 1);
    grid->addWidget(remaining_, 0, 3, 2, 1);
    const int stretch[] = {3, 4, 4, 3};
    for (int column = 0; column < 4; ++column) grid->setColumnStretch(column, stretch[column]);
}

void ChannelStrip::setChosen(bool chosen) {
    setFrameShape(chosen ? QFrame::Box : QFrame::NoFrame);
}

void ChannelStrip::refresh() {
    const LiveChannel& live = channel_.live();
    name_->setText(channel_.title());
    doing_->setText(channel_.doing());
    const double warm = live.temperature_C();
    const bool fahrenheit = currentStyle().fahrenheit;
    figures_->setText(figure(live.voltage_V(), 2, "V") + "   " + figure(live.current_A(), 2, "A") +
                      (std::isfinite(warm) ? "   " + figure(fahrenheit ? warm * 1.8 + 32 : warm, 0,
                                                            fahrenheit ? "°F" : "°C")
                                           : QString()));
    remaining_->setText(channel_.remaining());
    curve_->setChannel(channel_.watched());
    // What a lost line showed last is of the past: grey, and dated.
    const bool lost = channel_.lost();
    for (QLabel* l : {figures_, doing_}) {
        if (l->property("role").toString() == (lost || l == doing_ ? "muted" : "")) continue;
        l->setProperty("role", lost || l == doing_ ? "muted" : "");
        l->style()->unpolish(l);
        l->style()->polish(l);
    }
    const bool stop = live.stopNow().has_value() && !channel_.over();
    if (remaining_->property("role").toString() != (stop ? "hazard" : "")) {
        remaining_->setProperty("role", stop ? "hazard" : "");
        remaining_->style()->unpolish(remaining_);
        remaining_->style()->polish(remaining_);
    }
    setAccessibleName(
        tr("%1: %2, %3, %4")
            .arg(channel_.title(), channel_.doing(), figures_->text(), remaining_->text()));
}

void ChannelStrip::mousePressEvent(QMouseEvent*) {
    Q_EMIT chosen();
}

void ChannelStrip::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Space)
        Q_EMIT chosen();
    else
        QFrame::keyPressEvent(event);
}

}  // namespace nk
