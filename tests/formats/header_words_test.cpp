// The shipped words of logger headers, and titles as people and loggers write them.
#include <gtest/gtest.h>

#include <map>
#include <set>
#include <stdexcept>

#include "formats/header.h"
#include "formats/header_words.h"

namespace nk {
namespace {

TEST(HeaderWords, EveryWordStandsUnderOneRoleFoldedAndSmall) {
    std::map<std::string, Role> seen;
    for (const HeaderWords::Entry& e : headerWords().roles) {
        const std::string word(e.text);
        EXPECT_EQ(folded(word), word);
        EXPECT_TRUE(seen.emplace(word, e.role).second) << word << " stands twice";
        EXPECT_GE(e.score, 1);
        EXPECT_LE(e.score, 9);
    }
    EXPECT_GT(seen.size(), 150U);
    std::set<Role> roles;
    for (const auto& [word, role] : seen) roles.insert(role);
    for (const Role role : {Role::Time, Role::Date, Role::Voltage, Role::Current, Role::Temperature,
                            Role::CounterAh, Role::CounterWh, Role::Power, Role::Mode,
                            Role::SampleNumber, Role::Step, Role::Resistance})
        EXPECT_TRUE(roles.contains(role)) << toString(role);
}

TEST(HeaderWords, ALongWordNamesItsColumnAlone) {
    int asked = 0;
    for (const HeaderWords::Entry& e : headerWords().roles) {
        // Short ones are units or letters; weak ones need a second witness.
        if (e.text.size() < 4 || e.score < 5) continue;
        if (parseUnit(std::string(e.text))) continue;
        ++asked;
        EXPECT_EQ(readHeaderCell(e.text).role, e.role) << e.text;
        std::string shouted(e.text);
        for (char& c : shouted) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
        EXPECT_EQ(readHeaderCell(shouted).role, e.role) << shouted;
    }
    EXPECT_GT(asked, 100);
}

TEST(HeaderWords, RolesAreNamedBothWays) {
    for (int k = 0; k < 16; ++k) {
        const auto role = static_cast<Role>(k);
        EXPECT_EQ(roleFrom(toString(role)), role);
    }
    EXPECT_EQ(roleFrom("volts"), std::nullopt);
}

TEST(HeaderWords, ADamagedListNamesItsLine) {
    const auto problem = [](std::string_view text) -> std::string {
        try {
            parseHeaderWords(text);
        } catch (const std::logic_error& e) {
            return e.what();
        }
        return {};
    };
    EXPECT_EQ(problem("# a remark\n\nvoltage 7: volt\n"), "");
    EXPECT_NE(problem("voltage 7: volt\nvoltage: u\n").find("line 2"), std::string::npos);
    EXPECT_NE(problem("voltage 7 volt").find("no colon"), std::string::npos);
    EXPECT_NE(problem("colour 7: red").find("no such role"), std::string::npos);
    EXPECT_NE(problem("voltage x: volt").find("line 1"), std::string::npos);
    EXPECT_NE(problem("voltage 0: volt").find("no sureness"), std::string::npos);
    const HeaderWords words = parseHeaderWords("cell:  zelle   cel\ncharging: in\nvoltage 3: v u");
    EXPECT_EQ(words.cells, (std::vector<std::string_view>{"zelle", "cel"}));
    EXPECT_EQ(words.charging.size(), 1U);
    ASSERT_EQ(words.roles.size(), 2U);
    EXPECT_EQ(words.roles[1].score, 3);
}

struct Title {
    const char* text;
    Role role;
    const char* unit;  ///< of a factor to SI below; null: none
    double factor = 1;
    int number = 0;
    int direction = 0;
};

void PrintTo(const Title& title, std::ostream* out) {
    *out << title.text;
}

class Titles : public testing::TestWithParam<Title> {};

TEST_P(Titles, IsReadAsWritten) {
    const Title& t = GetParam();
    const Column c = readHeaderCell(t.text);
    EXPECT_EQ(c.role, t.role) << t.text << " is read as " << toString(c.role);
    EXPECT_EQ(c.unit.has_value(), t.unit != nullptr) << t.text;
    if (c.unit && t.unit != nullptr) {
        EXPECT_EQ(c.unitText, t.unit);
        EXPECT_DOUBLE_EQ(c.unit->factor, t.factor) << t.text;
    }
    EXPECT_EQ(c.number, t.number) << t.text;
    EXPECT_EQ(c.direction, t.direction) << t.text;
}

INSTANTIATE_TEST_SUITE_P(
    AsLoggersWriteThem, Titles,
    testing::Values(
        Title{"Voltage (V)", Role::Voltage, "V"}, Title{"U_Bat [mV]", Role::Voltage, "mV", 1e-3},
        Title{"Spannung/V", Role::Voltage, "V"}, Title{"Current_mA", Role::Current, "mA", 1e-3},
        Title{"Entladestrom (A)", Role::Current, "A", 1, 0, -1},
        Title{"Ladestrom [mA]", Role::Current, "mA", 1e-3, 0, 1},
        Title{"Prąd rozładowania [A]", Role::Current, "A", 1, 0, -1},
        Title{"Température (°C)", Role::Temperature, "°C"},
        Title{"Cell 3 (V)", Role::Cell, "V", 1, 3},
        Title{"Zelle12 [mV]", Role::Cell, "mV", 1e-3, 12},
        Title{"Celda 2", Role::Cell, nullptr, 1, 2},
        Title{"Capacity (mAh)", Role::CounterAh, "mAh", 1e-3},
        Title{"Energie [Wh]", Role::CounterWh, "Wh"}, Title{"Puissance (W)", Role::Power, "W"},
        Title{"Innenwiderstand", Role::Resistance, nullptr}, Title{"Schritt", Role::Step, nullptr},
        Title{"#", Role::SampleNumber, nullptr}, Title{"Betriebsart", Role::Mode, nullptr},
        Title{"Uhrzeit", Role::Time, nullptr}, Title{"Data", Role::Date, nullptr},
        Title{"favourite colour", Role::Ignore, nullptr}));

TEST(HeaderWords, ASettingIsLessSureThanTheMeasuredValue) {
    for (const auto& [setting, measured] : {std::pair{"Set voltage (V)", "Voltage (V)"},
                                            {"max current [A]", "current [A]"},
                                            {"Input voltage", "Voltage"},
                                            {"board temp", "temp"}})
        EXPECT_LT(readHeaderCell(setting).score, readHeaderCell(measured).score) << setting;
}

TEST(HeaderWords, OneColumnOfEachKindIsKeptTheSurest) {
    std::vector<Column> columns;
    for (const char* title : {"Time (s)", "Input voltage (V)", "Voltage (V)", "Current (A)",
                              "Cell 1 (V)", "Cell 2 (V)", "Ladestrom (A)", "Date"})
        columns.push_back(readHeaderCell(title));
    settleRoles(columns);
    EXPECT_EQ(columns[1].role, Role::Ignore);
    EXPECT_EQ(columns[2].role, Role::Voltage);
    EXPECT_EQ(columns[4].role, Role::Cell);
    EXPECT_EQ(columns[5].role, Role::Cell) << "of cells all are kept";
    int currents = 0;
    for (const Column& c : columns) currents += c.role == Role::Current;
    EXPECT_EQ(currents, 1);
    // A lone numbered voltage is the battery's; a date alone is the time.
    columns = {readHeaderCell("Date"), readHeaderCell("Cell 1"), readHeaderCell("Current")};
    settleRoles(columns);
    EXPECT_EQ(columns[0].role, Role::Time);
    EXPECT_EQ(columns[1].role, Role::Voltage);
    // What goes in and what comes out, and none of both: two columns of one current.
    columns = {readHeaderCell("Ladestrom (A)"), readHeaderCell("Entladestrom (A)")};
    settleRoles(columns);
    EXPECT_EQ(columns[0].role, Role::ChargeCurrent);
    EXPECT_EQ(columns[1].role, Role::DischargeCurrent);
}

struct ModeWord {
    const char* text;
    std::optional<int> sign;
};

void PrintTo(const ModeWord& word, std::ostream* out) {
    *out << word.text;
}

class ModeWords : public testing::TestWithParam<ModeWord> {};

TEST_P(ModeWords, TellTheDirection) {
    EXPECT_EQ(modeSign(GetParam().text), GetParam().sign) << GetParam().text;
}

INSTANTIATE_TEST_SUITE_P(
    InSevenLanguages, ModeWords,
    testing::Values(ModeWord{"Charge", 1}, ModeWord{"CHARGING", 1}, ModeWord{"CC Chg", 1},
                    ModeWord{"Laden", 1}, ModeWord{"Entladen", -1}, ModeWord{"Discharge", -1},
                    ModeWord{"Décharge", -1}, ModeWord{"Descarga", -1}, ModeWord{"carga", 1},
                    ModeWord{"Scarica", -1}, ModeWord{"carica", 1}, ModeWord{"Ontladen", -1},
                    ModeWord{"rozładowanie", -1}, ModeWord{"ładowanie", 1}, ModeWord{"Rest", 0},
                    ModeWord{"Ruhe", 0}, ModeWord{"pauza", 0}, ModeWord{"Idle", 0},
                    ModeWord{"D", -1}, ModeWord{"C", 1}, ModeWord{"trickle", 1},
                    ModeWord{"", std::nullopt}, ModeWord{"blue", std::nullopt}));

TEST(HeaderWords, WhatStandsForNothingIsMissing) {
    for (const char* cell : {"", "NaN", "n/a", "-", "---", "null", "OL", "#N/A", "inf"})
        EXPECT_TRUE(isMissing(cell)) << cell;
    for (const char* cell : {"0", "-1", "1e5", "nancy", "------"})
        EXPECT_FALSE(isMissing(cell)) << cell;
}

}  // namespace
}  // namespace nk
