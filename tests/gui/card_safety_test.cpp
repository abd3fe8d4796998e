// The card's further figures, as somebody types them: what a maker's data sheet can hold is taken,
// beyond the usual only with the explicit step, beyond what any has never, for every chemistry; and
// what is on a card comes back from it.
#include <gtest/gtest.h>

#include <QCheckBox>
#include <QLineEdit>
#include <QTest>
#include <cmath>

#include "app/preferences/preferences.h"
#include "app/shell/battery_details.h"
#include "planning/charge_plan.h"

namespace nk {
namespace {

class CardDetails : public testing::Test {
  protected:
    void SetUp() override {
        details.show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(&details));
    }
    void type(const char* name, const QString& text) {
        auto* field = details.findChild<QLineEdit*>(name);
        ASSERT_NE(field, nullptr) << name;
        field->setText(text);
    }
    void tick(bool on) { details.findChild<QCheckBox*>("fromSheet")->setChecked(on); }
    void clear() {
        for (auto* field : details.findChildren<QLineEdit*>()) field->clear();
        tick(false);
    }
    /// As typed, without and with the tick: whether it is taken.
    std::pair<bool, bool> taken(const char* name, double x, const std::string& chemistry) {
        clear();
        type(name, QString::number(x, 'g', 8));
        const bool without = details.problem(chemistry).isEmpty();
        tick(true);
        const bool with = details.problem(chemistry).isEmpty();
        return {without, with};
    }
    BatteryDetails details;
};

using Taken = std::pair<bool, bool>;
const Taken kAlways{true, true}, kWithTheTick{false, true}, kNever{false, false};

TEST_F(CardDetails, TheSetVoltageOfEveryChemistryHasItsBounds) {
    for (const Chemistry& c : chemistries()) {
        if (c.nickel()) {
            EXPECT_EQ(taken("makerSetV", 1.4, c.id), kNever) << c.id;
            continue;
        }
        EXPECT_EQ(taken("makerSetV", c.set_V - 0.1, c.id), kAlways) << c.id;
        EXPECT_EQ(taken("makerSetV", c.set_V, c.id), kAlways) << c.id;
        EXPECT_EQ(taken("makerSetV", c.set_V + 0.05, c.id), kWithTheTick) << c.id;
        EXPECT_EQ(taken("makerSetV", c.set_V + 0.3, c.id), kNever) << c.id;
        for (const double odd : {0.0, -c.set_V, 0.3 * c.set_V, 3 * c.set_V, 9.9, 42.0})
            EXPECT_EQ(taken("makerSetV", odd, c.id), kNever) << c.id << " " << odd;
    }
}

TEST_F(CardDetails, SoHaveTheFloorTheWarmthAndTheRate) {
    for (const Chemistry& c : chemistries()) {
        EXPECT_EQ(taken("makerFloorV", c.dischargeFloor_V, c.id), kAlways) << c.id;
        EXPECT_EQ(taken("makerFloorV", c.nominal_V + 0.1, c.id), kNever) << c.id;
        EXPECT_EQ(taken("makerFloorV", 0, c.id), kNever) << c.id;
        EXPECT_EQ(taken("makerFloorV", -1, c.id), kNever) << c.id;
        EXPECT_EQ(taken("makerCold", c.chargeMin_C - 10, c.id), kWithTheTick) << c.id;
        EXPECT_EQ(taken("makerCold", -80, c.id), kNever) << c.id;
        EXPECT_EQ(taken("makerWarm", c.chargeMax_C + 5, c.id), kWithTheTick) << c.id;
        EXPECT_EQ(taken("makerWarm", 120, c.id), kNever) << c.id;
        EXPECT_EQ(taken("makerChargeC", 0.5 * c.chargeC, c.id), kAlways) << c.id;
        EXPECT_EQ(taken("makerChargeC", c.chargeC + 0.5, c.id), kWithTheTick) << c.id;
        EXPECT_EQ(taken("makerChargeC", 50, c.id), kNever) << c.id;
        EXPECT_EQ(taken("makerChargeC", -1, c.id), kNever) << c.id;
    }
    clear();
    type("makerCold", "30");
    type("makerWarm", "20");
    tick(true);
    EXPECT_FALSE(details.problem("nmc").isEmpty()) << "from 30 up to 20 leaves nothing";
}

TEST_F(CardDetails, WhatIsNoNumberIsSaidWithWhatIs) {
    for (const char* field : {"mass", "labelC", "ambient", "setCurrent", "setCharge", "makerSetV",
                              "makerFloorV", "makerCold", "makerWarm", "makerChargeC"})
        for (const char* slip : {"heavy", "1e5x3", "--5", "4,2,1", "4.2 4.2", "0x10", "🔋"}) {
            clear();
            type(field, slip);
            EXPECT_FALSE(details.problem("nmc").isEmpty()) << field << " " << slip;
        }
    for (const char* field : {"mass", "labelC", "setCurrent", "setCharge"})
        for (const char* slip : {"0", "-3", "−3"}) {
            clear();
            type(field, slip);
            EXPECT_FALSE(details.problem("nmc").isEmpty()) << field << " " << slip;
        }
    for (const char* good : {"4,1", "4.1", "4.1 V", " 4.10 "}) {
        clear();
        type("makerSetV", good);
        EXPECT_TRUE(details.problem("nmc").isEmpty()) << good;
        Battery b;
        b.chemistry = "nmc";
        details.apply(b);
        EXPECT_NEAR(b.limits().set_V, 4.1, 1e-12) << good;
    }
}

TEST_F(CardDetails, WhatIsOnACardComesBackFromIt) {
    for (const bool fahrenheit : {false, true}) {
        Presentation p;
        p.style.fahrenheit = fahrenheit;
        const Presenting now(p);
        BatteryDetails fresh;
        Battery b;
        b.chemistry = "nmc", b.mass_kg = 0.345, b.label_C = 25, b.ambient_C = 20;
        b.charger.current_A = 2.5, b.charger.charge_Ah = 5;
        MakerLimits m;
        m.set_V = 4.15, m.dischargeFloor_V = 2.9, m.chargeMin_C = 5, m.chargeMax_C = 40;
        m.chargeC = 0.7;
        b.setLimits(m);
        fresh.fill(b);
        Battery back;
        back.chemistry = "nmc";
        fresh.apply(back);
        EXPECT_NEAR(back.mass_kg, b.mass_kg, 1e-9);
        EXPECT_NEAR(back.label_C, 25, 1e-9);
        EXPECT_NEAR(back.ambient_C, 20, 0.06);
        EXPECT_NEAR(back.charger.current_A, 2.5, 1e-9);
        EXPECT_NEAR(back.charger.charge_Ah, 5, 1e-9);
        EXPECT_NEAR(back.limits().set_V, 4.15, 1e-9);
        EXPECT_NEAR(back.limits().dischargeFloor_V, 2.9, 1e-9);
        EXPECT_NEAR(back.limits().chargeMin_C, 5, 0.06);
        EXPECT_NEAR(back.limits().chargeMax_C, 40, 0.06);
        EXPECT_NEAR(back.limits().chargeC, 0.7, 1e-9);
        EXPECT_TRUE(fresh.problem("nmc").isEmpty()) << fresh.problem("nmc").toStdString();
    }
}

TEST(ForeignCards, FiguresThatNoDataSheetHasDecideNothing) {
    for (const Chemistry& c : chemistries()) {
        Battery usual;
        usual.chemistry = c.id, usual.series = 4, usual.rated_Ah = 5;
        Battery b = usual;
        MakerLimits wild;
        wild.set_V = 9, wild.dischargeFloor_V = -3, wild.chargeMin_C = -400;
        wild.chargeMax_C = 900, wild.dischargeMax_C = 1e6, wild.chargeC = 1e9;
        b.setLimits(wild);
        ASSERT_NE(b.chemistryData(), nullptr);
        if (!c.nickel()) {
            EXPECT_EQ(b.chemistryData()->set_V, c.set_V) << c.id;
            EXPECT_EQ(b.chemistryData()->fault_V, c.fault_V) << c.id;
        }
        EXPECT_EQ(b.chemistryData()->dischargeFloor_V, c.dischargeFloor_V) << c.id;
        EXPECT_EQ(b.chemistryData()->chargeMax_C, c.chargeMax_C) << c.id;
        EXPECT_EQ(b.chemistryData()->chargeC, c.chargeC) << c.id;
        // And a plan made with it is the usual one.
        ChargeWish wish;
        wish.battery = b;
        const auto plan = planCharge(wish);
        wish.battery = usual;
        const auto same = planCharge(wish);
        ASSERT_TRUE(plan && same) << c.id;
        EXPECT_EQ(plan->current_A, same->current_A) << c.id;
        // One wild figure does not take the good ones with it.
        MakerLimits mixed = wild;
        mixed.chargeC = 0.4;
        b.setLimits(mixed);
        EXPECT_EQ(b.chemistryData()->chargeC, 0.4) << c.id;
    }
}

}  // namespace
}  // namespace nk
