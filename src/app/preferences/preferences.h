// What a person prefers: language, units, decimal sign, look, instrument accuracy, backups. Kept in
// the settings of the desktop user, not in the bench book.
#pragma once

#include <QLocale>
#include <QString>

#include "app/theme/theme.h"
#include "quantity/phrase.h"
#include "quantity/uncertainty.h"

namespace nk {

enum class DecimalSign { ByLocale, Point, Comma };

struct Preferences {
    QString language;  ///< "en", "de"; empty: that of the system when there is a translation
    DecimalSign decimal = DecimalSign::ByLocale;
    bool fahrenheit = false;
    ChargeUnit charge = ChargeUnit::BySize;
    ThemeChoice look = ThemeChoice::System;
    InstrumentAccuracy accuracy;
    bool backups = true;    ///< one a day beside the book, the last seven kept
    int backupRoom_GB = 4;  ///< all of them together take no more, but for the newest

    static Preferences load();
    void save() const;

    NumberStyle style() const;
    /// The language that is spoken, after the system was asked.
    QString spoken() const;
    /// Decimal sign of the style, with the group marks that go with it.
    QLocale locale() const;
};

/// Puts the words and numbers of this thread and of all jobs it starts into the wanted language,
/// and Qt's own texts with them.
void present(const Preferences& preferences);

/// A temperature (°C) in the unit of the style, without the unit; and its unit.
double shownTemperature(double temperature_C);
QString temperatureUnit();
/// Whole degrees with their unit: "31 °C".
QString degreesText(double temperature_C);
/// The other way: what was typed in the unit of the style, in °C.
double typedTemperature(double shown);

}  // namespace nk
