// The gate: every act on every kind in every state, and the points that were seen to be missing.
// Limits are compared with the chemistry's files, not with the gate's own code.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>
#include <sstream>

#include "history/plan_files.h"
#include "planning/join.h"
#include "planning/log_next.h"
#include "planning/queue.h"
#include "quantity/iso_time.h"
#include "safety/rules.h"

namespace nk {
namespace {

constexpr Act kActs[] = {Act::Charge,      Act::Discharge, Act::Cycle, Act::BreakIn,
                         Act::Recondition, Act::Store,     Act::Join,  Act::Hold};

BatteryState state(const std::string& kind, int series, double rated) {
    BatteryState s;
    s.battery.chemistry = kind;
    s.battery.series = series;
    s.battery.rated_Ah = rated;
    return s;
}

std::string ruleOf(const BatteryState& s, const ActWish& w) {
    const auto answer = askGate(s, w);
    if (answer) return {};
    EXPECT_FALSE(answer.error().rule.empty()) << answer.error().text();
    EXPECT_FALSE(answer.error().what.empty());
    EXPECT_FALSE(answer.error().accepted.empty()) << answer.error().text();
    EXPECT_FALSE(answer.error().source.empty()) << answer.error().text();
    EXPECT_EQ(answer.error().act, nameOf(w.act));
    return answer.error().rule;
}

ActWish act(Act kind) {
    ActWish w;
    w.act = kind;
    return w;
}

TEST(Gate, EveryActOnEveryKindInEveryState) {
    for (const Chemistry& c : chemistries())
        for (const int series : {1, 3, 6})
            for (const Act a : kActs) {
                SCOPED_TRACE(c.id + " " + std::to_string(series) + " " + std::string(nameOf(a)));
                const auto at = [&](double cell_V, double celsius) {
                    BatteryState s = state(c.id, series, 2);
                    s.rested_V = cell_V * series;
                    s.ambient_C = celsius;
                    return ruleOf(s, act(a));
                };
                const double half = c.nickel() ? 1.28 : c.ocv.voltage_V(0.5 * c.fullSoc);
                const bool never =
                    !c.nickel() && (a == Act::BreakIn || a == Act::Recondition || a == Act::Hold);
                // Well and warm: done, but for what is never done to lithium.
                EXPECT_EQ(at(half, 20).empty(), !never);
                // Out of use: nothing at all.
                if (!c.nickel()) {
                    EXPECT_EQ(at(c.outOfUse_V - 0.02, 20), "out_of_use");
                }
                // Between out of use and over-drained: only a gentle charge, or storage.
                const double low = 0.5 * (c.outOfUse_V + c.overdrained_V);
                if (!c.nickel()) {
                    const std::string rule = at(low, 20);
                    if (a == Act::Charge || a == Act::Store)
                        EXPECT_EQ(rule, "");
                    else
                        EXPECT_NE(rule, "");
                }
                // Over the fault voltage: only down.
                if (!c.nickel()) {
                    const std::string rule = at(c.fault_V + 0.03, 20);
                    EXPECT_EQ(rule.empty(), a == Act::Store || a == Act::Discharge);
                }
                // A torn skin and a hazard that ends its use: nothing.
                BatteryState torn = state(c.id, series, 2);
                torn.skin = "swollen";
                EXPECT_EQ(ruleOf(torn, act(a)), "skin");
                BatteryState dead = state(c.id, series, 2);
                dead.hazards = {{"out_of_use", "2026-01-01", "battery", true, 1, "…"}};
                EXPECT_EQ(ruleOf(dead, act(a)), "hazard");
                // Cold and hot.
                const std::string cold = at(half, c.chargeMin_C - 1);
                const std::string hot = at(half, c.chargeMax_C + 1);
                if (charges(a)) {
                    EXPECT_EQ(cold, "charge_cold");
                    EXPECT_EQ(hot, "charge_hot");
                }
                const std::string frozen = at(half, c.dischargeMin_C - 1);
                if (charges(a) || discharges(a)) {
                    EXPECT_NE(frozen, "");
                }
            }
}

TEST(Gate, NoChargeIsFasterThanItsLimitsWhateverIsAsked) {
    for (const Chemistry& c : chemistries())
        for (double celsius = c.chargeMin_C; celsius <= c.chargeMax_C; celsius += 2.5)
            for (const double rate : {0.0, 0.05, 0.1, 0.3, 0.5, 1.0, 2.0, 5.0, 11.0})
                for (const bool beyond : {false, true})
                    for (const double today : {0.0, 1.4}) {
                        BatteryState s = state(c.id, 4, 2);
                        s.ambient_C = celsius;
                        s.capacity_Ah = today;
                        ActWish w = act(Act::Charge);
                        w.charge_A = rate * s.reference_Ah();
                        w.beyondUsual = beyond;
                        const auto answer = askGate(s, w);
                        if (!answer) continue;
                        const double is = answer->charge_A / s.reference_Ah();
                        SCOPED_TRACE(c.id + " " + std::to_string(celsius) + " " +
                                     std::to_string(rate));
                        if (celsius < c.chargeSlowBelow_C) {
                            EXPECT_LE(is, c.chargeSlowRate_C + 1e-9);
                        }
                        if (rate == 0) {
                            EXPECT_LE(is, std::min(0.5, c.chargeC) + 1e-9);
                        }
                        if (!beyond) {
                            EXPECT_LE(is, std::max(1.0, c.chargeC) + 1e-9);
                        }
                        EXPECT_EQ(answer->beyondUsual, is > c.chargeC + 1e-9 || rate > c.chargeC)
                            << "it stays marked";
                        EXPECT_LE(is, 10);
                        EXPECT_LE(celsius + ownWarmth_K(c, answer->charge_A, s.reference_Ah(), 0),
                                  c.chargeMax_C + 1e-6);
                    }
}

TEST(Gate, OverDrainedIsABandWithAGentleStart) {
    for (const Chemistry& c : chemistries()) {
        if (c.nickel()) continue;
        EXPECT_LT(c.outOfUse_V, c.overdrained_V) << c.id;
        for (double v = c.outOfUse_V; v < c.overdrained_V - 1e-9; v += 0.05) {
            BatteryState s = state(c.id, 1, 5);
            s.rested_V = v;
            const auto answer = askGate(s, act(Act::Charge));
            ASSERT_TRUE(answer) << c.id << " " << v << answer.error().text();
            EXPECT_LE(answer->charge_A, 0.5 + 1e-9) << c.id << " " << v;
            EXPECT_LE(answer->minutes, 30);
            EXPECT_LE(answer->temperatureEnd_C, 40);
        }
    }
}

TEST(Gate, CellsThatAreApartAreNotChargedAsOnePack) {
    for (const char* kind : {"nmc", "lfp", "lipo", "lto"}) {
        const Chemistry& c = **findChemistry(kind);
        for (double apart = 0; apart < 0.5; apart += 0.03) {
            const double high = c.set_V - 0.01;
            BatteryState s = state(kind, 3, 5);
            s.cells_V = {high, high, high - apart};
            const std::string rule = ruleOf(s, act(Act::Charge));
            EXPECT_EQ(rule.empty(), apart <= 0.1 + 1e-9) << kind << " " << apart;
            if (!rule.empty()) {
                EXPECT_EQ(rule, "cells_apart");
            }
            // A balancing charger may, as long as the highest is under its set voltage.
            ActWish with = act(Act::Charge);
            with.charger = "bench";
            with.chargerBalances = true;
            if (s.cells_V.back() > c.overdrained_V) {
                EXPECT_EQ(ruleOf(s, with), "") << kind << " " << apart;
            }
            s.cells_V[0] = c.set_V + 0.02;
            if (high - apart < c.set_V - 0.1) {
                EXPECT_EQ(ruleOf(s, with), "cells_apart") << kind << " " << apart;
            }
        }
        BatteryState watched = state(kind, 3, 5);
        const double mean = c.ocv.voltage_V(0.5 * c.fullSoc);
        watched.cells_V = {mean, mean + 0.07, mean};
        const auto answer = askGate(watched, act(Act::Charge));
        ASSERT_TRUE(answer);
        EXPECT_FALSE(answer->cautions.empty()) << "each cell is watched";
    }
}

TEST(Gate, FiguresThatNoBatteryHasAreAskedAboutFirst) {
    for (const Chemistry& c : chemistries()) {
        BatteryState s = state(c.id, 1, 3 * c.mostCell_Ah);
        EXPECT_EQ(ruleOf(s, act(Act::Charge)), "figures") << c.id;
        s.ratingIsRight = true;
        const auto answer = askGate(s, act(Act::Charge));
        ASSERT_TRUE(answer) << c.id;
        EXPECT_FALSE(answer->cautions.empty()) << "it stays marked";
        s.ratingIsRight = false;
        s.battery.parallel = 4;
        EXPECT_EQ(ruleOf(s, act(Act::Charge)), "") << c.id;
    }
    const double none = std::nan("");
    for (const double wild : {none, double(INFINITY), -1.0, 1e12}) {
        for (int what = 0; what < 6; ++what) {
            BatteryState s = state("nmc", 3, 5);
            ActWish w = act(Act::Charge);
            (what == 0   ? w.charge_A
             : what == 1 ? w.floor_V
             : what == 2 ? w.lamp_W
             : what == 3 ? s.battery.rated_Ah
             : what == 4 ? s.capacity_Ah
                         : w.discharge_A) = wild;
            EXPECT_EQ(ruleOf(s, w), "figures") << what << " " << wild;
        }
        BatteryState s = state("nmc", 3, 5);
        s.ambient_C = wild == -1 ? 1000 : wild;
        EXPECT_EQ(ruleOf(s, act(Act::Charge)), "figures") << wild;
    }
    BatteryState pack = state("lipo", 6, 5);
    pack.rested_V = 3.85;
    EXPECT_EQ(ruleOf(pack, act(Act::Charge)), "volts_of_one_cell");
}

TEST(Gate, FloorsAndLampsHaveTheirBounds) {
    for (const double floor : {0.5, 0.85, 1.3}) {
        ActWish w = act(Act::Cycle);
        w.floor_V = floor;
        EXPECT_EQ(ruleOf(state("nimh", 6, 2), w), "floor") << floor;
    }
    for (const double floor : {0.5, 2.0, 4.5}) {
        ActWish w = act(Act::Discharge);
        w.floor_V = floor;
        EXPECT_EQ(ruleOf(state("nmc", 6, 2), w), "floor") << floor;
    }
    ActWish w = act(Act::Recondition);
    w.lamp_W = 400;
    EXPECT_EQ(ruleOf(state("nimh", 6, 2), w), "lamp");
    w.lamp_W = 12;
    EXPECT_EQ(ruleOf(state("nimh", 6, 2), w), "");
}

TEST(Gate, ThePageListsEveryRuleOfTheTable) {
    std::ifstream in(std::string(NK_SOURCE_DIR) + "/docs/gate.md");
    std::stringstream kept;
    kept << in.rdbuf();
    EXPECT_EQ(kept.str(), gateRulesPage()) << "narrow-knee-cli plan rules > docs/gate.md";
    for (const GateRule& r : gateRules()) EXPECT_FALSE(r.source.empty()) << r.id;
}

ChargeWish nickel(double rate, double today) {
    ChargeWish w;
    w.battery = state("nimh", 6, 6.5).battery;
    w.rate_C = rate;
    w.capacity_Ah = today;
    return w;
}

TEST(NickelCharges, EndByTheirPeakOnlyWhereThereIsOne) {
    for (const double today : {0.0, 3.86, 6.0})
        for (const double rate : {0.05, 0.1, 0.12, 0.15, 0.2, 0.29, 0.3, 0.5, 0.8, 1.0}) {
            const ChargeWish w = nickel(rate, today);
            const auto p = planCharge(w);
            ASSERT_TRUE(p) << rate << p.error().text();
            SCOPED_TRACE(std::to_string(rate) + " " + std::to_string(today));
            const double capacity = today > 0 ? today : 6.5;
            EXPECT_NEAR(p->current_A, rate * capacity, 1e-9);
            const auto ends = [&](const char* by) {
                return std::ranges::find(p->endsBy, by) != p->endsBy.end();
            };
            EXPECT_EQ(ends("negative_delta_v"), rate >= 0.3);
            EXPECT_TRUE(ends("timer") && ends("charge_limit") && ends("temperature"));
            EXPECT_EQ(ends("dtdt"), rate >= 0.5);
            EXPECT_EQ(p->temperatureEnd_C, 45);
            // IEC 61951-2: 16 h at 0.1 It; above it 120 %.
            EXPECT_NEAR(p->capacityLimit_mAh, (rate <= 0.1 ? 1600 : 1200) * capacity, 1);
            EXPECT_LE(p->current_A * p->time_s[2] / 3.6, p->capacityLimit_mAh + 1);
            if (rate == 0.1) {
                EXPECT_NEAR(p->timer_min, 16 * 60, 1e-9);
            }
            // The list to tick quotes the card's own current.
            bool quoted = false;
            for (const std::string& line : p->preflight)
                quoted = quoted ||
                         line.find(fmt::format("{:.3g} A is", p->current_A)) != std::string::npos;
            EXPECT_TRUE(quoted);
        }
}

TEST(Programs, ListsQuoteTheirOwnCurrentAndSayHowTheyLeaveIt) {
    for (const double rated : {0.75, 2.0, 6.5})
        for (const double today : {0.0, 0.6 * rated}) {
            ProgramWish w;
            w.battery = state("nimh", 6, rated).battery;
            w.capacity_Ah = today;
            for (const auto& program : {planBreakIn(w), planRecondition(w), planCapacityLog(w)}) {
                ASSERT_TRUE(program) << program.error().text();
                EXPECT_FALSE(program->left.empty());
                bool mentioned = false;
                bool charge = false;
                for (const PlannedStep& s : program->steps) {
                    charge = charge || (s.what == "charge" &&
                                        std::abs(s.current_A - program->preflightCurrent_A) < 1e-9);
                }
                EXPECT_TRUE(charge) << program->name;
                for (const std::string& line : program->preflight)
                    mentioned = mentioned || line.find(fmt::format("{:.3g} A is",
                                                                   program->preflightCurrent_A)) !=
                                                 std::string::npos;
                EXPECT_TRUE(mentioned) << program->name;
                EXPECT_LE(program->temperatureEnd_C, 45);
            }
            const auto in = planBreakIn(w);
            const double reference = today > 0 ? today : rated;
            EXPECT_NEAR(in->steps[1].current_A * in->steps[1].time_s[1] / 3600, 1.6 * reference,
                        1e-3 * reference);
        }
}

TEST(Programs, StorageNeverAssumesALevel) {
    for (const Chemistry& c : chemistries()) {
        if (c.nickel()) continue;
        ProgramWish w;
        w.battery = state(c.id, 4, 5).battery;
        const auto unknown = planStorage(w);
        ASSERT_FALSE(unknown) << c.id;
        EXPECT_EQ(unknown.error().rule, "level_unknown");
        w.rested_V = 4 * c.ocv.voltage_V(0.5 * c.fullSoc);
        const auto half = planStorage(w);
        EXPECT_EQ(half.has_value(), !c.flat) << c.id;
        if (half) {
            EXPECT_TRUE(half->steps.empty()) << "a half full one stays as it is: " << c.id;
        }
        w.rested_V = 0;
        w.fromSoc = 0.9;
        EXPECT_EQ(planStorage(w)->steps.at(0).what, "discharge");
        w.ambient_C = c.dischargeMin_C - 5;
        EXPECT_EQ(planStorage(w).error().rule, "discharge_cold");
    }
}

TEST(Hours, TheLatestEndLiesInThem) {
    for (const auto& [from, to] : {std::pair(6, 22), std::pair(17, 22), std::pair(20, 23)})
        for (const double soc : {0.0, 0.3, 0.7})
            for (int hour = 0; hour < 24; hour += 3) {
                ReadyWish w;
                w.charge.battery = state("nmc", 13, 15).battery;
                w.charge.current_A = 3;
                w.charge.fromSoc = soc;
                w.now_s = fromIsoTime("2026-12-01T00:00") + hour * 3600;
                w.ready_s = fromIsoTime("2026-12-02T07:00");
                w.present = {from * 60, to * 60};
                const auto p = planReadyBy(w);
                ASSERT_TRUE(p) << p.error().text();
                for (const PlannedStep& s : p->steps) {
                    const auto window = w.present.windowAt(s.start_s);
                    EXPECT_GE(s.start_s, window.first - 1);
                    EXPECT_LE(s.latest_s, window.second + 1);
                    EXPECT_LE(s.latest_s, w.ready_s + 1);
                }
            }
    // Where nobody said so nothing runs between 22:00 and 07:00.
    ReadyWish w;
    w.charge.battery = state("nmc", 13, 15).battery;
    w.charge.current_A = 3;
    w.charge.fromSoc = 0.3;
    w.now_s = fromIsoTime("2026-12-01T17:00");
    w.ready_s = fromIsoTime("2026-12-02T07:00");
    w.present = Presence::unsaid();
    const auto p = planReadyBy(w);
    ASSERT_TRUE(p);
    EXPECT_LE(p->steps.at(0).latest_s, fromIsoTime("2026-12-01T22:00") + 1);
}

TEST(Hours, WhatIsLongerNeedsThePermissionAndIsGentle) {
    ProgramWish in;
    in.battery = state("nimh", 6, 2).battery;
    in.start_s = fromIsoTime("2026-12-01T08:00");
    in.present = {7 * 60, 22 * 60};
    const auto refused = planBreakIn(in);
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().rule, "overnight");
    in.overnight = true;
    const auto allowed = planBreakIn(in);
    ASSERT_TRUE(allowed) << allowed.error().text();
    EXPECT_TRUE(allowed->overnight);
    EXPECT_FALSE(allowed->steps[1].attended) << "it stays marked";
    in.overnight = false;
    in.start_s = std::nan("");
    const auto asked = planBreakIn(in);
    ASSERT_TRUE(asked);
    EXPECT_NE(asked->cautions.front().find("permission"), std::string::npos);

    QueueWish q;
    for (int k = 0; k < 3; ++k) {
        QueueModule m;
        m.name = "m" + std::to_string(k);
        m.chemistry = "nmc";
        m.series = 13;
        m.rated_Ah = 14;
        q.modules.push_back(m);
    }
    q.chargers = {genericChargers()[1]};
    q.present = {20 * 60 + 30, 22 * 60 + 30};
    q.start_s = fromIsoTime("2026-11-30T20:30");
    const auto cannot = planQueue(q);
    ASSERT_FALSE(cannot);
    EXPECT_EQ(cannot.error().rule, "attended");
    q.unattendedCharging = true;
    const auto slow = planQueue(q);
    ASSERT_TRUE(slow) << slow.error().text();
    for (const QueueStep& s : slow->steps)
        if (s.what == "charge" && !s.attended) {
            EXPECT_LE(s.current_A, 1.4 + 1e-9) << "a tenth of C";
        }
    // Whole charges end, at the latest, while somebody is there.
    q.unattendedCharging = false;
    q.present = {7 * 60, 22 * 60};
    const auto day = planQueue(q);
    ASSERT_TRUE(day);
    for (const QueueStep& s : day->steps)
        if (s.what == "charge") {
            EXPECT_LE(s.end_s, q.present.windowAt(s.start_s).second + 1);
        }
}

std::vector<JoinPack> two(const char* kind, int series, double a_V, double b_V) {
    std::vector<JoinPack> out(2);
    out[0] = {"A", kind, series, a_V, 5, 0.05, 1, std::nan("")};
    out[1] = {"B", kind, series, b_V, 5, 0.05, 1, std::nan("")};
    return out;
}

TEST(Joins, ARefusalNamesTheWayForwardAndTheGreatestGap) {
    // Out of use: recycled, never charged; they meet nowhere.
    const auto dead = planJoin(two("lipo", 3, 4.5, 11.4));
    ASSERT_TRUE(dead);
    EXPECT_FALSE(dead->allowed);
    EXPECT_EQ(dead->rule, "out_of_use");
    EXPECT_TRUE(std::isnan(dead->common_V));
    EXPECT_TRUE(dead->currents.empty());
    EXPECT_NE(dead->instead.find("ecycle"), std::string::npos);
    EXPECT_EQ(dead->instead.find("harge A"), std::string::npos);
    // Over the fault voltage: brought down, nobody is charged up to it.
    const auto full = planJoin(two("lipo", 3, 12.9, 12.6));
    EXPECT_EQ(full->rule, "over_fault");
    EXPECT_EQ(full->instead.find("harge B"), std::string::npos);
    // Over-drained: the gentle band only.
    EXPECT_EQ(planJoin(two("lipo", 3, 8.7, 11.4))->rule, "over_drained");
    // Other counts and polarity meet nowhere.
    auto other = two("lipo", 6, 22.8, 22.8);
    other[1].series = 4;
    EXPECT_TRUE(std::isnan(planJoin(other)->common_V));
    EXPECT_TRUE(std::isnan(planJoin(two("lipo", 3, 11.4, -11.4))->common_V));
    // Nickel on equal volts.
    auto nickel = two("nimh", 6, 7.74, 7.74);
    EXPECT_EQ(planJoin(nickel)->rule, "join_nickel");
    for (JoinPack& p : nickel) p.soc = 1;
    EXPECT_TRUE(planJoin(nickel)->allowed);
    // Frozen ones are charged by the others.
    auto frozen = two("lipo", 3, 11.4, 11.4);
    frozen[1].ambient_C = -5;
    EXPECT_EQ(planJoin(frozen)->rule, "charge_cold");
}

TEST(Joins, TheGapIsTheCurrentsOwn) {
    for (const double ohms : {0.0005, 0.02, 0.1})
        for (const double rated : {0.8, 2.2, 10.0})
            for (double gap = 0.005; gap < 0.5; gap *= 1.5) {
                auto packs = two("lipo", 4, 15.2, 15.2 - gap);
                for (JoinPack& p : packs) p.resistance_ohm = ohms, p.rated_Ah = rated;
                const auto answer = planJoin(packs);
                ASSERT_TRUE(answer);
                const double most = std::min(0.4, rated * 2 * ohms);
                EXPECT_NEAR(answer->greatestGap_V, most, 1e-9);
                EXPECT_EQ(answer->allowed, gap <= most + 1e-9);
                if (answer->allowed) {
                    for (const JoinCurrent& i : answer->currents)
                        EXPECT_LE(std::abs(i.first_A), rated * (1 + 1e-6));
                }
                for (const JoinCurrent& i : answer->currents) {
                    const auto [low, high] = std::minmax(i.firstLow_A, i.firstHigh_A);
                    EXPECT_LE(low, i.first_A + 1e-12);
                    EXPECT_GE(high, i.first_A - 1e-12) << "the range holds the value told";
                }
            }
}

TEST(Joins, AGroupHoldsItsResistancesInParallel) {
    // Two that may, a third too low: by hand. V = Σ(V/R)/Σ(1/R) of the two, gap 1.5 A · (44 + 16.4
    // mΩ).
    std::vector<JoinPack> packs(3);
    packs[0] = {"North", "lipo", 4, 15.36, 2.2, 0.030, 1, std::nan("")};
    packs[1] = {"South", "lipo", 4, 15.28, 1.8, 0.036, 1, std::nan("")};
    packs[2] = {"Spare", "lipo", 4, 14.92, 1.5, 0.044, 1, std::nan("")};
    const auto answer = planJoin(packs);
    ASSERT_TRUE(answer);
    EXPECT_FALSE(answer->allowed);
    const double parallel = 1 / (1 / 0.030 + 1 / 0.036);
    EXPECT_NEAR(answer->greatestGap_V, 1.5 * (0.044 + parallel), 1e-6);
    EXPECT_NE(answer->instead.find("15.23"), std::string::npos) << answer->instead;
    packs[2].voltage_V = 15.24;
    const auto joined = planJoin(packs);
    EXPECT_TRUE(joined->allowed);
    EXPECT_NEAR(joined->together_A, 5.5, 1e-9);
    EXPECT_NEAR(joined->currents[0].share, 0.4, 1e-9);
}

TEST(Joins, LevelsOfAFlatKindSayWhatMoves) {
    for (const double apart : {0.0, 0.02, 0.05, 0.1}) {
        auto packs = two("lfp", 4, 13.32, 13.30);
        for (JoinPack& p : packs) p.rated_Ah = 100, p.resistance_ohm = 0.004;
        packs[0].soc = 0.9;
        packs[1].soc = 0.9 - apart;
        const auto answer = planJoin(packs);
        ASSERT_TRUE(answer);
        EXPECT_TRUE(answer->allowed) << apart;
        EXPECT_NEAR(answer->chargeMoved_Ah, 50 * apart, 1e-6);
    }
    auto surface = two("lfp", 4, 13.6, 13.2);
    surface[0].soc = 1;
    surface[1].soc = 0.95;
    EXPECT_EQ(planJoin(surface)->rule, "join_levels");
}

}  // namespace
}  // namespace nk
