// Whatever is asked of a plan: no setting leaves what the chemistry, the maker and the charger
// allow, times and charge go together, and what cannot be is refused with what could be.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "planning/charge_plan.h"
#include "planning/charger_task.h"
#include "planning/join.h"
#include "planning/program.h"

namespace nk {
namespace {

struct Draw {
    std::mt19937 random;
    explicit Draw(unsigned seed) : random(seed) {}
    double between(double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random);
    }
    double size(double low, double high) {
        return std::exp(between(std::log(low), std::log(high)));
    }
    int whole(int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); }
    bool one(int in) { return whole(1, in) == 1; }
};

Battery anyBattery(Draw& draw) {
    Battery b;
    const auto& all = chemistries();
    b.chemistry = all[static_cast<std::size_t>(draw.whole(0, static_cast<int>(all.size()) - 1))].id;
    b.series = draw.whole(1, draw.one(4) ? 100 : 14);
    b.rated_Ah = draw.size(0.05, 200);
    if (draw.one(4)) {
        MakerLimits limits;
        limits.chargeC = draw.between(0.1, 3);
        if (draw.one(2)) limits.chargeMax_C = draw.between(30, 50);
        b.setLimits(limits);
    }
    return b;
}

ChargerCard anyCharger(Draw& draw) {
    ChargerCard c;
    c.name = "any";
    if (draw.one(2)) c.maxCharge_A = draw.size(0.1, 40);
    if (draw.one(2)) c.maxCharge_W = draw.size(5, 1500);
    if (draw.one(2)) c.maxDischarge_W = draw.size(1, 100);
    if (draw.one(2)) c.currentStep_A = draw.one(2) ? 0.1 : 0.05;
    if (draw.one(3)) c.cellsMax = draw.whole(1, 20);
    if (draw.one(3)) c.cutoffs = {10, 20};
    if (draw.one(4)) c.maxTimer_min = draw.between(60, 900);
    return c;
}

ChargeWish anyWish(unsigned seed) {
    Draw draw(seed);
    ChargeWish w;
    w.battery = anyBattery(draw);
    w.ambient_C = draw.between(-25, 65);
    if (draw.one(2))
        w.rate_C = draw.size(0.02, 12);
    else if (draw.one(2))
        w.current_A = draw.size(0.01, 300);
    if (draw.one(3)) w.set_V = draw.between(1, 5);
    if (draw.one(2)) w.fromSoc = draw.between(0, 1);
    w.beyondUsual = draw.one(3);
    if (draw.one(2)) w.charger = anyCharger(draw);
    if (draw.one(3)) w.resistance_ohm = draw.size(1e-4, 0.5);
    const Chemistry& c = **findChemistry(w.battery.chemistry);
    if (draw.one(3)) w.rested_V = w.battery.series * draw.between(0.3, c.nickel() ? 1.6 : 4.4);
    if (draw.one(6)) w.fieldBattery_Wh = draw.size(1, 5000);
    return w;
}

TEST(SafePlans, NoSettingLeavesWhatIsAllowed) {
    int made = 0;
    int refused = 0;
    for (unsigned seed = 1; seed <= 3000; ++seed) {
        const ChargeWish w = anyWish(seed);
        const auto plan = planCharge(w);
        SCOPED_TRACE(seed);
        if (!plan) {
            ++refused;
            EXPECT_FALSE(plan.error().what.empty());
            EXPECT_FALSE(plan.error().accepted.empty()) << plan.error().text();
            continue;
        }
        ++made;
        const Chemistry& c = *w.battery.chemistryData();
        const double rated = w.battery.rated_Ah;
        ASSERT_GT(plan->current_A, 0);
        ASSERT_GT(plan->effectiveCurrent_A, 0);
        EXPECT_LE(plan->effectiveCurrent_A, plan->current_A * (1 + 1e-9));
        // The usual rate without the explicit word; a maker's figure always.
        if (!plan->beyondUsual) {
            EXPECT_LE(plan->effectiveCurrent_A, c.chargeC * rated * (1 + 1e-9));
        } else {
            // Up to 1C the figure that was typed is the explicit step (common practice).
            EXPECT_TRUE(w.beyondUsual || plan->current_A <= rated * (1 + 1e-9));
            EXPECT_TRUE(w.rate_C > 0 || w.current_A > 0) << "no default goes beyond the usual";
        }
        if (std::isfinite(w.battery.limits().chargeC)) {
            EXPECT_LE(plan->effectiveCurrent_A, w.battery.limits().chargeC * rated * (1 + 1e-9));
        }
        EXPECT_GE(w.ambient_C, c.chargeMin_C);
        EXPECT_LE(w.ambient_C, c.chargeMax_C);
        if (c.nickel()) {
            EXPECT_TRUE(std::isnan(plan->set_V));
            // A peak from 0.15C on; every charge names its warmest.
            const double rate = plan->effectiveCurrent_A / rated;
            EXPECT_EQ(std::isfinite(plan->peakDrop_mV), peakAt(rate) != PeakIs::None);
            if (std::isfinite(plan->peakDrop_mV)) {
                EXPECT_GT(plan->peakDrop_mV, 0);
                EXPECT_LE(plan->peakDrop_mV, 20);
            }
        } else {
            EXPECT_LE(plan->setPerCell_V, c.set_V + 1e-9);
            EXPECT_GE(plan->setPerCell_V, c.dischargeFloor_V);
            EXPECT_NEAR(plan->set_V, plan->setPerCell_V * w.battery.series,
                        0.051 + 1e-6 * w.battery.series);
            EXPECT_LE(plan->set_V, (c.fault_V) * w.battery.series);
            EXPECT_GT(plan->cutoff_A, 0);
            EXPECT_LT(plan->cutoff_A, plan->current_A);
        }
        // Backstops end a charge that goes on: after, not before, what is expected of it.
        EXPECT_GT(plan->timer_min, 0);
        EXPECT_GT(plan->capacityLimit_mAh, 0);
        EXPECT_LE(plan->capacityLimit_mAh, 1600 * rated + 100);
        // No charge goes on beyond its limit, and none beyond the top temperature.
        EXPECT_LE(plan->effectiveCurrent_A * plan->time_s[2] / 3.6,
                  std::max(plan->capacityLimit_mAh, c.nickel() ? 0.0 : 1e300) * (1 + 1e-6));
        EXPECT_LE(plan->temperatureEnd_C, c.chargeMax_C);
        EXPECT_FALSE(plan->endsBy.empty());
        EXPECT_LE(w.ambient_C + ownWarmth_K(c, plan->effectiveCurrent_A, rated, w.resistance_ohm),
                  c.chargeMax_C + 0.01);
        EXPECT_LE(plan->time_s[0], plan->time_s[1] + 1e-6);
        EXPECT_LE(plan->time_s[1], plan->time_s[2] + 1e-6);
        EXPECT_GE(plan->time_s[0], 0);
        EXPECT_TRUE(std::isfinite(plan->time_s[2]));
        if (w.charger) {
            const ChargerCard& card = *w.charger;
            EXPECT_LE(plan->effectiveCurrent_A, card.maxCharge_A * (1 + 1e-9));
            EXPECT_LE(w.battery.series, card.cellsMax);
            EXPECT_LE(plan->timer_min, card.maxTimer_min + 1e-9);
            if (card.currentStep_A > 0) {
                EXPECT_NEAR(std::remainder(plan->current_A, card.currentStep_A), 0, 1e-6);
            }
        }
        if (plan->triage.word == Triage::Word::OutOfUse) ADD_FAILURE() << "charged out of use";
        if (plan->triage.word == Triage::Word::Gently) {
            EXPECT_LE(plan->effectiveCurrent_A, kGentleC * rated * (1 + 1e-9));
        }
        EXPECT_FALSE(plan->preflight.empty());
        EXPECT_FALSE(plan->cautions.empty());
        for (const auto& [setting, why] : plan->reasons) EXPECT_FALSE(why.empty()) << setting;
    }
    EXPECT_GT(made, 500);
    EXPECT_GT(refused, 500);
}

TEST(SafePlans, TheSameAgainAndScaledByItsCells) {
    for (unsigned seed = 1; seed <= 300; ++seed) {
        ChargeWish w = anyWish(seed);
        w.charger.reset(), w.rested_V = 0, w.fieldBattery_Wh = 0;
        const auto one = planCharge(w);
        const auto again = planCharge(w);
        ASSERT_EQ(one.has_value(), again.has_value());
        if (!one) continue;
        EXPECT_EQ(one->current_A, again->current_A);
        EXPECT_EQ(one->time_s, again->time_s);
        // Twice the cells in series: twice the volts, the same amperes and times.
        w.battery.series *= 2;
        const auto twice = planCharge(w);
        ASSERT_TRUE(twice) << twice.error().text();
        EXPECT_EQ(twice->current_A, one->current_A);
        EXPECT_EQ(twice->timer_min, one->timer_min);
        EXPECT_EQ(twice->capacityLimit_mAh, one->capacityLimit_mAh);
        if (std::isfinite(one->set_V)) {
            EXPECT_NEAR(twice->set_V, 2 * one->set_V, 1e-6);
        }
        for (std::size_t k = 0; k < 3; ++k)
            EXPECT_NEAR(twice->time_s[k], one->time_s[k], 1e-3 * one->time_s[k] + 1);
    }
}

TEST(SafePlans, MoreToPutInTakesLongerAndMoreCurrentIsQuicker) {
    for (const char* kind : {"nmc", "lfp", "lipo", "lto", "nimh", "nicd"}) {
        ChargeWish w;
        w.battery.chemistry = kind, w.battery.series = 6, w.battery.rated_Ah = 3;
        double before = 1e300;
        for (double from = 0; from < 0.95; from += 0.1) {
            w.fromSoc = from;
            const auto plan = planCharge(w);
            ASSERT_TRUE(plan) << plan.error().text();
            EXPECT_LT(plan->time_s[1], before) << kind << " from " << from;
            before = plan->time_s[1];
        }
        w.fromSoc = 0.2;
        before = 1e300;
        for (const double rate : {0.1, 0.2, 0.3, 0.5}) {
            w.rate_C = rate;
            const auto plan = planCharge(w);
            ASSERT_TRUE(plan) << kind << " " << rate << plan.error().text();
            EXPECT_LT(plan->time_s[1], before) << kind << " " << rate;
            // What flows in that time is what was missing, and what the chemistry loses: at least
            // 0.8 of the rating, and never half as much again.
            const double most_Ah = plan->effectiveCurrent_A * plan->time_s[2] / 3600;
            EXPECT_GT(most_Ah, 0.75 * w.battery.rated_Ah) << kind << " " << rate;
            EXPECT_LT(plan->effectiveCurrent_A * plan->time_s[0] / 3600, 1.6 * w.battery.rated_Ah)
                << kind << " " << rate;
            before = plan->time_s[1];
        }
    }
}

TEST(SafePlans, FiguresThatAreNoneAreRefused) {
    for (const double odd : {std::nan(""), double(INFINITY), -1.0}) {
        for (int what = 0; what < 6; ++what) {
            ChargeWish w;
            w.battery.chemistry = "nmc", w.battery.series = 3, w.battery.rated_Ah = 5;
            (what == 0   ? w.rate_C
             : what == 1 ? w.current_A
             : what == 2 ? w.set_V
             : what == 3 ? w.ambient_C
             : what == 4 ? w.battery.rated_Ah
                         : w.rested_V) = odd;
            const auto plan = planCharge(w);
            if (!plan) continue;
            // Passed over as not said: then nothing of it is in the plan.
            EXPECT_TRUE(std::isfinite(plan->current_A)) << what << " " << odd;
            EXPECT_TRUE(std::isfinite(plan->set_V)) << what << " " << odd;
            EXPECT_TRUE(std::isfinite(plan->time_s[1])) << what << " " << odd;
            EXPECT_TRUE(std::isfinite(plan->timer_min)) << what << " " << odd;
        }
    }
}

TEST(SafePlans, ProgramsFollowOneAnotherInTimeAndSayWhy) {
    int made = 0;
    for (unsigned seed = 1; seed <= 600; ++seed) {
        Draw draw(seed);
        ProgramWish w;
        w.battery = anyBattery(draw);
        w.ambient_C = draw.between(-5, 45);
        if (draw.one(2)) w.charger = anyCharger(draw);
        w.cycles = draw.whole(1, 6);
        if (draw.one(2)) w.fromSoc = draw.between(0, 1);
        w.toSoc = draw.between(0.1, 0.9);
        for (const auto& program : {planBreakIn(w), planRecondition(w), planStorage(w)}) {
            if (!program) {
                EXPECT_FALSE(program.error().what.empty());
                continue;
            }
            ++made;
            const Chemistry& c = *w.battery.chemistryData();
            EXPECT_FALSE(program->name.empty());
            double shortest = 0;
            for (const PlannedStep& step : program->steps) {
                EXPECT_TRUE(step.what == "charge" || step.what == "discharge" ||
                            step.what == "rest" || step.what == "use")
                    << step.what;
                EXPECT_LE(step.time_s[0], step.time_s[1] + 1e-6);
                EXPECT_LE(step.time_s[1], step.time_s[2] + 1e-6);
                EXPECT_GE(step.time_s[0], 0);
                if (step.what == "charge" && std::isfinite(step.current_A)) {
                    EXPECT_GT(step.current_A, 0);
                    EXPECT_LE(step.current_A, c.chargeC * w.battery.rated_Ah * (1 + 1e-9));
                }
                shortest += step.time_s[0];
            }
            EXPECT_NEAR(program->time_s()[0], shortest, 1e-6 * shortest + 1e-6);
        }
    }
    EXPECT_GT(made, 200);
}

TEST(SafePlans, ReadyByEndsBeforeItAndWithinTheHours) {
    int made = 0;
    for (unsigned seed = 1; seed <= 400; ++seed) {
        Draw draw(seed);
        ReadyWish w;
        w.charge.battery = anyBattery(draw);
        w.charge.ambient_C = 20;
        w.charge.fromSoc = draw.between(0, 0.8);
        w.now_s = 1.75e9 + draw.between(0, 86400);
        w.ready_s = w.now_s + draw.size(600, 3e5);
        if (draw.one(2)) w.present = {draw.whole(0, 600), draw.whole(700, 1440)};
        const auto program = planReadyBy(w);
        if (!program) continue;
        ++made;
        for (const PlannedStep& step : program->steps) {
            if (!std::isfinite(step.start_s)) continue;
            EXPECT_GE(step.start_s, w.now_s - 1) << seed;
            EXPECT_LE(step.end_s, w.ready_s + 1) << seed;
            EXPECT_GE(step.end_s, step.start_s) << seed;
            if (step.what == "charge" && !w.present.always()) {
                const auto window = w.present.windowAt(step.start_s);
                EXPECT_GE(step.start_s, window.first - 1) << seed;
                EXPECT_LE(step.end_s, window.second + 1) << seed;
            }
        }
    }
    EXPECT_GT(made, 100);
}

TEST(SafePlans, HoursThatSomebodyIsThereHoldTheirMoments) {
    for (unsigned seed = 1; seed <= 500; ++seed) {
        Draw draw(seed);
        const Presence p{draw.whole(0, 1439), draw.whole(1, 1440)};
        const double at = draw.between(0, 2e9);
        const auto [from, to] = p.windowAt(at);
        EXPECT_LT(from, to);
        EXPECT_GE(to, at) << "this one or the next";
        EXPECT_LE(from - at, 86400) << "never a day away";
        EXPECT_LE(to - from, 86400 + 1);
        // Within it, the same window.
        const auto inside = p.windowAt(0.5 * (from + to));
        EXPECT_NEAR(inside.first, from, 1);
        EXPECT_NEAR(inside.second, to, 1);
    }
}

TEST(SafeSteps, DownIsDownAndUpIsUp) {
    for (unsigned seed = 1; seed <= 2000; ++seed) {
        Draw draw(seed);
        const double x = draw.size(1e-3, 1e3);
        for (const double step : {0.0, 0.01, 0.05, 0.1, 1.0}) {
            const double down = stepDown(x, step);
            const double up = stepUp(x, step);
            if (step == 0) {
                EXPECT_EQ(down, x);
                EXPECT_EQ(up, x);
                continue;
            }
            EXPECT_LE(down, x + 1e-9);
            EXPECT_GT(down, x - step - 1e-9);
            EXPECT_GE(up, x - 1e-9);
            EXPECT_LT(up, x + step + 1e-9);
            EXPECT_NEAR(std::remainder(down, step), 0, 1e-9 * std::max(1.0, x));
            // On a step already: it stays, whatever the last bit says.
            EXPECT_NEAR(stepDown(down, step), down, 1e-9);
            EXPECT_NEAR(stepUp(up, step), up, 1e-9);
        }
    }
}

TEST(SafeJoins, CurrentsBalanceWhoeverComesFirst) {
    for (unsigned seed = 1; seed <= 400; ++seed) {
        Draw draw(seed);
        std::vector<JoinPack> packs;
        const int series = draw.whole(1, 14);
        const char* kind = draw.one(2) ? "nmc" : draw.one(2) ? "lipo" : "lfp";
        const int count = draw.whole(2, 8);
        for (int k = 0; k < count; ++k) {
            JoinPack p;
            p.name = "p" + std::to_string(k), p.chemistry = kind, p.series = series;
            p.voltage_V = series * draw.between(3.2, kind[1] == 'f' ? 3.6
                                                     : draw.one(3)  ? 4.2
                                                                    : 3.4);
            p.rated_Ah = draw.size(0.5, 50);
            if (draw.one(2)) p.resistance_ohm = draw.size(0.001, 0.5);
            packs.push_back(p);
        }
        const auto answer = planJoin(packs);
        ASSERT_TRUE(answer) << seed << ": " << answer.error().text();
        ASSERT_EQ(answer->currents.size(), packs.size());
        double sum = 0, shares = 0, largest = 0, low = 1e9, high = 0, bounds = 0, worst = 0;
        for (std::size_t k = 0; k < packs.size(); ++k) {
            const JoinCurrent& c = answer->currents[k];
            EXPECT_EQ(c.pack, packs[k].name);
            sum += c.first_A, shares += c.share;
            largest = std::max(largest, std::abs(c.first_A));
            low = std::min(low, packs[k].voltage_V), high = std::max(high, packs[k].voltage_V);
            // The fuller gives, the emptier takes.
            if (std::abs(packs[k].voltage_V - answer->common_V) > 1e-6) {
                EXPECT_EQ(c.first_A > 0, packs[k].voltage_V < answer->common_V) << seed;
            }
            EXPECT_LE(std::abs(c.firstLow_A), std::abs(c.firstHigh_A)) << seed;
            bounds += std::max(std::abs(c.firstLow_A), std::abs(c.firstHigh_A));
            worst += std::abs(c.first_A);
        }
        EXPECT_NEAR(sum, 0, 1e-9 * largest + 1e-9) << "what one gives another takes";
        EXPECT_NEAR(shares, 1, 1e-9);
        // Leads make less flow in all; but of several packs, the shares differ with them.
        EXPECT_LE(bounds, 1.25 * worst + 1e-9);
        EXPECT_GE(answer->common_V, low - 1e-9);
        EXPECT_LE(answer->common_V, high + 1e-9);
        EXPECT_GE(answer->chargeMoved_Ah, 0);
        EXPECT_GE(answer->settle_s, 0);
        if (!answer->allowed) {
            EXPECT_FALSE(answer->reasons.empty()) << seed;
        }
        EXPECT_FALSE(answer->cautions.empty());
        // In another order the same.
        std::vector<JoinPack> turned(packs.rbegin(), packs.rend());
        const auto other = planJoin(turned);
        ASSERT_TRUE(other);
        EXPECT_EQ(other->allowed, answer->allowed) << seed;
        EXPECT_NEAR(other->common_V, answer->common_V, 1e-9);
        for (std::size_t k = 0; k < packs.size(); ++k)
            EXPECT_NEAR(other->currents[packs.size() - 1 - k].first_A, answer->currents[k].first_A,
                        1e-9 * largest + 1e-12);
    }
}

/// Two alike, a bit apart: 3.70 and 3.71 V a cell.
std::vector<JoinPack> twoAlike(const char* kind) {
    std::vector<JoinPack> packs(2);
    for (JoinPack& p : packs) {
        p.chemistry = kind, p.series = 3, p.rated_Ah = 5, p.resistance_ohm = 0.02;
        p.name = &p == packs.data() ? "left" : "right";
        p.voltage_V = 3 * (&p == packs.data() ? 3.70 : 3.71);
    }
    return packs;
}

TEST(SafeJoins, NoTypedLimitSilencesARefusal) {
    auto packs = twoAlike("nmc");
    packs[0].rated_Ah = 0.6;  // 0.03 V over 40 mΩ into it is 1.25C
    const auto usual = planJoin(packs);
    ASSERT_TRUE(usual);
    EXPECT_FALSE(usual->allowed);
    packs[0].chargeLimit_C = 2;
    const auto typed = planJoin(packs);
    ASSERT_TRUE(typed);
    EXPECT_TRUE(typed->allowed);
    EXPECT_EQ(typed->cautions.size(), usual->cautions.size() + 1) << "it stays marked";
    EXPECT_NE(typed->cautions.front().find("left"), std::string::npos);
    for (const double wild : {10.5, 100.0, 1e9}) {
        packs[0].chargeLimit_C = wild;
        const auto refused = planJoin(packs);
        ASSERT_FALSE(refused) << wild;
        EXPECT_NE(refused.error().what.find("left"), std::string::npos);
        EXPECT_FALSE(refused.error().accepted.empty());
    }
}

TEST(SafeJoins, FiguresThatAreNoneAreRefused) {
    const double none = std::numeric_limits<double>::quiet_NaN();
    const double endless = std::numeric_limits<double>::infinity();
    for (const double wild : {none, endless, -endless, -1.0, 1e12, 1e300})
        for (double JoinPack::*field :
             {&JoinPack::voltage_V, &JoinPack::rated_Ah, &JoinPack::resistance_ohm,
              &JoinPack::chargeLimit_C, &JoinPack::soc}) {
            auto packs = twoAlike("nmc");
            packs[1].*field = wild;
            const auto answer = planJoin(packs);
            // A level need not be known; reversed polarity is told with its currents.
            if (field == &JoinPack::soc && std::isnan(wild)) {
                EXPECT_TRUE(answer && answer->allowed);
            } else if (field == &JoinPack::voltage_V && wild == -1) {
                EXPECT_TRUE(answer && !answer->allowed);
            } else {
                EXPECT_FALSE(answer) << wild;
            }
        }
    // Two levels that are alike and cannot be prove nothing of a flat curve.
    auto flat = twoAlike("lfp");
    for (JoinPack& p : flat) p.voltage_V = 3 * 3.3, p.soc = -3;
    EXPECT_FALSE(planJoin(flat));
    for (JoinPack& p : flat) p.soc = 0.6;
    EXPECT_TRUE(planJoin(flat)->allowed);
}

}  // namespace
}  // namespace nk
