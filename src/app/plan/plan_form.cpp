#include "app/plan/plan_form.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDateTimeEdit>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QRegularExpression>
#include <QSpinBox>
#include <QVBoxLayout>
#include <cmath>

#include "app/theme/field_grid.h"
#include "app/theme/quantity_field.h"
#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

int minutesOf(const QTimeEdit* edit) {
    return QTime(0, 0).secsTo(edit->time()) / 60;
}

/// "12.1" or "4.02, 4.01 4.03": volts, with the decimal sign of the language or a dot.
std::vector<double> voltsIn(const QString& text) {
    std::vector<double> out;
    const bool comma = currentStyle().decimal == ',';
    static const QRegularExpression between("[;/\\s]+|,\\s+");
    for (QString part : text.split(between, Qt::SkipEmptyParts)) {
        if (comma) part.replace(',', '.');
        for (const QString& one : part.split(',', Qt::SkipEmptyParts)) {
            bool good = false;
            const double v = one.toDouble(&good);
            out.push_back(good ? v : std::nan(""));
        }
    }
    return out;
}

}  // namespace

PlanForm::PlanForm(QWidget* parent) : QWidget(parent) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 2, 0, 2);
    box->setSpacing(4);
    grid_ = new FieldGrid(4, this);
    box->addWidget(grid_);
    const auto change = [this] {
        if (!filling_) Q_EMIT changed();
    };
    connect(grid_, &FieldGrid::changed, this, change);
    chemistry_ = grid_->choice(tr("Chemistry"), "planChemistry", {});
    for (const Chemistry& c : chemistries())
        chemistry_->addItem(QString::fromStdString(c.name()), QString::fromStdString(c.id));
    series_ = grid_->whole(tr("Cells in series"), "planSeries", 1, 400, 3);
    rated_ = grid_->decimal(tr("Rated"), "planRated", {0.01, 10000, 0.5, 2}, 5, "Ah");
    today_ = grid_->decimal(tr("Holds today"), "planToday", {0, 10000, 0.1, 2}, 0, "Ah",
                            tr("What it really delivers, as measured: currents, limits and timers "
                               "count of it"));
    today_->setSpecialValueText(tr("as rated"));
    charger_ = grid_->choice(tr("Charger"), "planCharger", {});
    rate_ = grid_->decimal(tr("Rate"), "planRate", {0, 10, 0.1, 2}, 0, "C");
    rate_->setSpecialValueText(tr("kind"));
    target_ = grid_->decimal(tr("Volts a cell"), "planTarget", {0, 5, 0.01, 2}, 0, "V");
    target_->setSpecialValueText(tr("usual"));
    rested_ = new QLineEdit(grid_);
    rested_->setPlaceholderText(tr("not measured"));
    connect(rested_, &QLineEdit::editingFinished, this, change);
    grid_->add(tr("Volts at rest"), rested_, "planRested",
               tr("Of the whole battery, or of each cell one after the other: 3.71 3.70 3.68"));
    from_ = grid_->whole(tr("Level before"), "planFrom", -1, 100, -1, "%");
    from_->setSpecialValueText(tr("not known"));
    warmth_ = grid_->whole(tr("Warmth"), "planWarmth", -30, 60, 20, "°C");
    field_ = grid_->whole(tr("Fed from"), "planField", 0, 100000, 0, "Wh",
                          tr("Energy of the field battery that feeds the charger"));
    field_->setSpecialValueText(tr("the mains"));
    program_ = grid_->choice(tr("Program"), "planProgram",
                             {tr("recondition"), tr("break in"), tr("log its capacity")});
    cycles_ = grid_->whole(tr("Cycles"), "planCycles", 1, 20, 3);
    ready_ = new QDateTimeEdit(QDateTime(QDate::currentDate().addDays(1), QTime(18, 0)), grid_);
    ready_->setDisplayFormat("yyyy-MM-dd HH:mm");
    ready_->setKeyboardTracking(false);
    connect(ready_, &QDateTimeEdit::dateTimeChanged, this, change);
    grid_->add(tr("Ready by"), ready_, "planReady");
    const auto hour = [&](int h, const char* name, const QString& label) {
        auto* e = new QTimeEdit(QTime(h, h == 22 ? 30 : 0), grid_);
        e->setDisplayFormat("HH:mm");
        e->setButtonSymbols(QAbstractSpinBox::NoButtons);
        e->setKeyboardTracking(false);
        connect(e, &QTimeEdit::timeChanged, this, change);
        grid_->add(label, e, name);
        return e;
    };
    presentFrom_ = hour(7, "planPresentFrom", tr("Somebody there from"));
    presentTo_ = hour(22, "planPresentTo", tr("to"));
    beyond_ = new QCheckBox(tr("Beyond the usual current: the maker's data sheet allows it"), this);
    beyond_->setObjectName("planBeyond");
    connect(beyond_, &QCheckBox::toggled, this, change);
    box->addWidget(beyond_);
    ratingIsRight_ =
        new QCheckBox(tr("The rating is right: these are large cells, or many in parallel"), this);
    ratingIsRight_->setObjectName("planRatingIsRight");
    connect(ratingIsRight_, &QCheckBox::toggled, this, change);
    box->addWidget(ratingIsRight_);
    ratingIsRight_->hide();
    unattended_ = new QCheckBox(tr("Charges may run while nobody is there: my word for it"), this);
    unattended_->setObjectName("planUnattended");
    connect(unattended_, &QCheckBox::toggled, this, change);
    box->addWidget(unattended_);
    week_ = new QWidget(this);
    auto* days = new QHBoxLayout(week_);
    days->setContentsMargins(0, 0, 0, 0);
    auto* every = new QLabel(tr("Every week on"), week_);
    every->setProperty("role", "muted");
    days->addWidget(every);
    for (int d = 0; d < 7; ++d) {
        auto* day = new QCheckBox(QLocale().dayName(d + 1, QLocale::ShortFormat), week_);
        day->setObjectName(QString("planDay-%1").arg(d));
        day->setAccessibleName(QLocale().dayName(d + 1));
        connect(day, &QCheckBox::toggled, this, change);
        days->addWidget(day);
        days_.push_back(day);
    }
    days->addStretch(1);
    box->addWidget(week_);
    for (QuantityField* f : {rated_, today_})
        connect(f, &QDoubleSpinBox::valueChanged, this, &PlanForm::countC);
    countC();
    setChargers(genericChargers());
}

void PlanForm::setAsked(PlanAsked asked) {
    using A = PlanAsked;
    const auto visible = [this](QWidget* field, bool on) { grid_->ask(field, on); };
    const bool single = asked != A::Join && asked != A::Queue && asked != A::WhatIf;
    for (QWidget* w :
         std::initializer_list<QWidget*>{chemistry_, series_, rated_, today_, charger_, warmth_})
        visible(w, single);
    visible(rate_, asked == A::Charge || asked == A::ReadyBy);
    visible(target_, asked == A::Charge);
    visible(rested_, single);
    visible(field_, asked == A::Charge);
    visible(from_, asked == A::Charge || asked == A::Storage || asked == A::ReadyBy);
    visible(program_, asked == A::BackToLife);
    visible(cycles_, asked == A::BackToLife || asked == A::Queue);
    visible(ready_, asked == A::ReadyBy);
    visible(presentFrom_, asked == A::ReadyBy || asked == A::Queue);
    visible(presentTo_, asked == A::ReadyBy || asked == A::Queue);
    grid_->layOut();
    beyond_->setVisible(asked == A::Charge);
    unattended_->setVisible(asked == A::Queue || asked == A::ReadyBy || asked == A::BackToLife);
    week_->setVisible(asked == A::ReadyBy);
    setVisible(asked != A::Join && asked != A::WhatIf);
}

void PlanForm::setBattery(const Battery& b, bool another) {
    filling_ = true;
    const int k = chemistry_->findData(QString::fromStdString(b.chemistry));
    if (k >= 0) chemistry_->setCurrentIndex(k);
    if (b.series > 0) series_->setValue(b.series);
    if (b.rated_Ah > 0) rated_->setValue(b.rated_Ah);
    rested_->clear();
    from_->setValue(-1);
    if (another) {
        rate_->setValue(0);
        target_->setValue(0);
        beyond_->setChecked(false);
        today_->setValue(0);
        ratingIsRight_->setChecked(false);
        ratingIsRight_->hide();
    }
    filling_ = false;
    countC();
}

/// Rates may be typed in amperes: of what it holds.
void PlanForm::countC() {
    rate_->setCapacity(today_->value() > 0 ? today_->value()
                       : known_Ah_ > 0     ? known_Ah_
                                           : rated_->value());
}

void PlanForm::askRating(bool doubted) {
    ratingIsRight_->setVisible(doubted || ratingIsRight_->isChecked());
}

void PlanForm::setChargers(std::vector<ChargerCard> chargers) {
    chargers_ = std::move(chargers);
    filling_ = true;
    charger_->clear();
    charger_->addItem(tr("any"));
    for (const ChargerCard& c : chargers_) charger_->addItem(QString::fromStdString(c.name));
    filling_ = false;
}

void PlanForm::setBack(Back back) {
    filling_ = true;
    program_->setCurrentIndex(static_cast<int>(back));
    filling_ = false;
}

void PlanForm::setQueue(const QueueWish& wish) {
    setChargers(wish.chargers);
    filling_ = true;
    cycles_->setValue(wish.cycles);
    const auto clock = [](int minutes) { return QTime(0, 0).addSecs(60 * (minutes % 1440)); };
    presentFrom_->setTime(clock(wish.present.from_min));
    presentTo_->setTime(clock(wish.present.to_min));
    unattended_->setChecked(wish.unattendedCharging);
    filling_ = false;
}

PlanForm::Back PlanForm::back() const {
    return static_cast<Back>(program_->currentIndex());
}

Battery PlanForm::battery(Battery b) const {
    b.chemistry = chemistry_->currentData().toString().toStdString();
    b.setLimits(b.limits());
    b.series = series_->value();
    b.rated_Ah = rated_->value();
    return b;
}

void PlanForm::setKnown(double capacity_Ah) {
    known_Ah_ = capacity_Ah;
    today_->setSpecialValueText(
        capacity_Ah > 0
            ? tr("%1, measured").arg(QString::fromStdString(shortValue(capacity_Ah, "Ah")))
            : tr("as rated"));
    rate_->setCapacity(today_->value() > 0 ? today_->value()
                       : known_Ah_ > 0     ? known_Ah_
                                           : rated_->value());
}

ChargeWish PlanForm::chargeWish(const Battery& base) const {
    ChargeWish w;
    w.battery = battery(base);
    w.rate_C = rate_->value();
    w.set_V = target_->value();
    w.fromSoc = fromSoc();
    w.ambient_C = warmth_C();
    w.beyondUsual = beyond_->isChecked();
    w.fieldBattery_Wh = field_->value();
    if (!anyCharger())
        w.charger = chargers_[static_cast<std::size_t>(charger_->currentIndex() - 1)];
    w.capacity_Ah = today_->value();
    w.ratingIsRight = ratingIsRight_->isChecked();
    const auto volts = voltsIn(rested_->text());
    if (volts.size() == 1)
        w.rested_V = volts.front();
    else
        w.cells_V = volts;
    return w;
}

ProgramWish PlanForm::programWish(const Battery& base) const {
    ProgramWish w;
    w.battery = battery(base);
    w.ambient_C = warmth_C();
    w.cycles = cycles();
    w.fromSoc = fromSoc();
    w.overnight = unattended();
    const ChargeWish charge = chargeWish(base);
    w.charger = charge.charger;
    w.capacity_Ah = charge.capacity_Ah;
    w.ratingIsRight = charge.ratingIsRight;
    w.rested_V = charge.rested_V;
    w.cells_V = charge.cells_V;
    return w;
}

Presence PlanForm::present() const {
    Presence out;
    out.from_min = minutesOf(presentFrom_);
    out.to_min = minutesOf(presentTo_);
    return out.from_min == out.to_min ? Presence() : out;
}

double PlanForm::ready_s() const {
    const QDateTime at = ready_->dateTime();
    return static_cast<double>(QDateTime(at.date(), at.time(), Qt::UTC).toSecsSinceEpoch());
}

int PlanForm::cycles() const {
    return cycles_->value();
}
bool PlanForm::unattended() const {
    return unattended_->isChecked();
}
double PlanForm::fromSoc() const {
    return from_->value() < 0 ? -1 : from_->value() / 100.0;
}
double PlanForm::warmth_C() const {
    return warmth_->value();
}
std::array<bool, 7> PlanForm::weekdays() const {
    std::array<bool, 7> out{};
    for (std::size_t d = 0; d < 7; ++d) out[d] = days_[d]->isChecked();
    return out;
}
void PlanForm::setReady(const ReadyRule& rule) {
    filling_ = true;
    for (std::size_t d = 0; d < 7; ++d) days_[d]->setChecked(rule.days[d]);
    if (rule.any())
        ready_->setDateTime(QDateTime(ready_->date(), QTime(0, 0).addSecs(60 * rule.minute)));
    filling_ = false;
}
double PlanForm::rate_C() const {
    return rate_->value();
}
bool PlanForm::anyCharger() const {
    return charger_->currentIndex() <= 0;
}
QString PlanForm::chargerName() const {
    return anyCharger() ? QString() : charger_->currentText();
}

}  // namespace nk
