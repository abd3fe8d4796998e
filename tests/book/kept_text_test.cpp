// What the book keeps as text beside its columns: cards, lives, notes, summaries, readings by hand,
// instruments. It comes back as it was; damaged or written by another hand it is read for what is
// whole in it, refused, or counts as not given, and never becomes a figure that cannot be.
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <random>

#include "book/instruments.h"
#include "book/life.h"
#include "book/notes.h"
#include "tests/support/book_state.h"

namespace nk {
namespace {

using nlohmann::json;

/// A JSON text damaged at one place: a value of another kind, a huge or negative number, a part cut
/// off, bytes that are no text.
std::string damaged(const std::string& text, std::mt19937& random) {
    if (random() % 4 == 0) {
        std::string out = text;
        const std::size_t at = out.empty() ? 0 : random() % out.size();
        switch (random() % 3) {
            case 0:
                return out.substr(0, at);
            case 1:
                out.insert(at, "\xFF\xC0\x00", 3);
                return out;
            default:
                if (!out.empty()) out[at] = static_cast<char>(random());
                return out;
        }
    }
    json j = json::parse(text, nullptr, false);
    if (!j.is_object() || j.empty()) return "[]";
    auto at = j.begin();
    std::advance(at, random() % j.size());
    static const json kOdd[] = {nullptr,
                                true,
                                -1,
                                1e308,
                                -1e308,
                                "nan",
                                "",
                                json::array(),
                                json::object(),
                                json::array({1, "x", nullptr}),
                                std::string(5000, 'x'),
                                18446744073709551615ULL};
    *at = kOdd[random() % std::size(kOdd)];
    return j.dump();
}

Battery fullCard(std::mt19937& random) {
    const auto some = [&] { return 0.01 * static_cast<double>(1 + random() % 400); };
    Battery b;
    b.name = "Lamp", b.chemistry = "nmc", b.series = 3, b.rated_Ah = 2;
    b.label_C = some(), b.ambient_C = 20 + some();
    b.charger.current_A = some(), b.charger.cutoff_A = some(), b.charger.charge_Ah = some();
    b.rules = {"timer:90min", "taper:C/20"};
    MakerLimits m;
    m.set_V = 4.1 + 0.02 * static_cast<double>(random() % 5), m.dischargeFloor_V = 2.9;
    m.chargeMin_C = 3, m.chargeMax_C = 42, m.chargeC = 0.6;
    b.setLimits(m);
    b.setOwnCurve({{0, 0.5, 1}, {3.0, 3.6, 4.15}, 0.02});
    return b;
}

void expectSane(const Battery& b) {
    EXPECT_TRUE(std::isfinite(b.label_C));
    EXPECT_GE(b.label_C, 0);
    EXPECT_GE(b.charger.current_A, 0);
    EXPECT_TRUE(std::isfinite(b.charger.current_A));
    const Chemistry* c = b.chemistryData();
    ASSERT_NE(c, nullptr);
    EXPECT_GT(c->set_V, 3.5);
    EXPECT_LE(c->set_V, 4.46);
    EXPECT_GT(c->chargeC, 0);
    EXPECT_LE(c->chargeC, 10);
    EXPECT_LT(c->chargeMin_C, c->chargeMax_C);
    for (double soc = 0; soc <= 1; soc += 0.1) {
        EXPECT_TRUE(std::isfinite(c->ocv.voltage_V(soc)));
        EXPECT_GT(c->ocv.voltage_V(soc), 1);
        EXPECT_LT(c->ocv.voltage_V(soc), 6);
    }
    for (double v = 2.5; v < 4.3; v += 0.1) {
        EXPECT_GE(c->ocv.soc(v), 0);
        EXPECT_LE(c->ocv.soc(v), 1);
    }
}

TEST(KeptCards, ComeBackAsTheyWere) {
    std::mt19937 random(1);
    for (int k = 0; k < 200; ++k) {
        const Battery b = fullCard(random);
        Battery back;
        back.chemistry = "nmc";
        readCard(cardJson(b), back);
        EXPECT_EQ(cardJson(back), cardJson(b));
        EXPECT_EQ(back.label_C, b.label_C);
        EXPECT_EQ(back.ambient_C, b.ambient_C);
        EXPECT_EQ(back.rules, b.rules);
        EXPECT_EQ(back.limits().set_V, b.limits().set_V);
        EXPECT_EQ(back.ownCurve().voltage_V, b.ownCurve().voltage_V);
    }
    Battery empty, back;
    readCard(cardJson(empty), back);
    EXPECT_EQ(cardJson(back), cardJson(empty));
}

TEST(KeptCards, DamagedTheyNeverBecomeWhatCannotBe) {
    std::mt19937 random(2);
    for (int k = 0; k < 4000; ++k) {
        std::string text = cardJson(fullCard(random));
        for (unsigned n = 1 + random() % 3; n > 0; --n) text = damaged(text, random);
        Battery b;
        b.chemistry = "nmc", b.series = 3, b.rated_Ah = 2;
        readCard(text, b);
        SCOPED_TRACE(text.substr(0, 300));
        expectSane(b);
        if (testing::Test::HasFailure()) return;
    }
}

TEST(KeptCards, CurvesOfAnotherHandRiseOrAreNone) {
    for (const char* curve :
         {R"({"soc": [0, 1], "voltage_V": [4, 3]})", R"({"soc": [1, 0], "voltage_V": [3, 4]})",
          R"({"soc": [0, 0, 1], "voltage_V": [3, 3.5, 4]})", R"({"soc": [0], "voltage_V": [3]})",
          R"({"soc": [0, 0.5, 1], "voltage_V": [3, 4]})",
          R"({"soc": [0, 1], "voltage_V": [-1e300, 1e300]})",
          R"({"soc": [-5, 9], "voltage_V": [3, 4]})", R"({"soc": [0, 1], "voltage_V": [0, 0]})",
          R"({"soc": [0, 1], "voltage_V": [3, 4], "uncertainty_V": -1})"}) {
        Battery b;
        b.chemistry = "nmc", b.series = 1, b.rated_Ah = 2;
        readCard(std::string(R"({"open_circuit": )") + curve + "}", b);
        SCOPED_TRACE(curve);
        expectSane(b);
        EXPECT_GT(b.chemistryData()->ocvSpread_V, 0);
    }
}

TEST(KeptLives, ComeBackAndDamagedTheyAreReadForWhatIsWhole) {
    std::mt19937 random(3);
    BatteryLife life;
    life.serial = "a \"b\" <c>", life.usedIn = "多", life.notes = "one\ntwo", life.worth = 12.5;
    life.worthUnit = "km", life.inUseSince_s = 1.7e9, life.bought_s = 1.6e9;
    life.tags = {"field", "winter"}, life.outOfUse = "swollen";
    BatteryLife back;
    readLife(lifeJson(life), back);
    EXPECT_TRUE(back == life);
    for (int k = 0; k < 3000; ++k) {
        std::string text = lifeJson(life);
        for (unsigned n = 1 + random() % 3; n > 0; --n) text = damaged(text, random);
        BatteryLife read;
        readLife(text, read);
        EXPECT_LE(read.notes.size(), 10'000U);
        EXPECT_FALSE(read.worth <= 0) << text;
        for (const std::string& tag : read.tags)
            EXPECT_EQ(tag.find(','), std::string::npos) << text;
        // What was read can be shown and kept again.
        BatteryLife again;
        readLife(lifeJson(read), again);
        EXPECT_TRUE(again == read) << text.substr(0, 300);
    }
}

TEST(KeptInstruments, ComeBackAndWildAccuraciesAreTheUsual) {
    std::mt19937 random(4);
    Instrument instrument;
    instrument.name = "Desk", instrument.note = "a \"note\"";
    instrument.accuracy.voltageGain = 0.001, instrument.accuracy.currentOffsetSteps = 3;
    instrument.shapes = {"time,voltage", "t;v;i"};
    Instrument back;
    back.name = "Desk";
    readInstrumentCard(instrumentCard(instrument), back);
    EXPECT_TRUE(back == instrument);
    for (int k = 0; k < 3000; ++k) {
        std::string text = accuracyJson(instrument.accuracy);
        for (unsigned n = 1 + random() % 2; n > 0; --n) text = damaged(text, random);
        const InstrumentAccuracy a = readAccuracy(text);
        for (const double x : {a.voltageGain, a.currentGain}) {
            EXPECT_GE(x, 0) << text;
            EXPECT_LE(x, 1) << text;
        }
        for (const double x : {a.voltageOffsetSteps, a.currentOffsetSteps, a.temperature_C}) {
            EXPECT_TRUE(std::isfinite(x)) << text;
            EXPECT_GE(x, 0) << text;
        }
        Instrument read;
        readInstrumentCard(damaged(instrumentCard(instrument), random), read);
        EXPECT_LE(read.shapes.size(), 1000U);
    }
}

TEST(KeptSummaries, ComeBackAndDamagedTheyShowNoNonsense) {
    std::mt19937 random(5);
    RecordingSummary s;
    s.capacity_Ah = 2.1, s.health_percent = 88, s.rate_C = 0.5, s.mean_A = 1.2;
    s.floor_V_per_cell = 3.0, s.highest_C = 31, s.resistance_ohm = 0.058;
    s.resistanceMethod = "resistance_10s", s.moved_Ah = 4.4, s.hazard = true;
    const RecordingSummary back = readSummary(summaryJson(s));
    EXPECT_EQ(summaryJson(back), summaryJson(s));
    EXPECT_EQ(back.capacity_Ah, 2.1);
    EXPECT_TRUE(back.hazard);
    for (int k = 0; k < 2000; ++k) {
        const RecordingSummary read = readSummary(damaged(summaryJson(s), random));
        for (const double x : {read.capacity_Ah, read.health_percent, read.resistance_ohm})
            EXPECT_FALSE(std::isinf(x));
    }
    SpotReading spot;
    spot.method = "ac_1khz", spot.temperature_C = 21, spot.current_A = 1, spot.note = "n";
    spot.repeats = {1, 2, 3};
    SpotReading again;
    readSpotDetails(spotDetailsJson(spot), again);
    EXPECT_EQ(again.repeats, spot.repeats);
    EXPECT_EQ(again.note, spot.note);
    for (int k = 0; k < 2000; ++k) {
        SpotReading read;
        readSpotDetails(damaged(spotDetailsJson(spot), random), read);
        for (const double x : read.repeats) EXPECT_TRUE(std::isfinite(x));
    }
}

TEST(KeptNotes, OfALogComeBackOrAreRefusedAsAWhole) {
    std::mt19937 random(6);
    Imported log = test::smallLog();
    log.dialect.guesses = {"one", "two \"quoted\""};
    const std::string text = notesJson(log);
    RecordingData data;
    std::vector<std::string> guesses;
    ASSERT_TRUE(readNotes(text, data, guesses));
    EXPECT_EQ(guesses, log.dialect.guesses);
    EXPECT_EQ(data.textStep_V, log.recording->data().textStep_V);
    EXPECT_EQ(data.gaps.size(), log.recording->gaps().size());
    for (int k = 0; k < 3000; ++k) {
        RecordingData read;
        std::vector<std::string> said;
        const auto ok = readNotes(damaged(text, random), read, said);
        if (!ok) {
            EXPECT_FALSE(ok.error().what.empty());
            continue;
        }
        EXPECT_TRUE(std::isfinite(read.textStep_V));
        EXPECT_TRUE(std::isfinite(read.textStep_A));
    }
}

}  // namespace
}  // namespace nk
