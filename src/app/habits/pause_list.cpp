#include "app/habits/pause_list.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>
#include <cmath>

#include "app/theme/let_go.h"
#include "app/theme/quantity_field.h"
#include "app/theme/theme.h"
#include "quantity/phrase.h"

namespace nk {

double shownWarmth(double celsius) {
    return currentStyle().fahrenheit ? celsius * 1.8 + 32 : celsius;
}
double celsiusOf(double shown) {
    return currentStyle().fahrenheit ? (shown - 32) / 1.8 : shown;
}

PauseList::PauseList(QWidget* parent) : QWidget(parent) {
    box_ = new QVBoxLayout(this);
    box_->setContentsMargins(0, 0, 0, 0);
    box_->setSpacing(3);
    more_ = new QPushButton(tr("Add a pause"), this);
    more_->setObjectName("pauseAdd");
    more_->setProperty("role", "link");
    more_->setToolTip(
        tr("Days a year in which it is not used, at a level and warmth of their own"));
    box_->addWidget(more_, 0, Qt::AlignLeft);
    connect(more_, &QPushButton::clicked, this, [this] {
        addLine({30, 0.5, 15});
        Q_EMIT changed();
    });
}

void PauseList::addLine(const HabitPause& pause) {
    const QString narrow = QString(QChar(0x202F));
    auto* row = new QWidget(this);
    auto* across = new QHBoxLayout(row);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(5);
    const auto spin = [&](int low, int high, double value, const QString& suffix, const char* name,
                          const QString& words) {
        auto* s = new WholeField(row);
        s->setRange(low, high);
        s->setSuffix(suffix);
        s->setValue(static_cast<int>(std::lround(value)));
        s->setKeyboardTracking(false);
        s->setObjectName(name);
        s->setAccessibleName(words);
        s->setToolTip(words);
        s->setProperty("role", "compact");
        s->setMinimumWidth(58);
        connect(s, &QSpinBox::valueChanged, this, &PauseList::changed);
        across->addWidget(s, 1);
        return s;
    };
    auto* head = new QLabel(tr("Pause"), row);
    head->setProperty("role", "muted");
    across->addWidget(head);
    Line line{row, nullptr, nullptr, nullptr};
    line.days = spin(1, 365, pause.daysPerYear, narrow + tr("d"), "habitPause",
                     tr("Days a year in which it is not used"));
    line.level = spin(0, 100, 100 * pause.soc, narrow + "%", "habitPauseLevel",
                      tr("Charge level in the pause"));
    // What a habit may hold (ageing/habit.h).
    line.warmth =
        spin(static_cast<int>(shownWarmth(-30)), static_cast<int>(shownWarmth(70)),
             shownWarmth(pause.temperature_C), narrow + (currentStyle().fahrenheit ? "°F" : "°C"),
             "habitPauseWarmth", tr("Warmth of its place in the pause"));
    auto* away = new QPushButton("×", row);
    away->setObjectName("pauseRemove");
    away->setProperty("role", "link");
    away->setAccessibleName(tr("Remove this pause"));
    away->setToolTip(tr("Remove this pause"));
    across->addWidget(away);
    connect(away, &QPushButton::clicked, this, [this, row] {
        std::erase_if(lines_, [row](const Line& l) { return l.row == row; });
        letGo(row);
        more_->setVisible(lines_.size() < kMost);
        Q_EMIT changed();
    });
    box_->insertWidget(static_cast<int>(lines_.size()), row);
    lines_.push_back(line);
    more_->setVisible(lines_.size() < kMost);
}

void PauseList::clear() {
    for (const Line& line : lines_) letGo(line.row);
    lines_.clear();
}

void PauseList::setPauses(const std::vector<HabitPause>& pauses) {
    clear();
    for (const HabitPause& p : pauses) addLine(p);
    more_->setVisible(lines_.size() < kMost);
}

std::vector<HabitPause> PauseList::pauses() const {
    std::vector<HabitPause> out;
    for (const Line& l : lines_)
        out.push_back({static_cast<double>(l.days->value()), l.level->value() / 100.0,
                       celsiusOf(l.warmth->value())});
    return out;
}

}  // namespace nk
