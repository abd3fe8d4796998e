// Logs from outside: published parameter sets of lithium cells, played by a foreign library of
// textbook battery models and seen by loggers of all kinds (published_cells.py tells which and
// how). Nothing of that library is needed here. Asked is whether the stated 95 % intervals hold
// what the model knows.
#include <gtest/gtest.h>

#include <fstream>
#include <map>
#include <nlohmann/json.hpp>

#include "analysis/analysis.h"
#include "formats/importer.h"

namespace nk {
namespace {

const std::string kReference = std::string(NK_SOURCE_DIR) + "/tests/reference/";
const std::string kFolder = kReference + "published/";

struct Asked {
    int held = 0, answered = 0, all = 0;
    std::vector<std::string> missed;
};

/// The first measurable reading of a name that is of the charge.
const Reading* ofTheCharge(const Analysis& a, const std::string& name, double knee_s) {
    for (const Reading& r : a.readings) {
        if (r.name != name || !r.measurable()) continue;
        if (name == "rested_voltage" &&
            a.steps.list[static_cast<std::size_t>(r.evidence.step) - 1].kind != StepKind::CvCharge)
            continue;
        if (name.starts_with("resistance") && r.evidence.from_s > knee_s) continue;
        return &r;
    }
    return nullptr;
}

void ask(std::map<std::string, Asked>& asked, const nlohmann::json& cell, const Analysis& a,
         const std::string& file) {
    for (const auto& [name, truth] : cell["truth"].items()) {
        Asked& q = asked[name];
        ++q.all;
        const Reading* r = ofTheCharge(a, name, cell["truth"]["knee_time"]);
        if (r == nullptr) continue;
        ++q.answered;
        const bool held = std::abs(r->value - truth.get<double>()) <= r->expanded();
        q.held += held ? 1 : 0;
        if (!held)
            q.missed.push_back(file + ": " + std::to_string(r->value) + " ± " +
                               std::to_string(r->expanded()) + " for " +
                               std::to_string(truth.get<double>()));
    }
}

/// A log of one cell by its card; nothing, and a failure, where it cannot be read.
std::optional<Analysis> analysed(const std::string& path, const nlohmann::json& cell) {
    const auto log = readLogFile(path);
    EXPECT_TRUE(log) << (log ? "" : log.error().text());
    if (!log) return std::nullopt;
    Battery b;
    b.chemistry = cell["chemistry"];
    b.series = 1;
    b.rated_Ah = cell["rated_Ah"];
    return analyse(*log->recording, b);
}

std::vector<StepKind> kindsOf(const Analysis& a) {
    std::vector<StepKind> out;
    for (const Step& s : a.steps.list) out.push_back(s.kind);
    return out;
}

TEST(PublishedCells, HaveTheirStepsAndTheIntervalsHoldWhatTheModelKnows) {
    std::ifstream in(kFolder + "truth.json");
    const auto cells = nlohmann::json::parse(in);
    ASSERT_EQ(cells.size(), 12U);
    std::map<std::string, Asked> asked;
    for (const auto& cell : cells) {
        const std::string file = cell["file"];
        SCOPED_TRACE(file);
        const auto a = analysed(kFolder + file, cell);
        ASSERT_TRUE(a);
        const std::vector<StepKind> kinds = kindsOf(*a);
        EXPECT_EQ(kinds, (std::vector{StepKind::Rest, StepKind::CcCharge, StepKind::CvCharge,
                                      StepKind::Rest, StepKind::CcDischarge, StepKind::Rest}));
        EXPECT_EQ(a->steps.list[1].endedBy, EndedBy::VoltageLimit);
        EXPECT_EQ(a->steps.list[2].endedBy, EndedBy::Taper);
        EXPECT_EQ(a->steps.list[4].endedBy, EndedBy::VoltageFloor);
        for (const Finding& f : a->findings) {
            EXPECT_NE(f.severity, Severity::Hazard) << f.text;
            EXPECT_NE(f.code, "stopped_early") << f.text;
            EXPECT_NE(f.code, "not_terminated") << f.text;
            EXPECT_NE(f.code, "wrong_chemistry") << f.text;
        }
        ask(asked, cell, *a, file);
    }
    int held = 0;
    int answered = 0;
    for (const auto& [name, q] : asked) {
        held += q.held, answered += q.answered;
        // Of twelve one may lie outside by right, two now and then.
        EXPECT_GE(q.held + 1, q.answered) << name << " " << testing::PrintToString(q.missed);
        // Rows five and more seconds apart have no answer after one second, two tapers no end.
        if (name != "resistance_1s" && name != "resistance_10s") {
            EXPECT_GE(q.answered, 10) << name;
        }
    }
    EXPECT_GE(answered, 120);
    EXPECT_GE(held * 100, answered * 93);
}

TEST(PublishedCells, WithHeatInTheColdAndInAHurryHoldWhatTheModelKnows) {
    // Nine published sets, 0.2 to 2C, 5 to 40 °C, stops at C/8 to C/40, constant current and power.
    std::ifstream in(kReference + "heated/truth.json");
    const auto cells = nlohmann::json::parse(in);
    ASSERT_GE(cells.size(), 16U);
    std::map<std::string, Asked> asked;
    std::size_t right = 0;
    for (const auto& cell : cells) {
        const std::string file = cell["file"];
        SCOPED_TRACE(file);
        const auto a = analysed(kReference + "heated/" + file, cell);
        ASSERT_TRUE(a);
        const std::vector<StepKind> kinds = kindsOf(*a);
        const StepKind load =
            cell["watts"].get<bool>() ? StepKind::CpDischarge : StepKind::CcDischarge;
        right += kinds ==
                 std::vector{StepKind::Rest, StepKind::CcCharge, StepKind::CvCharge, StepKind::Rest,
                             load,           StepKind::Rest};
        ask(asked, cell, *a, file);
    }
    // A taper of four rows in the noise of a coarse display is none.
    EXPECT_GE(right + 1, cells.size());
    int held = 0;
    int answered = 0;
    for (const auto& [name, q] : asked) {
        held += q.held, answered += q.answered;
        EXPECT_GE(q.held + 2, q.answered) << name << " " << testing::PrintToString(q.missed);
        EXPECT_GE(q.answered + 3, q.all) << name;
    }
    EXPECT_GE(held * 100, answered * 93);
}

}  // namespace
}  // namespace nk
