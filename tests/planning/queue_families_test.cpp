// Queues of every shape: unlike modules, chargers with limits, hours, what is done, moved or out.
// Whatever is asked for, a plan keeps what a person at the bench would check with a pencil.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include "../support/command.h"
#include "history/kept_queue.h"
#include "planning/queue.h"
#include "report/plan_json.h"

namespace nk {
namespace {

constexpr double kDay = 86400, kMorning = 20'000 * kDay + 8 * 3600;  // a day, 8:00

struct Draw {
    std::mt19937 random;
    explicit Draw(unsigned seed) : random(seed) {}
    double between(double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random);
    }
    int whole(int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); }
    bool one(int in) { return whole(1, in) == 1; }
};

QueueWish anyQueue(unsigned seed) {
    Draw draw(seed);
    QueueWish w;
    const char* const kinds[] = {"nimh", "nicd", "nmc", "lfp"};
    for (int k = draw.whole(1, 12); k > 0; --k) {
        QueueModule m;
        m.name = "m" + std::to_string(k);
        m.chemistry = kinds[draw.whole(0, 3)];
        m.series = draw.whole(1, 8);
        m.rated_Ah = draw.between(0.5, 12);
        if (draw.one(3)) m.capacity_Ah = m.rated_Ah * draw.between(0.3, 1.1);
        // Of what it holds: an old one is not asked for its label's current.
        if (draw.one(3))
            m.charge_A = (m.capacity_Ah > 0 ? m.capacity_Ah : m.rated_Ah) * draw.between(0.2, 1);
        if (draw.one(3))
            m.discharge_A = (m.capacity_Ah > 0 ? m.capacity_Ah : m.rated_Ah) * draw.between(0.2, 1);
        w.modules.push_back(m);
    }
    for (int k = draw.whole(1, 4); k > 0; --k) {
        ChargerCard c;
        c.name = "c" + std::to_string(k);
        c.channels = draw.whole(1, 3);
        if (draw.one(3)) c.maxCharge_A = draw.between(2, 10);
        if (draw.one(3)) c.maxCharge_W = draw.between(40, 200);
        if (draw.one(2)) c.maxDischarge_W = draw.between(30, 100);
        if (draw.one(3)) c.currentStep_A = 0.1;
        if (k > 1 && draw.one(3)) c.cellsMax = draw.whole(2, 7);
        if (k > 1 && draw.one(3)) c.chemistries = {"nimh", "nicd"};
        w.chargers.push_back(c);
    }
    w.cycles = draw.whole(1, 3);
    w.dischargeFirst = draw.one(2);
    w.rest_min = draw.one(3) ? 0 : draw.between(5, 90);
    if (draw.one(2)) w.present = {draw.whole(5, 9) * 60, draw.whole(19, 23) * 60};
    if (draw.one(5)) w.present = {20 * 60, 10 * 60};  // of the night
    w.unattendedCharging = draw.one(4);
    w.start_s = kMorning + draw.between(0, kDay);
    w.seconds = 0.02;
    w.seed = seed;
    return w;
}

bool isThere(const Presence& p, double at_s) {
    const double minute = std::fmod(at_s, kDay) / 60;
    if (p.always()) return true;
    return p.to_min > p.from_min ? minute >= p.from_min - 1e-6 && minute <= p.to_min + 1e-6
                                 : minute >= p.from_min - 1e-6 || minute <= p.to_min + 1e-6;
}

/// Is somebody there all the while? Reckoned minute by minute, not as the plan does.
bool somebodyThere(const Presence& p, double from_s, double to_s) {
    for (double t = from_s; t < to_s; t += 60)
        if (!isThere(p, t)) return false;
    return isThere(p, to_s);
}

/// Everything that a plan must keep; `said` tells which case it was.
void expectKept(const QueueWish& w, const QueuePlan& plan, const std::string& said) {
    std::map<std::pair<int, int>, double> freeFrom;
    std::map<std::pair<int, int>, std::size_t> clipped;
    std::map<std::size_t, double> ended;
    std::map<std::size_t, std::size_t> links;
    std::vector<double> hands;
    double last = -1e18, finish = 0;
    for (const QueueStep& s : plan.steps) {
        EXPECT_GE(s.start_s, last - 1e-6) << said << ": steps stand in the order of their starts";
        last = s.start_s;
        if (s.what == "rest") continue;
        const QueueModule& m = w.modules[s.module];
        const ChargerCard& card = w.chargers[static_cast<std::size_t>(s.charger)];
        const Chemistry& c = **findChemistry(m.chemistry);
        const bool charge = s.what == "charge";
        const double cell_V = c.nominal_V * m.series;
        EXPECT_TRUE(card.canDo(c, m.series)) << said;
        EXPECT_LE(s.current_A, (charge ? card.maxCharge_A : card.maxDischarge_A) + 1e-9) << said;
        EXPECT_LE(s.current_A * cell_V, (charge ? card.maxCharge_W : card.maxDischarge_W) + 1e-6)
            << said;
        if (charge) {
            const double holds = m.capacity_Ah > 0 ? m.capacity_Ah : m.rated_Ah;
            EXPECT_LE(s.current_A, (m.charge_A > 0 ? m.charge_A : 0.5 * holds) + 1e-9) << said;
            EXPECT_EQ(s.attended, somebodyThere(w.present, s.start_s, s.end_s)) << said;
            EXPECT_TRUE(s.attended || w.unattendedCharging || s.link < w.done.size()) << said;
        }
        // Amperes and hours are ampere-hours; a charge is planned to its latest end.
        if (!s.done) {
            const double moved_Ah = s.current_A * (s.end_s - s.start_s) / 3600;
            const double holds = m.capacity_Ah > 0 ? m.capacity_Ah : m.rated_Ah;
            EXPECT_GE(moved_Ah, holds - 1e-3) << said;
            EXPECT_LE(moved_Ah, (charge ? 1.6 : 1) * holds + 1e-3) << said;
        }
        const std::pair place{s.charger, s.channel};
        EXPECT_TRUE(s.channel >= 1 && s.channel <= card.channels) << said;
        EXPECT_GE(s.start_s, std::max(w.start_s, freeFrom[place]) - 1e-6) << said;
        freeFrom[place] = s.end_s;
        EXPECT_EQ(s.link, links[s.module]++) << said;
        EXPECT_EQ(charge, (s.link % 2 == 0) != w.dischargeFirst) << said;
        if (ended.contains(s.module)) {
            EXPECT_GE(s.start_s, ended[s.module] + 60 * w.rest_min - 1e-6) << said;
        }
        ended[s.module] = s.end_s;
        finish = std::max(finish, s.end_s);
        // A hand is asked for where another module, or none, hung on the channel.
        const auto on = clipped.find(place);
        if (on == clipped.end() || on->second != s.module) {
            std::erase_if(clipped, [&](const auto& at) { return at.second == s.module; });
            clipped[place] = s.module;
            hands.push_back(s.start_s);
            EXPECT_TRUE(isThere(w.present, s.start_s)) << said;
        }
    }
    for (std::size_t m = 0; m < w.modules.size(); ++m) {
        if (std::ranges::find(w.retired, m) == w.retired.end()) {
            EXPECT_EQ(links[m], 2 * static_cast<std::size_t>(w.cycles)) << said;
        }
    }
    EXPECT_NEAR(plan.finish_s, finish, 1e-6) << said;
    EXPECT_LE(plan.lowerBound_h, plan.makespan_h() + 1e-9) << said;
    if (w.done.empty()) {
        int visits = 0;
        double before = -1e18;
        for (const double h : hands)
            if (h > before + 300) ++visits, before = h;
        EXPECT_EQ(plan.visits, visits) << said;
    }
}

TEST(QueueFamilies, EveryPlanKeepsItsRulesOrSaysWhyThereIsNone) {
    int planned = 0;
    for (unsigned seed = 1; seed <= 250; ++seed) {
        const QueueWish w = anyQueue(seed);
        const auto plan = planQueue(w);
        const std::string said = "seed " + std::to_string(seed);
        if (!plan) {
            EXPECT_FALSE(plan.error().what.empty()) << said;
            EXPECT_FALSE(plan.error().accepted.empty()) << said << plan.error().what;
            if (std::getenv("NK_SEE") != nullptr) std::cerr << plan.error().text() << "\n";
            continue;
        }
        ++planned;
        expectKept(w, *plan, said);
    }
    EXPECT_GT(planned, 150) << "most of these benches can be planned";
}

TEST(QueueFamilies, WhatHasBeenDoneStaysAndTheRestIsPlannedFromNow) {
    int told = 0;
    for (unsigned seed = 1; seed <= 120; ++seed) {
        QueueWish w = anyQueue(seed);
        const auto first = planQueue(w);
        if (!first) continue;
        Draw draw(seed);
        // Its first steps end early or late, one module breaks.
        std::vector<QueueStep> begun;
        for (const QueueStep& s : first->steps)
            if (s.what != "rest" && begun.size() < 3) begun.push_back(s);
        const double late = draw.between(0.5, 1.5);
        stepEnded(w, *first,
                  static_cast<std::size_t>(
                      &*std::ranges::find_if(first->steps,
                                             [](const QueueStep& s) { return s.what != "rest"; }) -
                      first->steps.data()),
                  begun[0].start_s + late * (begun[0].end_s - begun[0].start_s));
        if (draw.one(3) && w.modules.size() > 1) w.retired = {w.modules.size() - 1};
        const auto again = planQueue(w);
        if (!again) {
            EXPECT_FALSE(again.error().accepted.empty()) << seed;
            continue;
        }
        ++told;
        const std::string said = "seed " + std::to_string(seed);
        EXPECT_GE(w.done.size(), 1U) << said;
        for (const QueueDone& d : w.done) {
            const auto same = std::ranges::find_if(again->steps, [&](const QueueStep& s) {
                return s.what != "rest" && s.module == d.module && s.charger == d.charger &&
                       s.channel == d.channel && s.start_s == d.start_s && s.end_s == d.end_s;
            });
            EXPECT_NE(same, again->steps.end()) << said << ": a step that was done is gone";
        }
        for (const QueueStep& s : again->steps) {
            const bool wasBegun = std::ranges::any_of(w.done, [&](const QueueDone& d) {
                return d.module == s.module && d.start_s == s.start_s;
            });
            if (s.what == "rest" || wasBegun) continue;
            EXPECT_GE(s.start_s, w.now_s - 1e-6) << said << ": planned into the past";
            EXPECT_EQ(std::ranges::find(w.retired, s.module), w.retired.end())
                << said << ": a module that is out gets a step";
        }
        EXPECT_LE(again->lowerBound_h, again->makespan_h() + 1e-9) << said;
        // Kept and read again it is the same queue, and the same plan's beginning.
        const auto back = keptQueueIn(keptQueueText(w));
        ASSERT_TRUE(back) << said;
        EXPECT_EQ(keptQueueText(*back), keptQueueText(w)) << said;
    }
    EXPECT_GT(told, 60);
}

TEST(QueueFamilies, TheCalendarHasEachHandOnce) {
    for (unsigned seed = 300; seed < 330; ++seed) {
        const QueueWish w = anyQueue(seed);
        const auto plan = planQueue(w);
        if (!plan) continue;
        const std::string text = queueCalendar(*plan, w, kMorning);
        const auto count = [&](const std::string& word) {
            std::size_t n = 0;
            for (std::size_t at = text.find(word); at != std::string::npos;
                 at = text.find(word, at + 1))
                ++n;
            return n;
        };
        const auto steps = static_cast<std::size_t>(std::ranges::count_if(
            plan->steps, [](const QueueStep& s) { return s.what != "rest"; }));
        EXPECT_EQ(count("BEGIN:VEVENT"), steps) << seed;
        EXPECT_EQ(count("END:VEVENT"), steps) << seed;
        // RFC 5545, 3.1: a line has at most 75 octets and ends with CR LF.
        for (std::size_t from = 0; from < text.size();) {
            const std::size_t end = text.find("\r\n", from);
            ASSERT_NE(end, std::string::npos) << seed;
            EXPECT_LE(end - from, 75U) << seed;
            from = end + 2;
        }
    }
}

QueueWish oneModule(const char* kind, double rated_Ah, double charge_A) {
    QueueWish w;
    QueueModule m;
    m.name = "alone";
    m.chemistry = kind;
    m.series = 4;
    m.rated_Ah = rated_Ah;
    m.charge_A = charge_A;
    w.modules = {m};
    w.chargers.resize(1);
    w.chargers[0].name = "any";
    w.start_s = kMorning;
    w.seconds = 0;
    return w;
}

TEST(QueueFamilies, ATableCannotAskForMoreCurrentThanAPlanOfItsOwn) {
    for (const char* kind : {"nmc", "lfp", "lipo", "lihv", "lto", "nimh", "nicd"}) {
        const double usual = (*findChemistry(kind))->chargeC;
        EXPECT_TRUE(planQueue(oneModule(kind, 2, 2 * usual))) << kind;
        // Up to 1C the figure itself is the step; it stays marked.
        const auto one = planQueue(oneModule(kind, 2, 2));
        ASSERT_TRUE(one) << kind;
        const bool marked = std::ranges::any_of(one->notes, [](const std::string& n) {
            return n.starts_with("alone: Beyond the usual");
        });
        EXPECT_EQ(marked, usual < 1) << kind;
        for (const double rate : {1.1 * std::max(1.0, usual), 5.0, 40.0}) {
            const auto hot = planQueue(oneModule(kind, 2, 2 * rate));
            ASSERT_FALSE(hot) << kind << " " << rate;
            EXPECT_NE(hot.error().what.find("alone"), std::string::npos) << "which module";
            EXPECT_FALSE(hot.error().accepted.empty());
        }
    }
}

TEST(QueueFamilies, FiguresThatAreNoneAreRefusedAndNothingHangs) {
    const double none = std::numeric_limits<double>::quiet_NaN();
    const double endless = std::numeric_limits<double>::infinity();
    for (const double wild : {none, endless, -1.0, 1e12, 1e300}) {
        for (double QueueModule::*field : {&QueueModule::rated_Ah, &QueueModule::capacity_Ah,
                                           &QueueModule::charge_A, &QueueModule::discharge_A}) {
            QueueWish w = oneModule("nimh", 2, 0);
            w.modules[0].*field = wild;
            w.present = {7 * 60, 22 * 60};
            w.unattendedCharging = true;
            EXPECT_FALSE(planQueue(w)) << wild;
        }
        QueueWish begins = oneModule("nimh", 2, 0);
        begins.present = {7 * 60, 22 * 60};
        begins.start_s = wild;
        if (wild != -1) {
            EXPECT_FALSE(planQueue(begins)) << wild;
        }
        QueueWish rests = oneModule("nimh", 2, 0);
        rests.rest_min = wild;
        EXPECT_FALSE(planQueue(rests)) << wild;
        QueueWish moved = oneModule("nimh", 2, 0);
        moved.present = {7 * 60, 22 * 60};
        moved.pins = {{0, 0, 0, 1, wild}};
        if (wild != -1) {
            EXPECT_FALSE(planQueue(moved)) << wild;
        }
        QueueWish over = oneModule("nimh", 2, 0);
        over.present = {7 * 60, 22 * 60};
        over.done = {{0, 0, 1, kMorning, wild, true}};
        EXPECT_FALSE(planQueue(over)) << wild;
    }
    // A trickle of a discharge: no step of years.
    QueueWish slow = oneModule("nimh", 100, 0);
    slow.modules[0].discharge_A = 1e-5;
    EXPECT_FALSE(planQueue(slow));
    for (const int cycles : {-1, 0, 51, 1'000'000'000}) {
        QueueWish w = oneModule("nimh", 2, 0);
        w.cycles = cycles;
        EXPECT_FALSE(planQueue(w)) << cycles;
    }
}

class QueueTables : public test::Command {};

TEST_F(QueueTables, OfTheCommandAreHeldToTheSame) {
    const std::string chargers = write(
        "c.json", R"({"schema":"narrow-knee/chargers/1","chargers":[{"name":"one","channels":2,)"
                  R"("max_charge_A":100}]})");
    const auto plan = [&](const std::string& rows) {
        return test::run(
            {"plan", "queue",
             write("m.csv", "name,chemistry,series,rated_ah,charge_a,discharge_a\n" + rows),
             chargers, "--start", "2026-05-01T08:00", "--json"});
    };
    EXPECT_EQ(plan("a,nimh,6,6,3,3\nb,nmc,2,5,2,1\n").status, 0);
    for (const std::string bad :
         {"b,nmc,2,5,50,1\n", "b,nmc,2,1e300,1,1\n", "b,nmc,2,5,1,1e-9\n", "b,nmc,2,nan,1,1\n",
          "b,nmc,2,5,-1,1\n", "b,nmc,2,5,1e300,1\n", "b,nmc,1e9,5,1,1\n", "a,nmc,2,5,1,1\n"}) {
        const auto ran = plan("a,nimh,6,6,3,3\n" + bad);
        EXPECT_EQ(ran.status, 1) << bad << ran.out;
        // No plan; a refusal of the gate is told as data as well.
        EXPECT_EQ(ran.out.find("steps"), std::string::npos) << bad << ran.out;
        EXPECT_NE(ran.err.find("m.csv"), std::string::npos) << "where: " << ran.err;
        EXPECT_TRUE(ran.err.find("Accepted:") != std::string::npos ||
                    ran.err.find("Instead:") != std::string::npos)
            << bad << ran.err;
    }
}

}  // namespace
}  // namespace nk
