#include "app/preferences/preferences.h"

#include <QSettings>
#include <algorithm>

#include "app/preferences/translation.h"
#include "quantity/format.h"

namespace nk {

namespace {

template <class Enum>
Enum choice(const QSettings& settings, const char* key, Enum last) {
    const int value = settings.value(key, 0).toInt();
    return value < 0 || value > static_cast<int>(last) ? Enum{} : static_cast<Enum>(value);
}

/// A setting that someone edited into nonsense counts as not set.
double number(const QSettings& settings, const char* key, double usual, double most) {
    bool ok = false;
    const double value = settings.value(key, usual).toDouble(&ok);
    return ok && value >= 0 && value <= most ? value : usual;
}

}  // namespace

Preferences Preferences::load() {
    const QSettings settings;
    const InstrumentAccuracy usual;
    Preferences p;
    p.language = settings.value("language").toString();
    p.decimal = choice(settings, "decimalSign", DecimalSign::Comma);
    p.fahrenheit = settings.value("fahrenheit", false).toBool();
    p.charge = choice(settings, "chargeUnit", ChargeUnit::MilliAmpHours);
    p.look = choice(settings, "look", ThemeChoice::NightBench);
    p.accuracy.voltageGain = number(settings, "accuracy/voltage", usual.voltageGain, 0.2);
    p.accuracy.currentGain = number(settings, "accuracy/current", usual.currentGain, 0.2);
    p.accuracy.voltageOffsetSteps =
        number(settings, "accuracy/voltageSteps", usual.voltageOffsetSteps, 100);
    p.accuracy.currentOffsetSteps =
        number(settings, "accuracy/currentSteps", usual.currentOffsetSteps, 100);
    p.accuracy.temperature_C = number(settings, "accuracy/temperature", usual.temperature_C, 20);
    p.backups = settings.value("backups", true).toBool();
    p.backupRoom_GB =
        std::max(1, static_cast<int>(number(settings, "backupRoom", p.backupRoom_GB, 10000)));
    return p;
}

void Preferences::save() const {
    QSettings settings;
    settings.setValue("language", language);
    settings.setValue("decimalSign", static_cast<int>(decimal));
    settings.setValue("fahrenheit", fahrenheit);
    settings.setValue("chargeUnit", static_cast<int>(charge));
    settings.setValue("look", static_cast<int>(look));
    settings.setValue("accuracy/voltage", accuracy.voltageGain);
    settings.setValue("accuracy/current", accuracy.currentGain);
    settings.setValue("accuracy/voltageSteps", accuracy.voltageOffsetSteps);
    settings.setValue("accuracy/currentSteps", accuracy.currentOffsetSteps);
    settings.setValue("accuracy/temperature", accuracy.temperature_C);
    settings.setValue("backups", backups);
    settings.setValue("backupRoom", backupRoom_GB);
}

NumberStyle Preferences::style() const {
    NumberStyle s;
    const bool comma = decimal == DecimalSign::Comma || (decimal == DecimalSign::ByLocale &&
                                                         QLocale::system().decimalPoint() == ",");
    s.decimal = comma ? ',' : '.';
    s.fahrenheit = fahrenheit;
    s.charge = charge;
    return s;
}

QString Preferences::spoken() const {
    const QString wanted = language.isEmpty() ? QLocale::system().name().left(2) : language;
    return Translation::available().contains(wanted) ? wanted : QString("en");
}

QLocale Preferences::locale() const {
    return style().decimal == ',' ? QLocale(QLocale::German) : QLocale(QLocale::English);
}

void present(const Preferences& preferences) {
    Presentation p;
    p.style = preferences.style();
    p.translate = Translation::use(preferences.spoken());
    setPresentation(std::move(p));
    QLocale::setDefault(preferences.locale());
}

double shownTemperature(double temperature_C) {
    return currentStyle().fahrenheit ? temperature_C * 1.8 + 32 : temperature_C;
}

QString temperatureUnit() {
    return currentStyle().fahrenheit ? "°F" : "°C";
}
QString degreesText(double temperature_C) {
    return QString::fromStdString(fixed(shownTemperature(temperature_C), 0)) + QChar(0x202F) +
           temperatureUnit();
}

double typedTemperature(double shown) {
    return currentStyle().fahrenheit ? (shown - 32) / 1.8 : shown;
}

}  // namespace nk
