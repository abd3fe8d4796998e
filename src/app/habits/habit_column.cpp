#include "app/habits/habit_column.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPushButton>
#include <QSpinBox>
#include <QTimeEdit>
#include <QVBoxLayout>
#include <cmath>

#include "app/habits/pause_list.h"
#include "app/habits/week_band.h"
#include "app/habits/years_bar.h"
#include "app/theme/quantity_field.h"
#include "app/theme/theme.h"
#include "app/theme/word_label.h"
#include "quantity/phrase.h"

namespace nk {

HabitColumn::HabitColumn(QWidget* parent) : QFrame(parent) {
    setObjectName("habitColumn");
    setProperty("role", "card");
    setMinimumWidth(328);
    setMaximumWidth(420);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(10, 8, 10, 8);
    box->setSpacing(5);
    auto* head = new QHBoxLayout;
    name_ = new QLineEdit(this);
    name_->setObjectName("habitName");
    name_->setAccessibleName(tr("Name of the habit"));
    auto* away = new QPushButton(tr("Remove"), this);
    away->setObjectName("habitRemove");
    away->setProperty("role", "link");
    away->setAccessibleName(tr("Remove this habit"));
    head->addWidget(name_, 1);
    head->addWidget(away);
    box->addLayout(head);
    band_ = new WeekBand(this);
    box->addWidget(band_);

    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(5);
    grid->setColumnMinimumWidth(0, 74);
    grid->setColumnMinimumWidth(2, 60);
    grid->setVerticalSpacing(3);
    int place = 0;
    const auto field = [&](const QString& words, QWidget* edit, const char* name,
                           const QString& more) {
        auto* label = new QLabel(words, this);
        label->setProperty("role", "muted");
        label->setBuddy(edit);
        label->setToolTip(more);
        edit->setObjectName(name);
        edit->setAccessibleName(words);
        edit->setToolTip(more);
        edit->setMinimumWidth(62);
        if (place % 2 == 0) edit->setMaximumWidth(78);  // figures; words stand in the other column
        edit->setProperty("role", "compact");
        grid->addWidget(label, place / 2, place % 2 * 2);
        grid->addWidget(edit, place / 2, place % 2 * 2 + 1);
        ++place;
    };
    const auto whole = [&](int low, int high, const QString& suffix) {
        auto* spin = new WholeField(this);
        spin->setRange(low, high);
        spin->setSuffix(suffix);
        spin->setKeyboardTracking(false);
        connect(spin, &QSpinBox::valueChanged, this, [this] { readFields(); });
        return spin;
    };
    const auto decimal = [&](double low, double high, double step, int digits,
                             const QString& suffix) {
        auto* spin = new QuantityField(this);
        spin->setRange(low, high);
        spin->setSingleStep(step);
        spin->setDecimals(digits);
        spin->setSuffix(suffix);
        spin->setKeyboardTracking(false);
        connect(spin, &QDoubleSpinBox::valueChanged, this, [this] { readFields(); });
        return spin;
    };
    const QString narrow = QString(QChar(0x202F));
    const QString degrees = narrow + (currentStyle().fahrenheit ? "°F" : "°C");
    target_ = decimal(1, 5, 0.01, 2, narrow + "V");
    field(tr("Target"), target_, "habitTarget", tr("Voltage of a cell at which charging ends"));
    when_ = new QComboBox(this);
    when_->addItems({tr("at once"), tr("ready by")});
    connect(when_, &QComboBox::currentIndexChanged, this, [this] { readFields(); });
    field(tr("Charged"), when_, "habitWhen",
          tr("At once after the use, or so that it is done just before the next one"));
    for (int k = 0; k < when_->count(); ++k)  // the words and the arrow beside them
        when_->setMinimumWidth(
            std::max(when_->minimumWidth(),
                     when_->fontMetrics().horizontalAdvance(when_->itemText(k)) + 30));
    uses_ = decimal(0, 140, 1, 1, {});
    field(tr("Per week"), uses_, "habitUses",
          tr("Uses a week; 0: it is parked at the target all the time"));
    useAt_ = new QTimeEdit(this);
    useAt_->setDisplayFormat("HH:mm");
    useAt_->setButtonSymbols(QAbstractSpinBox::NoButtons);
    useAt_->setKeyboardTracking(false);
    connect(useAt_, &QTimeEdit::timeChanged, this, [this] { readFields(); });
    field(tr("Begins at"), useAt_, "habitUseAt", tr("Hour at which a use begins"));
    depth_ = whole(0, 100, narrow + "%");
    field(tr("Each takes"), depth_, "habitDepth",
          tr("Share of the full charge that one use takes"));
    rate_ = decimal(0.05, 30, 0.1, 2, narrow + "C");
    field(tr("Drawn at"), rate_, "habitRate", tr("Rate of the use: 1C empties it in an hour"));
    parked_ = whole(-30, 160, degrees);
    field(tr("Parked at"), parked_, "habitParked", tr("Warmth of its place between uses"));
    use_ = whole(-30, 160, degrees);
    field(tr("Used at"), use_, "habitUse", tr("Warmth of the battery in use"));
    charging_ = whole(-30, 160, degrees);
    field(tr("Charged at"), charging_, "habitCharging",
          tr("Warmth of the battery while it charges"));
    full_ = whole(0, 104, {});
    full_->setSpecialValueText(tr("never"));
    field(tr("Full, weeks"), full_, "habitFull",
          tr("A full charge for the balancer every so many weeks"));
    device_ = decimal(0, 5, 0.05, 2, narrow + "V");
    device_->setSpecialValueText(tr("none"));
    field(tr("Device"), device_, "habitDevice",
          tr("Voltage of a cell at which what it feeds gives up"));
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);

    years_ = new QLabel(this);
    years_->setObjectName("habitYears");
    QFont big = font();
    big.setPixelSize(16);
    big.setWeight(QFont::DemiBold);
    years_->setFont(big);
    years_->setWordWrap(true);
    box->addWidget(years_);
    bar_ = new YearsBar(this);
    box->addWidget(bar_);
    box->addLayout(grid);
    pauses_ = new PauseList(this);
    box->addWidget(pauses_);
    connect(pauses_, &PauseList::changed, this, [this] { readFields(); });
    lines_ = wordLabel(this, "habitLines");
    box->addWidget(lines_);
    how_ = new QPushButton(tr("how?"), this);
    how_->setObjectName("habitHow");
    how_->setCheckable(true);
    how_->setProperty("role", "link");
    box->addWidget(how_, 0, Qt::AlignLeft);
    why_ = wordLabel(this, "habitWhy", "muted");
    why_->hide();
    box->addWidget(why_);
    box->addStretch(1);

    connect(how_, &QPushButton::toggled, why_, &QLabel::setVisible);
    connect(away, &QPushButton::clicked, this, &HabitColumn::removed);
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        if (name_->text().trimmed().toStdString() == habit_.name) return;
        habit_.name = name_->text().trimmed().toStdString();
        Q_EMIT settled();
    });
    connect(band_, &WeekBand::targetDragged, this, [this](double volts) {
        target_->setValue(volts);  // readFields follows
    });
}

void HabitColumn::setHabit(const Habit& habit, const Chemistry& chemistry) {
    habit_ = habit;
    chemistry_ = &chemistry;
    if (habit_.target_V <= 0) habit_.target_V = chemistry.set_V;
    writeFields();
}

void HabitColumn::writeFields() {
    filling_ = true;
    name_->setText(QString::fromStdString(habit_.name));
    name_->setCursorPosition(0);
    target_->setRange(chemistry_->nominal_V - 0.05, chemistry_->set_V);
    target_->setToolTip(tr("Voltage of a cell at which charging ends; not above %1 V")
                            .arg(QString::fromStdString(phrase("{:.2f}", chemistry_->set_V))));
    target_->setValue(habit_.target_V);
    when_->setCurrentIndex(habit_.charge == ChargeWhen::AtOnce ? 0 : 1);
    uses_->setValue(habit_.usesPerWeek);
    useAt_->setTime(QTime(0, 0).addSecs(static_cast<int>(habit_.useAt_h * 3600) % 86400));
    device_->setValue(habit_.deviceFloor_V);
    depth_->setValue(static_cast<int>(std::lround(100 * habit_.depth)));
    rate_->setValue(habit_.discharge_C);
    parked_->setValue(static_cast<int>(std::lround(shownWarmth(habit_.parked_C))));
    use_->setValue(static_cast<int>(std::lround(shownWarmth(habit_.use_C))));
    charging_->setValue(static_cast<int>(std::lround(shownWarmth(habit_.charging_C))));
    pauses_->setPauses(habit_.pauses);
    full_->setValue(static_cast<int>(std::lround(habit_.fullChargeEveryWeeks)));
    filling_ = false;
}

void HabitColumn::readFields() {
    if (filling_) return;
    habit_.target_V = target_->value();
    habit_.charge = when_->currentIndex() == 0 ? ChargeWhen::AtOnce : ChargeWhen::ReadyBy;
    habit_.usesPerWeek = uses_->value();
    habit_.useAt_h = QTime(0, 0).secsTo(useAt_->time()) / 3600.0;
    habit_.depth = depth_->value() / 100.0;
    habit_.discharge_C = rate_->value();
    habit_.deviceFloor_V = device_->value();
    habit_.parked_C = celsiusOf(parked_->value());
    habit_.use_C = celsiusOf(use_->value());
    habit_.charging_C = celsiusOf(charging_->value());
    habit_.pauses = pauses_->pauses();
    habit_.fullChargeEveryWeeks = full_->value();
    Q_EMIT changed();
    Q_EMIT settled();
}

void HabitColumn::setAnswer(const HabitAnswer& answer, const HabitFigures& figures, double most) {
    band_->setLoad(answer.load, habit_.target_V, *chemistry_);
    years_->setText(figures.years);
    bar_->setFigures(figures, most);
    bar_->show();
    lines_->setText(figures.lines.join("\n"));
    why_->setText(figures.why);
    how_->show();
}

void HabitColumn::setProblem(const QString& words) {
    years_->setText(tr("This cannot be"));
    lines_->setText(words);
    bar_->hide();
    how_->hide();
}

void HabitColumn::setChosen(bool chosen) {
    setFrameShape(chosen ? QFrame::Box : QFrame::NoFrame);
}

void HabitColumn::applyColours() {
    band_->update();
    bar_->update();
}

void HabitColumn::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) Q_EMIT this->chosen();
    QFrame::mousePressEvent(event);
}

}  // namespace nk
