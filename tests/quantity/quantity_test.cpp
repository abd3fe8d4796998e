#include <gtest/gtest.h>

#include "quantity/format.h"
#include "quantity/uncertainty.h"
#include "quantity/units.h"

using namespace nk;

TEST(Units, ReadsWhatLoggersWrite) {
    const struct {
        const char* text;
        Quantity quantity;
        double raw, inside;
    } cases[] = {
        {"V", Quantity::Voltage, 3.7, 3.7},      {"mV", Quantity::Voltage, 3700, 3.7},
        {"mA", Quantity::Current, 1500, 1.5},    {"°F", Quantity::Temperature, 212, 100},
        {"degC", Quantity::Temperature, 20, 20}, {"K", Quantity::Temperature, 273.15, 0},
        {"min", Quantity::Time, 2, 120},         {"ms", Quantity::Time, 250, 0.25},
        {"mAh", Quantity::Charge, 2200, 2.2},    {"μV", Quantity::Voltage, 1e6, 1},
        {"Ω", Quantity::Resistance, 2, 2},       {"mΩ", Quantity::Resistance, 58, 0.058},
    };
    for (const auto& c : cases) {
        const auto unit = parseUnit(c.text);
        ASSERT_TRUE(unit) << c.text;
        EXPECT_EQ(unit->quantity, c.quantity) << c.text;
        EXPECT_NEAR(unit->toInside(c.raw), c.inside, 1e-9) << c.text;
    }
    EXPECT_FALSE(parseUnit("parsec"));
    EXPECT_FALSE(parseUnit(""));
}

TEST(Units, QuantitiesFromTheCommandLine) {
    EXPECT_NEAR(*parseQuantity("5mV", Quantity::Voltage), 0.005, 1e-12);
    EXPECT_NEAR(*parseQuantity("16 h", Quantity::Time), 57600, 1e-9);
    EXPECT_NEAR(*parseQuantity("50C", Quantity::Temperature), 50, 1e-12);
    EXPECT_FALSE(parseQuantity("5mA", Quantity::Voltage));
    EXPECT_FALSE(parseQuantity("fast", Quantity::Voltage));
}

TEST(Uncertainty, FollowsTheGum) {
    // GUM (JCGM 100:2008) 4.3.7: a rectangle of half-width a has u = a/√3; F.2.2.1: rounding,
    // step/√12.
    EXPECT_NEAR(rectangle(0.3), 0.173205, 1e-6);
    EXPECT_NEAR(quantisation(0.01), 0.00288675, 1e-8);
    EXPECT_NEAR(quadrature({3, 4, std::nan("")}), 5, 1e-12);
}

TEST(Format, ShowsAsManyDigitsAsTheUncertaintyCarries) {
    EXPECT_EQ(valueText(4.30237, 0.012, "Ah").value, "4.302");
    EXPECT_EQ(valueText(4.30237, 0.012, "Ah").plusMinus, "0.024");
    EXPECT_EQ(valueText(0.48123, 0.004, "Ah").value, "481.2");
    EXPECT_EQ(valueText(0.48123, 0.004, "Ah").unit, "mAh");
    EXPECT_EQ(valueText(0.0588, 0.00065, "ohm").joined(), "58.8 ± 1.3\u202FmΩ");
    EXPECT_EQ(valueText(25, 0.5, "C", {'.', true, ChargeUnit::BySize}).unit, "°F");
    EXPECT_EQ(fixed(-0.0001, 2), "0.00") << "no minus before a zero";
    EXPECT_EQ(fixed(-1.5, 1), "\u22121.5");
    EXPECT_EQ(fixed(1.5, 1, {',', false, ChargeUnit::BySize}), "1,5");
    EXPECT_EQ(fixed(kNaN, 1), "–");
    EXPECT_EQ(clockText(59.97, true), "0:01:00.0") << "rounded once";
    EXPECT_EQ(clockText(7862), "2:11:02");
}

TEST(Units, EverySpellingOfAUnitIsTheSameUnit) {
    const std::vector<std::vector<const char*>> same = {
        {"V", "v", "volt", "Volts"}, {"A", "amp", "Amps"}, {"s", "sec", "S"},
        {"h", "hours", "Hour"},      {"°C", "degC", "C"},  {"mAh", "MAH", "mah"},
        {"Ω", "ohm", "Ohms"},        {"W", "w", "watt"},
    };
    for (const auto& spellings : same) {
        const auto first = parseUnit(spellings.front());
        ASSERT_TRUE(first) << spellings.front();
        for (const char* text : spellings) {
            const auto unit = parseUnit(text);
            ASSERT_TRUE(unit) << text;
            EXPECT_EQ(unit->quantity, first->quantity) << text;
            EXPECT_DOUBLE_EQ(unit->factor, first->factor) << text;
            EXPECT_DOUBLE_EQ(unit->offset, first->offset) << text;
        }
    }
}

TEST(Units, FixedPointsOfTheTemperatureScales) {
    // Steam and ice point, and where both scales meet (−40): definitions of the scales.
    const Unit f = *parseUnit("°F");
    EXPECT_NEAR(f.toInside(32), 0, 1e-12);
    EXPECT_NEAR(f.toInside(212), 100, 1e-12);
    EXPECT_NEAR(f.toInside(-40), -40, 1e-12);
    EXPECT_NEAR(parseUnit("K")->toInside(0), -273.15, 1e-12);
}

TEST(Units, AQuantityIsReadWholeOrNotAtAll) {
    for (const char* bad :
         {"", " ", "mV", "5 5mV", "5mV!", "1e", "--5mV", "0x10V", "nan", "inf", "1,5,5V", "5 mV V"})
        EXPECT_FALSE(parseQuantity(bad, Quantity::Voltage)) << bad;
    EXPECT_NEAR(*parseQuantity("-0.5e-3 V", Quantity::Voltage), -0.0005, 1e-15);
    EXPECT_NEAR(*parseQuantity("3.3", Quantity::Voltage), 3.3, 1e-15);
    // What the program shows can be typed or pasted back.
    EXPECT_NEAR(*parseQuantity(shortValue(-4.21, "V"), Quantity::Voltage), -4.21, 1e-12);
    EXPECT_NEAR(*parseQuantity(shortValue(0.85, "Ah"), Quantity::Charge), 0.85, 1e-12);
    EXPECT_NEAR(*parseQuantity("25\u00A0°C", Quantity::Temperature), 25, 1e-12);
}

TEST(Format, NumbersStayShortAndHonest) {
    // The expanded uncertainty carries two digits (GUM 7.2.6) whatever its size.
    EXPECT_EQ(decimalsFor(0.012), 3);
    EXPECT_EQ(decimalsFor(0.5), 1);
    EXPECT_EQ(decimalsFor(40), 0);
    EXPECT_EQ(decimalsFor(1e-12), 6) << "never more than six decimals";
    EXPECT_GE(decimalsFor(kNaN), 0);
    EXPECT_EQ(valueText(kNaN, kNaN, "V").value, "–");
    EXPECT_TRUE(valueText(3.7, kNaN, "V").plusMinus.empty()) << "no uncertainty is not ± 0";
    EXPECT_EQ(durationText(42), "42\u202Fs");
    for (const double seconds : {0.0, 59.4, 60.0, 3599.9, 3600.0, 86'400.0, 1e7}) {
        EXPECT_FALSE(durationText(seconds).empty()) << seconds;
        EXPECT_EQ(durationText(seconds).find("h 60"), std::string::npos) << seconds;
        EXPECT_EQ(clockText(seconds).find(":60"), std::string::npos) << seconds;
    }
}
