#include "app/shell/battery_details.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QRegularExpression>
#include <cmath>

#include "app/preferences/preferences.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "quantity/quantity_text.h"

namespace nk {

BatteryDetails::BatteryDetails(QWidget* parent) : QWidget(parent) {
    setObjectName("batteryDetails");
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setSpacing(7);
    int row = 0;
    const auto head = [&](const QString& words) {
        auto* label = new QLabel(words, this);
        label->setProperty("role", "heading");
        grid->addWidget(label, row++, 0, 1, 4);
    };
    int column = 0;
    const auto field = [&](const QString& words, const char* name, const QString& unit) {
        auto* label = new QLabel(words, this);
        auto* edit = new QLineEdit(this);
        edit->setObjectName(name);
        edit->setPlaceholderText(unit);
        edit->setAccessibleName(words + ", " + unit);
        edit->setMaximumWidth(96);
        label->setBuddy(edit);
        grid->addWidget(label, row, column, Qt::AlignRight);
        grid->addWidget(edit, row, column + 1);
        column += 2;
        if (column == 4) column = 0, ++row;
        connect(edit, &QLineEdit::textChanged, this, &BatteryDetails::changed);
        return edit;
    };
    const auto endRow = [&] {
        if (column != 0) column = 0, ++row;
    };
    head(tr("The battery"));
    mass_ = field(tr("Mass"), "mass", tr("g"));
    labelC_ = field(tr("Label says"), "labelC", tr("C"));
    ambient_ = field(tr("Surroundings"), "ambient", temperatureUnit());
    endRow();
    head(tr("Set on the charger"));
    setCurrent_ = field(tr("Current"), "setCurrent", tr("A"));
    setCharge_ = field(tr("Capacity limit"), "setCharge", tr("Ah"));
    endRow();
    head(tr("The maker's own figures, per cell"));
    set_V_ = field(tr("Full at"), "makerSetV", tr("V"));
    floor_V_ = field(tr("Empty at"), "makerFloorV", tr("V"));
    coldest_ = field(tr("Charge from"), "makerCold", temperatureUnit());
    warmest_ = field(tr("Charge up to"), "makerWarm", temperatureUnit());
    chargeC_ = field(tr("Charge at most"), "makerChargeC", tr("C"));
    balancer_ = field(tr("Balances from"), "makerBalancer", tr("V"));
    endRow();
    sheet_ = new QCheckBox(tr("These stand in the maker's data sheet"), this);
    sheet_->setObjectName("fromSheet");
    grid->addWidget(sheet_, row++, 0, 1, 4);
    connect(sheet_, &QCheckBox::toggled, this, &BatteryDetails::changed);
    const QString degrees = currentStyle().fahrenheit ? QStringLiteral("°F") : QStringLiteral("°C");
    for (const auto& [edit, unit] :
         {std::pair(mass_, QStringLiteral("g")), std::pair(labelC_, QStringLiteral("C")),
          std::pair(ambient_, degrees), std::pair(setCurrent_, QStringLiteral("A")),
          std::pair(setCharge_, QStringLiteral("Ah")), std::pair(set_V_, QStringLiteral("V")),
          std::pair(floor_V_, QStringLiteral("V")), std::pair(coldest_, degrees),
          std::pair(warmest_, degrees), std::pair(chargeC_, QStringLiteral("C")),
          std::pair(balancer_, QStringLiteral("V"))})
        edit->setProperty("unit", unit);
}

double BatteryDetails::number(const QLineEdit* edit, bool& readable) {
    const std::string text = edit->text().trimmed().toStdString();
    if (text.empty()) return std::nan("");
    // A unit of another quantity is never swallowed.
    const std::string unit = edit->property("unit").toString().toStdString();
    const auto value = readQuantity(text, {unit});
    if (!value) readable = false;
    return value.value_or(std::nan(""));
}

void BatteryDetails::fill(const Battery& b) {
    const auto put = [](QLineEdit* edit, double x) {
        edit->setText(std::isfinite(x) && x != 0 ? QString::number(x, 'g', 6) : QString());
    };
    put(mass_, 1000 * b.mass_kg);
    put(labelC_, b.label_C);
    const auto degrees = [](QLineEdit* edit, double x_C) {
        edit->setText(std::isfinite(x_C) ? QString::number(shownTemperature(x_C), 'g', 4)
                                         : QString());
    };
    degrees(ambient_, b.hasAmbient() ? b.ambient_C : std::nan(""));
    put(setCurrent_, b.charger.current_A);
    put(setCharge_, b.charger.charge_Ah);
    const MakerLimits& m = b.limits();
    put(set_V_, m.set_V);
    put(floor_V_, m.dischargeFloor_V);
    degrees(coldest_, m.chargeMin_C);
    degrees(warmest_, m.chargeMax_C);
    put(chargeC_, m.chargeC);
    put(balancer_, m.balancerFrom_V);
    sheet_->setChecked(m.any());
}

void BatteryDetails::apply(Battery& b) const {
    bool readable = true;
    const auto or0 = [&](const QLineEdit* edit) {
        const double x = number(edit, readable);
        return std::isfinite(x) && x > 0 ? x : 0.0;
    };
    b.mass_kg = or0(mass_) / 1000;
    b.label_C = or0(labelC_);
    const double ambient = typedTemperature(number(ambient_, readable));
    b.ambient_C = std::isfinite(ambient) ? ambient : Battery::kUnknown;
    b.charger.current_A = or0(setCurrent_);
    b.charger.charge_Ah = or0(setCharge_);
    b.setLimits(limits());
}

MakerLimits BatteryDetails::limits() const {
    bool readable = true;
    MakerLimits m;
    m.set_V = number(set_V_, readable);
    m.dischargeFloor_V = number(floor_V_, readable);
    m.chargeMin_C = typedTemperature(number(coldest_, readable));
    m.chargeMax_C = typedTemperature(number(warmest_, readable));
    m.chargeC = number(chargeC_, readable);
    m.balancerFrom_V = number(balancer_, readable);
    return m;
}

QString BatteryDetails::problem(const std::string& chemistry) const {
    bool readable = true;
    for (const QLineEdit* edit : {mass_, labelC_, ambient_, setCurrent_, setCharge_, set_V_,
                                  floor_V_, coldest_, warmest_, chargeC_, balancer_}) {
        number(edit, readable);
        if (!readable)
            return tr("“%1” is not readable. A number is accepted, with comma or point: %2.")
                .arg(edit->text(), edit->accessibleName());
    }
    for (const QLineEdit* edit : {mass_, labelC_, setCurrent_, setCharge_})
        if (number(edit, readable) <= 0)
            return tr("“%1” is not over 0: %2.").arg(edit->text(), edit->accessibleName());
    const auto usual = findChemistry(chemistry);
    if (!usual) return {};
    if (const auto ok = limits().check(**usual); !ok)
        return QString::fromStdString(ok.error().what + " " +
                                      phrase("Accepted: {}", ok.error().accepted));
    if (const std::string words = limits().beyondUsual(**usual);
        !words.empty() && !sheet_->isChecked())
        return QString::fromStdString(words) +
               tr(" Tick the box below only if the maker's data sheet says so.");
    return {};
}

}  // namespace nk
