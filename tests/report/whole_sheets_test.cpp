// Every sheet and picture of every demo log: well-formed markup whatever the names are, no word
// that a translator was not asked for, the same figures in every language, and calendars and tables
// as their standards have them.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <sstream>

#include "analysis/rating/strength_study.h"
#include "report/battery_sheet.h"
#include "report/calendar.h"
#include "report/export.h"
#include "report/matching_sheet.h"
#include "report/sheet.h"
#include "report/side_sheet.h"
#include "report/text.h"
#include "tests/support/markup.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

using test::faultOf;
using test::shownText;
using test::wordsOutside;

const char* const kNames[] = {"Dew heater 2", "<b>\"bold\" & 'more'</b>", "]]> <!-- --> &amp;",
                              "Größe 多 🔋", "a\nb\tc"};

/// A language that marks every sentence that was looked up.
Presentation marked() {
    Presentation p;
    p.translate = [](const char* english) {
        return *english == 0 ? std::string()
                             : "\xE2\x9F\xA6" + std::string(english) + "\xE2\x9F\xA7";
    };
    return p;
}

struct Shown {
    test::Logged log;
    Analysis analysis;
};

/// Every scenario that ships, analysed in the language that is spoken now.
std::vector<Shown> everyLog() {
    std::vector<Shown> out;
    for (const auto& [name, json] : scenarioFiles()) {
        Shown s{test::logged(std::string(json)), {}};
        s.analysis = analyse(*s.log.imported.recording, s.log.scenario.battery);
        out.push_back(std::move(s));
    }
    return out;
}

/// The same in English, made once.
const std::vector<Shown>& inEnglish() {
    static const std::vector<Shown> all = everyLog();
    return all;
}

std::string sheetOf(const Shown& s, const std::string& name) {
    SheetInput in;
    in.title = in.batteryName = in.source = in.madeOn = name;
    in.recording = s.log.imported.recording.get(), in.analysis = &s.analysis;
    return benchSheetHtml(in, curveSvg(*in.recording, s.analysis.steps, 900, 500));
}

TEST(WholeSheets, AreWellFormedWhateverTheNamesAre) {
    EXPECT_EQ(faultOf("<a b='1'><br>x &amp; y</a>"), "");
    EXPECT_NE(faultOf("<a><b></a></b>"), "") << "the checker itself";
    EXPECT_NE(faultOf("x & y"), "");
    EXPECT_NE(faultOf("<a b=1></a>"), "");
    for (const Shown& s : inEnglish())
        for (const char* name : kNames) {
            const std::string html = sheetOf(s, name);
            EXPECT_EQ(faultOf(html), "") << s.log.scenario.name << " " << name;
            EXPECT_EQ(html.find("<b>\"bold"), std::string::npos);
            EXPECT_EQ(html.find("<b>&quot;bold"), std::string::npos);
            EXPECT_EQ(html.find(" nan"), std::string::npos);
            EXPECT_EQ(html.find("{}"), std::string::npos);
        }
}

TEST(WholeSheets, PicturesStayInTheirFrameAtEverySize) {
    for (const Shown& s : inEnglish())
        for (const auto& [width, height] : {std::pair(300, 160), {900, 500}, {2000, 900}}) {
            const std::string svg =
                curveSvg(*s.log.imported.recording, s.analysis.steps, width, height);
            EXPECT_EQ(faultOf(svg), "") << s.log.scenario.name;
            EXPECT_EQ(svg.find("nan"), std::string::npos) << s.log.scenario.name;
            EXPECT_EQ(svg.find("inf"), std::string::npos) << s.log.scenario.name;
            // Every text and line begins within the picture.
            for (const char* where : {" x='", " x1='", " cx='"}) {
                for (auto at = svg.find(where); at != std::string::npos;
                     at = svg.find(where, at + 1)) {
                    const double x = std::stod(svg.substr(at + std::string(where).size()));
                    EXPECT_GE(x, -2) << s.log.scenario.name;
                    EXPECT_LE(x, width + 2) << s.log.scenario.name;
                }
            }
            EXPECT_LT(svg.size(), 600'000U) << "a picture, not the log";
        }
}

TEST(WholeSheets, NoWordIsLeftThatNoTranslatorWasAskedFor) {
    const Presenting now(marked());
    // Units and the names of kinds are the same in every language.
    const std::set<std::string> everywhere{
        "mAh",     "min",     "NMC",  "LFP",     "LiPo", "NiMH", "NiCd", "mWh", "LTO",   "LMO",
        "Lithium", "polymer", "high", "voltage", "ion",  "LCO",  "NCA",  "SHA", "HAZARD"};
    for (const Shown& s : everyLog()) {
        const std::string shown = shownText(sheetOf(s, "N0"));
        for (const std::string& word : wordsOutside(shown))
            EXPECT_TRUE(everywhere.contains(word))
                << s.log.scenario.name << ": \"" << word << "\" near \""
                << shown.substr(shown.find(word) > 30 ? shown.find(word) - 30 : 0, 80) << "\"";
    }
}

TEST(WholeSheets, FiguresAreTheSameInEveryLanguage) {
    const auto digits = [](const std::string& text) {
        std::string out;
        for (const char c : shownText(text))
            if (std::isdigit(static_cast<unsigned char>(c)) != 0) out += c;
        return out;
    };
    std::vector<std::string> english;
    for (const Shown& s : inEnglish()) english.push_back(digits(sheetOf(s, "N")));
    Presentation comma = marked();
    comma.style.decimal = ',';
    const Presenting now(comma);
    std::size_t k = 0;
    for (const Shown& s : everyLog()) {
        const std::string html = sheetOf(s, "N");
        EXPECT_EQ(digits(html), english[k++]) << s.log.scenario.name;
        EXPECT_EQ(faultOf(html), "") << s.log.scenario.name;
    }
}

TEST(WholeSheets, OfABatteryIsOneWhateverIsKnownOfIt) {
    for (const char* name : kNames)
        for (int known = 0; known < 4; ++known) {
            BatterySheetInput in;
            in.battery.name = name, in.madeOn = name;
            if (known > 0)
                in.battery.chemistry = "nmc", in.battery.series = 3, in.battery.rated_Ah = 2;
            if (known > 1) {
                in.verdict.verdict = "watch";
                in.verdict.reasons = {{"rule", name, 0.7, 0.8, 1}, {"other", name, kNaN, kNaN, 0}};
                in.life.serial = in.life.usedIn = in.life.notes = name;
                in.life.outOfUse = name;
                SpotReading spot;
                spot.kind = "resistance", spot.value = 0.05, spot.note = name, spot.method = name;
                in.spots = {spot};
            }
            if (known > 2)
                for (int n = 0; n < 12; ++n) {
                    RecordingEntry e;
                    e.id = n + 1, e.title = e.fileName = name, e.sha256 = std::string(64, 'f');
                    e.startEpoch_s = n % 2 ? kNaN : 1.7e9 + 86400.0 * n;
                    in.recordings.push_back(e);
                    StoredReading r;
                    r.recordingId = e.id, r.name = "delivered_capacity", r.unit = "Ah";
                    r.value = n == 3 ? kNaN : 2 - 0.05 * n, r.low = r.value - 0.02;
                    r.high = n == 5 ? kNaN : r.value + 0.02, r.method = name;
                    in.readings.push_back(r);
                }
            const std::string html = batterySheetHtml(in, capacitySvg(in, 700, 260));
            EXPECT_EQ(faultOf(html), "") << name << " " << known;
            EXPECT_EQ(shownText(html).find("nan"), std::string::npos) << known;
        }
}

TEST(WholeSheets, OfAMatchingIsOneForEveryShapeOfPack) {
    for (const char* name : kNames)
        for (const auto& [series, parallel] : {std::pair(1, 1), {1, 9}, {12, 1}, {3, 4}}) {
            std::vector<MatchModule> modules;
            for (int k = 0; k < series * parallel + 2; ++k) {
                MatchModule m;
                m.name = name + std::to_string(k), m.capacity_Ah = 2 - 0.01 * k;
                if (k % 2) m.resistance_ohm = 0.02;
                modules.push_back(m);
            }
            MatchWish wish;
            wish.series = series, wish.parallel = parallel;
            const auto matching = matchModules(modules, wish);
            ASSERT_TRUE(matching) << matching.error().text();
            const std::string html = matchingSheetHtml(modules, *matching, name, {});
            EXPECT_EQ(faultOf(html), "") << name << " " << series << "x" << parallel;
            EXPECT_EQ(shownText(html).find("nan"), std::string::npos) << series;
        }
}

// --------------------------------------------------------------------------------- tables,
// calendars

/// The cells of a table after RFC 4180: quotes doubled inside quotes.
std::vector<std::vector<std::string>> cellsOf(const std::string& csv) {
    using Row = std::vector<std::string>;
    std::vector<Row> rows(1, Row(1));
    bool quoted = false;
    for (std::size_t k = 0; k < csv.size(); ++k) {
        const char c = csv[k];
        std::string& cell = rows.back().back();
        if (quoted) {
            if (c == '"' && k + 1 < csv.size() && csv[k + 1] == '"')
                cell += '"', ++k;
            else if (c == '"')
                quoted = false;
            else
                cell += c;
        } else if (c == '"') {
            quoted = true;
        } else if (c == ',') {
            rows.back().emplace_back();
        } else if (c == '\n') {
            rows.push_back(Row(1));
        } else if (c != '\r') {
            cell += c;
        }
    }
    if (rows.back().size() == 1 && rows.back()[0].empty()) rows.pop_back();
    return rows;
}

TEST(Tables, HaveAsManyCellsInEveryRowAsInTheHead) {
    for (const Shown& s : inEnglish())
        for (const std::string& csv : {stepsCsv(s.analysis), readingsCsv(s.analysis),
                                       samplesCsv(*s.log.imported.recording)}) {
            const auto rows = cellsOf(csv);
            ASSERT_GE(rows.size(), 2U) << s.log.scenario.name;
            for (const auto& row : rows)
                ASSERT_EQ(row.size(), rows.front().size()) << s.log.scenario.name;
        }
}

TEST(Tables, SayWhatTheAnalysisSays) {
    for (const Shown& s : inEnglish()) {
        const auto rows = cellsOf(readingsCsv(s.analysis));
        ASSERT_EQ(rows.size(), s.analysis.readings.size() + 1) << s.log.scenario.name;
        const auto column = [&](const char* title) {
            const auto at = std::find(rows[0].begin(), rows[0].end(), title);
            EXPECT_NE(at, rows[0].end()) << title;
            return static_cast<std::size_t>(at - rows[0].begin());
        };
        const std::size_t name = column("reading");
        const std::size_t value = column("value");
        for (std::size_t k = 1; k < rows.size(); ++k) {
            const Reading& r = s.analysis.readings[k - 1];
            EXPECT_EQ(rows[k][name], r.name);
            if (r.measurable()) {
                EXPECT_NEAR(std::stod(rows[k][value]), r.value, 1e-6 * std::abs(r.value) + 1e-12);
            } else {
                EXPECT_TRUE(rows[k][value].empty()) << "what is not known is empty, never 0";
            }
        }
    }
}

/// Content lines of a calendar, unfolded (RFC 5545, 3.1).
std::vector<std::string> unfolded(const std::string& ics) {
    std::vector<std::string> out;
    std::istringstream in(ics);
    for (std::string line; std::getline(in, line);) {
        EXPECT_TRUE(!line.empty() && line.back() == '\r') << "lines end in CRLF";
        EXPECT_LE(line.size(), 76U) << "no line over 75 octets";
        if (!line.empty()) line.pop_back();
        if (!out.empty() && (line.starts_with(" ") || line.starts_with("\t")))
            out.back() += line.substr(1);
        else
            out.push_back(line);
    }
    return out;
}

TEST(Calendars, AreAsTheStandardHasThemWhateverTheNames) {
    for (const char* name : kNames) {
        std::vector<DueTask> tasks;
        for (int k = 0; k < 5; ++k) {
            DueTask t;
            t.batteryId = k + 1, t.battery = name, t.task = k % 2 ? "retest" : "storage_check";
            t.due_s = 1.7e9 + 86400.0 * 40 * k;
            t.text = std::string(name) + ", do it; now " + std::string(150, 'w');
            t.reason = name;
            tasks.push_back(t);
        }
        const auto lines = unfolded(dueCalendar(tasks, 1.75e9));
        ASSERT_GE(lines.size(), 4U);
        EXPECT_EQ(lines.front(), "BEGIN:VCALENDAR");
        EXPECT_EQ(lines.back(), "END:VCALENDAR");
        std::vector<std::string> open;
        std::set<std::string> identifiers;
        std::size_t events = 0;
        for (const std::string& line : lines) {
            if (line.starts_with("BEGIN:")) open.push_back(line.substr(6));
            if (line.starts_with("END:")) {
                ASSERT_FALSE(open.empty());
                EXPECT_EQ(open.back(), line.substr(4));
                open.pop_back();
            }
            if (line == "BEGIN:VEVENT") ++events;
            if (line.starts_with("UID:")) identifiers.insert(line);
            // A comma or semicolon of a text is escaped, and no text ends a line.
            if (line.starts_with("SUMMARY:") || line.starts_with("DESCRIPTION:")) {
                for (std::size_t k = 9; k < line.size(); ++k)
                    if (line[k] == ',' || line[k] == ';') {
                        EXPECT_EQ(line[k - 1], '\\') << line;
                    }
            }
        }
        EXPECT_TRUE(open.empty());
        EXPECT_EQ(events, tasks.size());
        EXPECT_EQ(identifiers.size(), tasks.size()) << "each event has its own";
        // Later, the same tasks have the same identifiers: a calendar moves them.
        for (const std::string& line : unfolded(dueCalendar(tasks, 1.76e9)))
            if (line.starts_with("UID:")) {
                EXPECT_TRUE(identifiers.contains(line));
            }
    }
}

}  // namespace
}  // namespace nk
