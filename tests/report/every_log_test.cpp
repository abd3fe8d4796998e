// What must hold of every log that is analysed, whatever it is: on all demo logs, and on the same
// logs thinned, made coarse, noisy, cut short or turned round. Charge and energy add up, intervals
// hold their values, steps follow one another, cards and JSON say the same as the analysis.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <random>
#include <set>

#include "analysis/log/current_zero.h"
#include "cellmodel/scenario.h"
#include "report/analysis_json.h"
#include "report/cards.h"
#include "report/text.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

struct Case {
    std::string name;
    Battery battery;
    RecordingPtr recording;
};

struct Columns {
    std::vector<double> t, v, i, c;
};

Columns columnsOf(const Recording& r) {
    Columns out;
    out.t.assign(r.time_s().begin(), r.time_s().end());
    out.v.assign(r.voltage_V().begin(), r.voltage_V().end());
    out.i.assign(r.current_A().begin(), r.current_A().end());
    out.c.assign(r.temperature_C().begin(), r.temperature_C().end());
    return out;
}

/// The log and what other loggers would have made of it.
std::vector<Case> cases() {
    std::vector<Case> out;
    std::mt19937 draw(12);
    for (const auto& [name, json] : scenarioFiles()) {
        const test::Logged log = test::logged(std::string(json));
        const Battery& b = log.scenario.battery;
        const Columns c = columnsOf(*log.imported.recording);
        const auto add = [&, name = name](const char* how, Columns x) {
            if (x.t.size() < 2) return;
            out.push_back({std::string(name) + " " + how, b, test::recording(x.t, x.v, x.i, x.c)});
        };
        out.push_back({std::string(name), b, log.imported.recording});
        Columns thin;
        for (std::size_t k = 0; k < c.t.size(); k += 7) {
            thin.t.push_back(c.t[k]), thin.v.push_back(c.v[k]), thin.i.push_back(c.i[k]);
            if (!c.c.empty()) thin.c.push_back(c.c[k]);
        }
        add("thinned", thin);
        Columns coarse = c;
        for (double& v : coarse.v) v = 0.02 * std::round(v / 0.02);
        for (double& i : coarse.i) i = 0.05 * std::round(i / 0.05);
        coarse.c.clear();
        add("coarse", coarse);
        Columns noisy = c;
        std::normal_distribution<double> noise;
        for (double& v : noisy.v) v += 0.004 * noise(draw);
        for (double& i : noisy.i) i += 0.01 * noise(draw);
        add("noisy", noisy);
        for (const double part : {0.31, 0.74}) {
            const auto n = static_cast<std::size_t>(part * static_cast<double>(c.t.size()));
            Columns cut;
            cut.t.assign(c.t.begin(), c.t.begin() + static_cast<std::ptrdiff_t>(n));
            cut.v.assign(c.v.begin(), c.v.begin() + static_cast<std::ptrdiff_t>(n));
            cut.i.assign(c.i.begin(), c.i.begin() + static_cast<std::ptrdiff_t>(n));
            if (!c.c.empty())
                cut.c.assign(c.c.begin(), c.c.begin() + static_cast<std::ptrdiff_t>(n));
            add(part < 0.5 ? "a third of it" : "three quarters of it", cut);
        }
        Columns late = c;
        for (double& t : late.t) t += 5e4;
        add("late", late);
    }
    return out;
}

const std::vector<Case>& all() {
    static const std::vector<Case> made = cases();
    return made;
}

/// Every case under its name, with its analysis.
template <class Look>
void each(const Look& look) {
    for (const Case& x : all()) {
        SCOPED_TRACE(x.name);
        static std::map<const Case*, Analysis> made;
        auto [at, fresh] = made.try_emplace(&x);
        if (fresh) at->second = analyse(*x.recording, x.battery);
        look(x, at->second);
    }
}

TEST(EveryLog, StepsFollowOneAnotherAndAddUpToTheWhole) {
    each([](const Case& x, const Analysis& a) {
        const auto& list = a.steps.list;
        ASSERT_FALSE(list.empty());
        EXPECT_EQ(list.front().first, 0U);
        EXPECT_EQ(list.back().last, x.recording->size() - 1);
        double charge = 0;
        double energy = 0;
        for (std::size_t k = 0; k < list.size(); ++k) {
            const Step& s = list[k];
            EXPECT_LE(s.first, s.last);
            EXPECT_LE(s.start_s, s.end_s);
            if (k > 0) {
                EXPECT_EQ(s.first, list[k - 1].last + 1) << "no row is left out, none counts twice";
                EXPECT_EQ(s.countFrom, list[k - 1].countTo);
                EXPECT_FALSE(s.kind == StepKind::Rest && list[k - 1].kind == StepKind::Rest)
                    << "rests that touch are one";
            }
            charge += s.sum.charge_Ah;
            energy += s.sum.energy_Wh;
            if (s.isCharge()) {
                EXPECT_GE(s.sum.charge_Ah, 0);
            }
            if (s.isDischarge()) {
                EXPECT_LE(s.sum.charge_Ah, 0);
            }
        }
        // What the display shows at rest was taken off before anything was counted.
        const RecordingPtr counted = a.zero ? withoutZero(*x.recording, *a.zero) : x.recording;
        const Integral whole = integrate(*counted, 0, counted->size() - 1);
        EXPECT_NEAR(charge, whole.charge_Ah, 1e-9 + 1e-9 * std::abs(whole.charge_Ah));
        EXPECT_NEAR(energy, whole.energy_Wh, 1e-8 + 1e-9 * std::abs(whole.energy_Wh));
    });
}

TEST(EveryLog, ReadingsHaveUnitsEvidenceAndIntervalsOrAReason) {
    each([](const Case& x, const Analysis& a) {
        const double from = x.recording->time_s().front();
        const double to = x.recording->time_s().back();
        for (const Reading& r : a.readings) {
            if (r.name == "weakest_cell") continue;  // a number of a cell: no unit, no interval
            EXPECT_FALSE(r.unit.empty()) << r.name;
            EXPECT_FALSE(r.method.empty()) << r.name;
            EXPECT_NE(a.registry->metric(r.name), nullptr) << r.name;
            if (!r.measurable()) {
                EXPECT_FALSE(r.caveats.empty()) << r.name << ": what is not known has a reason";
                continue;
            }
            EXPECT_TRUE(std::isfinite(r.value)) << r.name;
            EXPECT_GT(r.uncertainty, 0) << r.name;
            EXPECT_GE(r.expanded(), r.uncertainty) << r.name;
            EXPECT_LE(r.expanded(), 13 * r.uncertainty) << r.name;
            if (std::isfinite(r.evidence.from_s)) {
                EXPECT_LE(r.evidence.from_s, r.evidence.to_s) << r.name;
                EXPECT_GE(r.evidence.from_s, from - 1) << r.name;
                EXPECT_LE(r.evidence.to_s, to + 1) << r.name;
            }
            EXPECT_LT(r.evidence.step, static_cast<int>(a.steps.list.size())) << r.name;
            // What cannot be below zero is not.
            if (r.name.starts_with("resistance") || r.name == "delivered_capacity" ||
                r.name == "charge_in" || r.name == "taper_time_constant") {
                EXPECT_GT(r.value, 0) << r.name;
            }
            if (r.name == "coulombic_efficiency") {
                EXPECT_LT(r.value - r.expanded(), 101) << "no battery gives more than it took";
            }
        }
    });
}

TEST(EveryLog, FindingsAreKnownSaidAndPointIntoTheLog) {
    each([](const Case& x, const Analysis& a) {
        const double to = x.recording->time_s().back();
        Severity before = Severity::Hazard;
        for (const Finding& f : a.findings) {
            EXPECT_NE(a.registry->check(f.code), nullptr) << f.code;
            EXPECT_FALSE(f.text.empty()) << f.code;
            EXPECT_LE(before, f.severity) << "the gravest first";
            before = f.severity;
            if (std::isfinite(f.evidence.from_s)) {
                EXPECT_LE(f.evidence.to_s, to + 1) << f.code;
            }
            for (const char* odd : {"nan", "inf", "-0 ", "{}", "{:"})
                EXPECT_EQ(f.text.find(odd), std::string::npos) << f.text;
        }
    });
}

TEST(EveryLog, CardsSayAllOfItOnceAndHazardsEverywhere) {
    each([](const Case& x, const Analysis& a) {
        const auto cards = makeCards(*x.recording, a, {});
        ASSERT_FALSE(cards.empty());
        bool other = false;
        std::set<std::string> hazards;
        for (const Card& c : cards) {
            EXPECT_FALSE(c.kind.empty());
            EXPECT_FALSE(c.title.empty()) << c.kind;
            if (c.tone == CardTone::Hazard) {
                EXPECT_FALSE(other) << "hazards come first: " << c.title;
                hazards.insert(c.title);
            }
            other = other || c.tone != CardTone::Hazard;
            const std::string plain = c.plainText();
            EXPECT_NE(plain.find(c.title), std::string::npos);
            EXPECT_NE(plain.find(c.value), std::string::npos);
            for (const char* odd : {"nan", "{}", "{:"})
                EXPECT_EQ(plain.find(odd), std::string::npos) << plain;
        }
        for (const Question q : {Question::Curve, Question::Finish, Question::Strength}) {
            const auto here = cardsFor(cards, q);
            for (const std::string& title : hazards)
                EXPECT_TRUE(std::ranges::any_of(here, [&](const Card& c) {
                    return c.title == title;
                })) << title;
        }
        for (const Card& c : cards) {
            bool shown = false;
            for (const Question q : {Question::Curve, Question::Finish, Question::Strength})
                for (const Card& here : cardsFor(cards, q)) shown = shown || here.title == c.title;
            EXPECT_TRUE(shown) << c.title << " stands at no station";
        }
    });
}

TEST(EveryLog, JsonAndTextSayWhatTheAnalysisSays) {
    each([](const Case& x, const Analysis& a) {
        Imported log;
        log.recording = x.recording;
        const auto j = nlohmann::json::parse(analysisJson(log, a, {}, "log.csv", ""));
        ASSERT_EQ(j["steps"].size(), a.steps.list.size());
        ASSERT_EQ(j["readings"].size(), a.readings.size());
        ASSERT_EQ(j["findings"].size(), a.findings.size());
        for (std::size_t k = 0; k < a.readings.size(); ++k) {
            const Reading& r = a.readings[k];
            const auto& one = j["readings"][k];
            EXPECT_EQ(one["name"], r.name);
            EXPECT_EQ(one["caveats"].size(), r.caveats.size());
            if (!r.measurable()) {
                EXPECT_TRUE(one["value"].is_null() && one["interval_95"].is_null()) << r.name;
                continue;
            }
            EXPECT_EQ(one["value"].get<double>(), r.value) << "to the last bit: " << r.name;
            const double low = one["interval_95"][0];
            const double high = one["interval_95"][1];
            if (r.name == "weakest_cell") continue;
            EXPECT_LT(low, r.value) << r.name;
            EXPECT_GT(high, r.value) << r.name;
        }
        const std::string text = analysisText(*x.recording, a, "log.csv");
        for (const char* part : {"log.csv", "Steps", "Readings"})
            EXPECT_NE(text.find(part), std::string::npos);
        EXPECT_EQ(text.find("nan"), std::string::npos);
    });
}

TEST(EveryLog, TheSameLogGivesTheSameAnswerLaterAndAgain) {
    // A log that begins later is the same log; an analysis has no memory of another.
    for (std::size_t k = 0; k < all().size(); ++k) {
        const Case& x = all()[k];
        if (!x.name.ends_with(" late")) continue;
        SCOPED_TRACE(x.name);
        const Case* plain = nullptr;
        for (const Case& other : all())
            if (other.name + " late" == x.name) plain = &other;
        ASSERT_NE(plain, nullptr);
        const Columns c = columnsOf(*plain->recording);
        const Analysis one = analyse(*test::recording(c.t, c.v, c.i, c.c), x.battery);
        const Analysis two = analyse(*x.recording, x.battery);
        ASSERT_EQ(one.steps.list.size(), two.steps.list.size());
        ASSERT_EQ(one.readings.size(), two.readings.size());
        for (std::size_t r = 0; r < one.readings.size(); ++r) {
            const Reading& a = one.readings[r];
            const Reading& b = two.readings[r];
            EXPECT_EQ(a.name, b.name);
            EXPECT_EQ(a.measurable(), b.measurable()) << a.name;
            if (!a.measurable()) continue;
            const double moved = a.name == "knee_time" || a.name == "peak_time"
                                     ? x.recording->time_s().front() - c.t.front()
                                     : 0;
            EXPECT_NEAR(a.value + moved, b.value, 1e-6 * std::max(1.0, std::abs(a.value)))
                << a.name;
            EXPECT_NEAR(a.uncertainty, b.uncertainty, 1e-5 * a.uncertainty + 1e-9) << a.name;
        }
    }
}

}  // namespace
}  // namespace nk
