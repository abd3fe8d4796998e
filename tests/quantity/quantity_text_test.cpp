// A quantity as a person types it: no unit is swallowed, point and comma are alike.
#include <gtest/gtest.h>

#include <cmath>

#include "quantity/plausible.h"
#include "quantity/quantity_text.h"

namespace nk {
namespace {

struct Typed {
    const char* text;
    const char* unit;
    double capacity_Ah;
    double value;  ///< NaN: refused
};

constexpr double kNo = std::numeric_limits<double>::quiet_NaN();

TEST(Quantities, AreTakenWithTheirUnit) {
    constexpr Typed kCases[] = {
        {"1 A", "C", 5, 0.2},         {"500 mA", "C", 5, 0.1},
        {"0.5C", "C", 5, 0.5},        {"0,5 C", "C", 0, 0.5},
        {"1 A", "C", 0, kNo},         {"750 mAh", "Ah", 0, 0.75},
        {"2,2Ah", "Ah", 0, 2.2},      {"5", "Ah", 0, 5},
        {"0.5C", "A", 4, 2},          {"0.5C", "A", 0, kNo},
        {"3 V", "Ah", 0, kNo},        {"20 Wh", "W", 0, kNo},
        {"1 h 20", "min", 0, 80},     {"1:20", "h", 0, 4.0 / 3},
        {"90 min", "h", 0, 1.5},      {"2h", "s", 0, 7200},
        {"1.5 kWh", "Wh", 0, 1500},   {"54 mΩ", "ohm", 0, 0.054},
        {"54 mohm", "ohm", 0, 0.054}, {"68 °F", "°C", 0, 20},
        {"20 C", "°C", 0, 20},        {"45 g", "kg", 0, 0.045},
        {"50 %", "%", 0, 50},         {"4.20 V", "V", 0, 4.2},
        {"4200 mV", "V", 0, 4.2},     {"-5", "°C", 0, -5},
        {"1.234,5", "Ah", 0, kNo},    {"five", "Ah", 0, kNo},
        {"", "Ah", 0, kNo},           {"5 apples", "Ah", 0, kNo},
        {"5 Ah 3", "Ah", 0, kNo},     {"1e400", "Ah", 0, kNo},
        {"nan", "Ah", 0, kNo},        {"3", "", 0, 3},
        {"3 A", "", 0, kNo},          {"1:75", "h", 0, kNo},
        {"1 h 20 min", "s", 0, 4800}, {"2 min 30", "s", 0, 150},
    };
    for (const Typed& c : kCases) {
        const auto read = readQuantity(c.text, {c.unit, c.capacity_Ah});
        EXPECT_EQ(read.has_value(), std::isfinite(c.value)) << c.text << " for " << c.unit;
        if (read && std::isfinite(c.value)) {
            EXPECT_NEAR(*read, c.value, 1e-12 * std::abs(c.value)) << c.text;
        } else if (!read) {
            EXPECT_FALSE(read.error().what.empty()) << c.text;
        }
    }
}

TEST(Quantities, ARefusalNamesTheUnitsThatAreTaken) {
    const auto wrong = readQuantity("3 V", {"Ah"});
    ASSERT_FALSE(wrong);
    EXPECT_NE(wrong.error().accepted.find("mAh"), std::string::npos);
    EXPECT_NE(unitsFor("C").find("mA"), std::string::npos);
}

TEST(WhatCannotBe, IsNoFigureOfABattery) {
    EXPECT_TRUE(canBe(2.5, "Ah"));
    EXPECT_FALSE(canBe(1.17e21, "C-rate"));
    EXPECT_FALSE(canBe(171'601, "%"));
    EXPECT_FALSE(canBe(1e33, "ohm"));
    EXPECT_FALSE(canBe(-300, "C"));
    EXPECT_FALSE(canBe(std::nan(""), "V"));
    EXPECT_FALSE(canBe(INFINITY, "anything"));
    EXPECT_FALSE(cannotBe().empty());
}

}  // namespace
}  // namespace nk
