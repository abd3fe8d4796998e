// Edits keep what they made: another detector, another rating, cannot move it.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <random>

#include "analysis/analysis.h"
#include "tests/support/sim.h"

using namespace nk;
using testing::IsEmpty;
using testing::SizeIs;

namespace {

/// Rest, charge, rest, discharge, rest; a silence of ten minutes in the discharge when asked for.
RecordingPtr log(bool gap = false) {
    RecordingData d;
    double t = 0;
    double v = 3.6;
    const auto run = [&](int seconds, double current, double slope) {
        for (int k = 0; k < seconds; k += 10, t += 10) {
            d.time_s.push_back(t);
            d.voltage_V.push_back(v += slope);
            d.current_A.push_back(current);
        }
    };
    run(300, 0, 0), run(1800, 1, 0.002), run(600, 0, 0), run(900, -1, -0.002);
    if (gap) {
        d.gaps.push_back({d.time_s.size() - 1, 600, false});
        t += 600;
    }
    run(900, gap ? -0.4 : -1, -0.002), run(600, 0, 0);
    return Recording::make(std::move(d));
}

Battery card(double rated_Ah = 2) {
    Battery b;
    b.chemistry = "nmc", b.series = 1, b.rated_Ah = rated_Ah;
    return b;
}

std::vector<StepKind> kinds(const Steps& s) {
    std::vector<StepKind> out;
    for (const Step& step : s.list) out.push_back(step.kind);
    return out;
}

/// Every sample in exactly one step, charges that add up to the recording's.
void expectWhole(const Recording& r, const Steps& s) {
    ASSERT_FALSE(s.list.empty());
    EXPECT_EQ(s.list.front().first, 0u);
    EXPECT_EQ(s.list.back().last, r.size() - 1);
    double sum = 0;
    for (std::size_t k = 0; k < s.list.size(); ++k) {
        sum += s.list[k].sum.charge_Ah;
        if (k == 0) continue;
        const bool gap = s.list[k].kind == StepKind::Gap || s.list[k - 1].kind == StepKind::Gap;
        EXPECT_EQ(s.list[k].first, s.list[k - 1].last + (gap ? 0 : 1)) << k;
    }
    EXPECT_NEAR(sum, integrate(r, 0, r.size() - 1).charge_Ah, 1e-9);
}

TEST(StepEdits, WhatAnEditMadeHoldsUnderAnotherDetector) {
    const auto r = log();
    const Battery b = card();
    const Steps found = findSteps(*r, b);
    const auto edits = settleEdits(*r, b, found,
                                   {{StepEdit::Action::Split, 3300, StepKind::Rest},
                                    {StepEdit::Action::Rename, 3400, StepKind::Variable}});
    ASSERT_THAT(edits, SizeIs(2));
    const Steps edited = applyEdits(*r, b, found, edits);
    expectWhole(*r, edited);
    // As another detector might cut: one step more in front of it, the discharge in three.
    Steps other = found;
    for (const double at : {150.0, 2900.0, 3700.0}) {
        StepEdit split{StepEdit::Action::Split, at, StepKind::Rest};
        other = applyEdits(*r, b, other, {split});
    }
    const Steps again = applyEdits(*r, b, other, edits);
    expectWhole(*r, again);
    const int k = again.at(3400);
    ASSERT_GE(k, 0);
    const int same = edited.at(3400);
    EXPECT_EQ(again.list[static_cast<std::size_t>(k)].start_s, 3300);
    EXPECT_EQ(again.list[static_cast<std::size_t>(k)].kind, StepKind::Variable);
    EXPECT_EQ(again.list[static_cast<std::size_t>(k)].end_s,
              edited.list[static_cast<std::size_t>(same)].end_s);
    EXPECT_EQ(again.list.size(), edited.list.size() + 1) << "the other cut far from it stays";
}

TEST(StepEdits, AnotherRatingDoesNotMoveThem) {
    const auto r = log();
    const Steps found = findSteps(*r, card());
    const auto edits =
        settleEdits(*r, card(), found, {{StepEdit::Action::Join, 2400, StepKind::Rest}});
    ASSERT_THAT(edits, SizeIs(1));
    const Steps edited = applyEdits(*r, card(), found, edits);
    for (const double rated : {0.0, 0.5, 20.0, 150.0}) {
        const Steps steps = applyEdits(*r, card(rated), findSteps(*r, card(rated)), edits);
        expectWhole(*r, steps);
        EXPECT_EQ(kinds(steps)[static_cast<std::size_t>(steps.at(2400))], StepKind::Rest) << rated;
        EXPECT_EQ(steps.list[static_cast<std::size_t>(steps.at(2400))].end_s,
                  edited.list[static_cast<std::size_t>(edited.at(2400))].end_s)
            << rated;
    }
}

TEST(StepEdits, SilenceIsNeverTurnedIntoCharge) {
    const auto r = log(true);
    const Battery b = card();
    const Steps found = findSteps(*r, b);
    const auto gap = std::ranges::find(found.list, StepKind::Gap, &Step::kind);
    ASSERT_NE(gap, found.list.end());
    const auto index = static_cast<int>(gap - found.list.begin());
    for (const int edge : {index, index + 1})
        for (const double shift : {-200.0, -10.0, 10.0, 200.0})
            EXPECT_THAT(moveEdge(found, edge, gap->start_s + shift), IsEmpty());
    for (const double at : {gap->start_s - 5, gap->start_s + 100})
        for (const auto action : {StepEdit::Action::Join, StepEdit::Action::Rename})
            EXPECT_THAT(settleEdits(*r, b, found, {{action, at, StepKind::CcDischarge}}), IsEmpty())
                << at;
    const auto split =
        settleEdits(*r, b, found, {{StepEdit::Action::Split, gap->start_s - 300, StepKind::Rest}});
    ASSERT_THAT(split, SizeIs(1));
    const Steps edited = applyEdits(*r, b, found, split);
    EXPECT_EQ(std::ranges::count(edited.list, StepKind::Gap, &Step::kind), 1);
    double before = 0;
    double after = 0;
    for (const Step& s : found.list) before += s.sum.charge_Ah;
    for (const Step& s : edited.list) after += s.sum.charge_Ah;
    EXPECT_NEAR(after, before, 1e-9);
}

TEST(StepEdits, RandomEditsKeepTheRecordingWholeAndComeBackTheSame) {
    const auto logs = {log(), log(true)};
    std::mt19937 random(5);
    for (int round = 0; round < 60; ++round) {
        const auto& r = *std::next(logs.begin(), round % 2);
        const Battery b = card();
        const Steps found = findSteps(*r, b);
        std::vector<StepEdit> edits;
        for (int k = 0; k < 6; ++k) {
            StepEdit e;
            e.action = static_cast<StepEdit::Action>(random() % 3);
            e.at_s = static_cast<double>(random() % 6000);
            e.kind = static_cast<StepKind>(random() % 8);
            edits.push_back(e);
            edits = settleEdits(*r, b, found, edits);
            const Steps now = applyEdits(*r, b, found, edits);
            expectWhole(*r, now);
            // Applying what was settled gives the same whatever the steps are that it begins with,
            // as far as the edit reaches.
            EXPECT_EQ(kinds(applyEdits(*r, b, findSteps(*r, b), edits)), kinds(now));
        }
    }
}

TEST(StepEdits, EditsOfAnotherRecordingDoNoHarm) {
    const auto r = log();
    const Battery b = card();
    StepEdit foreign;
    for (const auto& made : std::vector<std::vector<EditedStep>>{
             {{1e6, 2e6, StepKind::Rest}},
             {{-1e6, -1e5, StepKind::Rest}},
             {{kNaN, kNaN, StepKind::Pulse}},
             {{500, 100, StepKind::Pulse}},
             {{0, 1e9, StepKind::CvCharge}},
             {{100, 5000, StepKind::Gap}},
             {{100, 2000, StepKind::Rest}, {1000, 3000, StepKind::Rest}}}) {
        foreign.made = made;
        const Steps steps = applyEdits(*r, b, findSteps(*r, b), {foreign});
        ASSERT_FALSE(steps.list.empty());
        for (const Step& s : steps.list) {
            EXPECT_LE(s.first, s.last);
            EXPECT_LT(s.last, r->size());
        }
    }
}

}  // namespace
