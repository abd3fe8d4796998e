// Sheets that are handed on (build sheet, curves side by side) and the writer of long answers.
#include <gtest/gtest.h>

#include <algorithm>
#include <cstring>
#include <limits>

#include "quantity/format.h"
#include "report/json_writer.h"
#include "report/matching_sheet.h"
#include "report/side_sheet.h"

namespace nk {
namespace {

const std::string kEvil = "<script>alert('x')</script> & \"more\"";

std::size_t count(const std::string& text, std::string_view part) {
    std::size_t n = 0;
    for (auto at = text.find(part); at != std::string::npos; at = text.find(part, at + part.size()))
        ++n;
    return n;
}

TEST(SideSheet, SaysWhichLogsAndStepsItShows) {
    SideSheetInput in;
    in.title = "2 curves side by side";
    in.axes = "Voltage, V over Charge, Ah";
    in.madeOn = "1 May 2026";
    in.sentences = {"spring gives 6 % less than autumn."};
    in.rows = {{"autumn", "Cell A", "autumn.csv", "1 Oct 2025", "", ""},
               {"step 4", "Cell A", "spring.csv", "", "4 · discharge, 2.1 Ah", "0.12"}};
    const std::string html = sideSheetHtml(in, "<svg id=\"curves\"></svg>");
    EXPECT_EQ(count(html, "<svg id=\"curves\">"), 1U);
    EXPECT_EQ(count(html, "<tr>"), 3U) << "a head and a line for each curve";
    EXPECT_NE(html.find("whole log"), std::string::npos);
    EXPECT_NE(html.find("4 · discharge, 2.1 Ah"), std::string::npos);
    EXPECT_NE(html.find("spring gives 6 % less"), std::string::npos);
    EXPECT_NE(html.find("1 May 2026"), std::string::npos);
    EXPECT_EQ(count(html, "<td>–</td>"), 2U) << "what is not known or not done has a dash";
    EXPECT_LT(html.find("What differs"), html.find("The curves"));
}

TEST(SideSheet, NamesFromFilesAreTextAndNothingElse) {
    SideSheetInput in;
    in.title = kEvil;
    in.axes = kEvil;
    in.madeOn = kEvil;
    in.sentences = {kEvil};
    in.rows = {{kEvil, kEvil, kEvil, kEvil, kEvil, kEvil}};
    const std::string html = sideSheetHtml(in, {});
    EXPECT_EQ(html.find("<script"), std::string::npos);
    EXPECT_GE(count(html, "&lt;script&gt;"), 9U);
}

TEST(SideSheet, WithoutSentencesThereIsNoEmptyHeading) {
    SideSheetInput in;
    in.title = "one";
    EXPECT_EQ(sideSheetHtml(in, {}).find("What differs"), std::string::npos);
}

std::vector<MatchModule> modules() {
    std::vector<MatchModule> out;
    for (const double ah : {2.5, 2.4, 2.45, 2.38, 2.52, 2.41, 2.0}) {
        MatchModule m;
        m.name = "M" + std::to_string(out.size() + 1);
        m.capacity_Ah = ah;
        m.resistance_ohm = 0.02;
        out.push_back(m);
    }
    return out;
}

TEST(MatchingSheet, EveryModuleStandsInItsGroupOrAmongTheSpares) {
    const auto all = modules();
    MatchWish wish;
    wish.series = 3;
    wish.parallel = 2;
    const auto matching = matchModules(all, wish);
    ASSERT_TRUE(matching);
    const std::string html = matchingSheetHtml(all, *matching, "1 May 2026", {});
    EXPECT_NE(html.find("3 groups of 2"), std::string::npos);
    for (const MatchModule& m : all) EXPECT_EQ(count(html, m.name + " ("), 1U) << m.name;
    EXPECT_NE(html.find("Spares: M7"), std::string::npos) << "the weak one is left over";
    for (std::size_t k = 0; k < matching->groups.size(); ++k) {
        double sum = 0;
        for (const int m : matching->groups[k].modules)
            sum += all[static_cast<std::size_t>(m)].capacity_Ah;
        EXPECT_NEAR(matching->groups[k].capacity_Ah, sum, 1e-12);
        EXPECT_NE(html.find(shortValue(sum, "Ah", {})), std::string::npos);
        EXPECT_NEAR(matching->groups[k].resistance_ohm, 0.01, 1e-12) << "two in parallel";
    }
    // The cautions are on it (common practice, no source).
    for (const char* caution : {"one voltage", "swollen", "fuse", "60 V"})
        EXPECT_NE(html.find(caution), std::string::npos) << caution;
}

TEST(MatchingSheet, ANameFromATableIsText) {
    auto all = modules();
    all[0].name = kEvil;
    MatchWish wish;
    wish.series = 2;
    wish.parallel = 2;
    const auto matching = matchModules(all, wish);
    ASSERT_TRUE(matching);
    EXPECT_EQ(matchingSheetHtml(all, *matching, {}, {}).find("<script"), std::string::npos);
}

TEST(MatchingSheet, ThePackHoldsWhatItsSmallestGroupHolds) {
    const auto all = modules();
    const Matching by = measureMatching(all, {{0, 1}, {2, 3}, {4, 5}});
    EXPECT_NEAR(by.pack_Ah, 4.83, 1e-9);
    EXPECT_NEAR(by.spread_Ah, 4.93 - 4.83, 1e-9);
    std::string words;
    for (const std::string& w : matchingWords(all, by)) words += w + "\n";
    EXPECT_NE(words.find("4.83"), std::string::npos) << words;
}

TEST(JsonWriter, AParserReadsWhatWasWritten) {
    JsonWriter w;
    w.beginObject();
    w.key("name").text("a \"quoted\" \\ line\nwith \x01 and ü");
    w.key("broken").text("lone \xC3 byte");
    w.key("number").number(0.1);
    w.key("unknown").number(std::numeric_limits<double>::quiet_NaN());
    w.key("without_end").number(std::numeric_limits<double>::infinity());
    w.key("whole").whole(-9007199254740993LL);
    w.key("yes").boolean(true);
    w.key("none").null();
    w.key("interval").interval(1, 2);
    w.key("no_interval").interval(1, std::numeric_limits<double>::quiet_NaN());
    w.key("empty").beginList().endList();
    w.key("texts").texts({"a", "b"});
    w.key("other").value({{"x", 1}, {"y", {1, 2}}});
    w.key("inner").beginObject().key("k").number(-1e-300).endObject();
    w.endObject();
    const auto j = nlohmann::json::parse(w.done());
    EXPECT_EQ(j["name"], "a \"quoted\" \\ line\nwith \x01 and ü");
    EXPECT_TRUE(j["broken"].get<std::string>().starts_with("lone "));
    EXPECT_EQ(j["number"], 0.1) << "to the last bit";
    EXPECT_TRUE(j["unknown"].is_null() && j["without_end"].is_null() && j["none"].is_null());
    EXPECT_EQ(j["whole"], -9007199254740993LL);
    EXPECT_EQ(j["interval"], nlohmann::json({1.0, 2.0}));
    EXPECT_TRUE(j["no_interval"].is_null());
    EXPECT_TRUE(j["empty"].empty());
    EXPECT_EQ(j["texts"].size(), 2U);
    EXPECT_EQ(j["other"]["y"][1], 2);
    EXPECT_EQ(j["inner"]["k"], -1e-300);
}

TEST(JsonWriter, ManyMembersKeepTheirOrderOnTwoThreadsAndInPieces) {
    for (const std::size_t n : {0U, 1U, 8191U, 8192U, 20000U, 50001U}) {
        std::string all;
        std::size_t pieces = 0;
        JsonWriter w([&](std::string_view piece) { all += piece, ++pieces; });
        w.beginObject().key("list").beginList();
        w.many(n, [](JsonWriter& one, std::size_t k) {
            one.beginObject().key("k").whole(static_cast<std::int64_t>(k)).endObject();
        });
        w.endList().key("after").boolean(true).endObject();
        w.done();
        const auto j = nlohmann::json::parse(all);
        ASSERT_EQ(j["list"].size(), n);
        EXPECT_TRUE(j["after"].get<bool>());
        bool ordered = true;
        for (std::size_t k = 0; k < n; ++k) ordered = ordered && j["list"][k]["k"] == k;
        EXPECT_TRUE(ordered) << n;
        if (n > 20000) {
            EXPECT_GT(pieces, 1U) << "it is handed on while it is made";
        }
    }
}

TEST(JsonWriter, AnyDoubleComesBackTheSame) {
    std::uint64_t state = 88172645463325252ULL;
    JsonWriter w;
    std::vector<double> all;
    w.beginList();
    for (int k = 0; k < 3000; ++k) {
        state ^= state << 13, state ^= state >> 7, state ^= state << 17;
        double x = 0;
        static_assert(sizeof x == sizeof state);
        std::memcpy(&x, &state, sizeof x);
        if (!std::isfinite(x)) continue;
        all.push_back(x);
        w.number(x);
    }
    w.endList();
    const auto j = nlohmann::json::parse(w.done());
    ASSERT_EQ(j.size(), all.size());
    for (std::size_t k = 0; k < all.size(); ++k) ASSERT_EQ(j[k].get<double>(), all[k]) << k;
}

}  // namespace
}  // namespace nk
