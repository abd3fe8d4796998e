// What must hold of every law of ageing on any habit: loss never shrinks with the years, the years
// to a loss are its inverse, a battery's own scale moves both alike; and what the published laws
// say of warmth and of how often it is used.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "ageing/schools.h"

namespace nk {
namespace {

const Chemistry& chemistry(const char* id) {
    return **findChemistry(id);
}

Habit drawn(std::mt19937& draw, const Chemistry& c) {
    const auto between = [&](double a, double b) {
        return std::uniform_real_distribution<double>(a, b)(draw);
    };
    Habit h;
    h.name = "drawn";
    h.target_V = c.set_V - between(0, 0.12);
    h.charge = draw() % 2 == 0 ? ChargeWhen::AtOnce : ChargeWhen::ReadyBy;
    h.useAt_h = between(0, 24);
    h.usesPerWeek = between(0.5, 14);
    h.depth = between(0.05, 0.8);
    h.discharge_C = between(0.1, 1);
    h.charge_C = between(0.2, 1);
    h.parked_C = between(5, 35);
    h.use_C = between(10, 35);
    h.charging_C = between(10, 35);
    if (draw() % 3 == 0) h.pauses.push_back({between(10, 120), between(0.2, 1), between(5, 30)});
    return h;
}

struct Law {
    School school;
    const char* chemistry;
};

void PrintTo(const Law& law, std::ostream* out) {
    *out << toString(law.school) << " of " << law.chemistry;
}

class EveryLaw : public testing::TestWithParam<Law> {
  protected:
    SchoolLaw law(const Habit& habit) const {
        const Chemistry& c = chemistry(GetParam().chemistry);
        const auto load = loadOf(habit, c);
        EXPECT_TRUE(load) << (load ? "" : load.error().text());
        return {GetParam().school, habit, *load, c};
    }
};

TEST_P(EveryLaw, LossNeverShrinksAndYearsAreItsInverse) {
    std::mt19937 draw(31);
    int told = 0;
    for (int n = 0; n < 60; ++n) {
        const SchoolLaw one = law(drawn(draw, chemistry(GetParam().chemistry)));
        double before = 0;
        for (const double years : {0.0, 0.1, 0.5, 1.0, 2.0, 4.0, 8.0, 15.0, 30.0}) {
            const double loss = one.loss(years);
            if (!std::isfinite(loss)) continue;
            EXPECT_GE(loss, before - 1e-12) << years << " years";
            EXPECT_LE(one.calendarLoss(years), loss + 1e-9) << "time alone takes no more than all";
            before = loss;
        }
        for (const double wanted : {0.05, 0.1, 0.2}) {
            const double years = one.yearsTo(wanted);
            if (!std::isfinite(years) || years > 1000) continue;
            ++told;
            EXPECT_GT(years, 0);
            EXPECT_NEAR(one.loss(years), wanted, 2e-3 * wanted + 1e-6) << years << " years";
        }
        const double years = one.yearsTo(0.2);
        if (std::isfinite(years)) {
            EXPECT_LE(one.yearsTo(0.1), years);
            EXPECT_LE(one.yearsTo(0.2, 2), years) << "one that fades twice as fast is sooner there";
            EXPECT_GE(one.yearsTo(0.2, 0.5), years);
        }
    }
    EXPECT_GT(told, 20);
}

TEST_P(EveryLaw, UsedMoreOftenItDoesNotLastLonger) {
    std::mt19937 draw(77);
    for (int n = 0; n < 40; ++n) {
        Habit h = drawn(draw, chemistry(GetParam().chemistry));
        h.charge = ChargeWhen::AtOnce;
        h.depth = std::min(h.depth, 0.4);
        h.pauses.clear();
        // Parked and used alike, so that more uses change the count alone, and hardly the level.
        h.usesPerWeek = 2;
        const double seldom = law(h).loss(5);
        h.usesPerWeek = 7;
        const double often = law(h).loss(5);
        if (std::isfinite(seldom) && std::isfinite(often)) {
            EXPECT_GE(often, 0.9 * seldom) << h.depth << " at " << h.target_V;
        }
    }
}

TEST_P(EveryLaw, TheAnswerSaysWhatTheLawSays) {
    std::mt19937 draw(5);
    for (int n = 0; n < 30; ++n) {
        const SchoolLaw one = law(drawn(draw, chemistry(GetParam().chemistry)));
        const SchoolAnswer answer = one.answer();
        EXPECT_EQ(answer.school, GetParam().school);
        if (std::isfinite(answer.years)) {
            EXPECT_NEAR(answer.years, one.yearsTo(0.2), 0.02 * answer.years + 0.01);
            if (std::isfinite(answer.calendarShare)) {
                EXPECT_GE(answer.calendarShare, 0);
                EXPECT_LE(answer.calendarShare, 1 + 1e-9);
            }
        } else {
            EXPECT_TRUE(!answer.caveats.empty() || std::isinf(answer.years))
                << "what cannot be said has a reason";
        }
        EXPECT_EQ(schoolOf(toString(answer.school)), answer.school);
    }
}

INSTANTIATE_TEST_SUITE_P(OfPracticeAndPrint, EveryLaw,
                         testing::Values(Law{School::Table, "nmc"}, Law{School::Table, "lfp"},
                                         Law{School::Nmc, "nmc"}, Law{School::Lmo, "lmo"},
                                         Law{School::Lfp, "lfp"}));

TEST(PublishedLaws, WarmthAgesAndTimeAloneIsNotFree) {
    // Arrhenius in both laws of time: ten kelvin more, faster (Schmalstieg et al. 2014, Xu et al.
    // 2018, from memory).
    for (const double volts : {3.6, 3.8, 4.0, 4.1}) {
        double before = 0;
        for (const double kelvin : {278.0, 288.0, 298.0, 308.0, 318.0}) {
            const double rate = nmcCalendarRate(volts, kelvin);
            EXPECT_GT(rate, before) << volts << " V, " << kelvin << " K";
            before = rate;
        }
    }
    for (const double soc : {0.2, 0.5, 0.9}) {
        double before = 0;
        for (const double kelvin : {278.0, 288.0, 298.0, 308.0, 318.0}) {
            const double stress = lmoCalendarStress(3.15e7, soc, kelvin);
            EXPECT_GT(stress, before) << soc << ", " << kelvin << " K";
            before = stress;
        }
        EXPECT_NEAR(lmoCalendarStress(6.3e7, soc, 298), 2 * lmoCalendarStress(3.15e7, soc, 298),
                    1e-12)
            << "stress of time is in proportion to it";
    }
    // Fuller ages faster at rest, deeper faster in use.
    EXPECT_GT(nmcCalendarRate(4.1, 298), nmcCalendarRate(3.7, 298));
    EXPECT_GT(lmoCalendarStress(1e7, 0.9, 298), lmoCalendarStress(1e7, 0.3, 298));
    for (const double mean : {3.5, 3.7, 3.9})
        EXPECT_GT(nmcCycleRate(mean, 0.8), nmcCycleRate(mean, 0.2));
    for (double depth = 0.1; depth < 0.95; depth += 0.1)
        EXPECT_GT(lmoCycleStress(depth + 0.05, 0.5, 298), lmoCycleStress(depth, 0.5, 298)) << depth;
    // A loss is a fraction, whatever the stress.
    double before = 0;
    for (const double stress : {0.0, 1e-4, 1e-3, 1e-2, 0.1, 1.0, 10.0}) {
        const double loss = lmoLoss(stress);
        EXPECT_GE(loss, before);
        EXPECT_LE(loss, 1);
        before = loss;
    }
    EXPECT_NEAR(lmoLoss(0), 0, 1e-9);
}

}  // namespace
}  // namespace nk
