// Words in another language and number style: for one thread, and never for values.
#include "quantity/phrase.h"

#include <gtest/gtest.h>

#include <thread>

#include "quantity/format.h"

namespace nk {
namespace {

Presentation german() {
    Presentation p;
    p.style.decimal = ',';
    p.translate = [](const char* english) -> std::string {
        const std::string s = english;
        if (s == "One gap of {} in the log.") return "Eine Lücke von {} im Log.";
        if (s == "{} of {}") return "von {1} sind es {0}";
        if (s == "broken {}") return "zu viele {} {} {}";
        return {};
    };
    return p;
}

TEST(Phrase, EnglishWithAPointUntilSomeoneAsks) {
    EXPECT_EQ(phrase("One gap of {} in the log.", 3), "One gap of 3 in the log.");
    EXPECT_EQ(phrase("{:.2f} V, {:+.1f} %", 4.205, -1.25), "4.21 V, \u22121.2 %")
        << "a true minus sign, as in every number";
    EXPECT_EQ(phrase("no places {left} alone"), "no places {left} alone");
}

TEST(Phrase, AnotherLanguageMayChangeTheOrder) {
    const Presenting presenting(german());
    EXPECT_EQ(phrase("One gap of {} in the log.", "2 h"), "Eine Lücke von 2 h im Log.");
    EXPECT_EQ(phrase("{} of {}", 1.5, 2), "von 2 sind es 1,5");
    EXPECT_EQ(phrase("not translated {:.1f}", 0.5), "not translated 0,5");
    EXPECT_EQ(phrase("broken {}", 7), "broken 7") << "a translation that does not fit is not used";
}

TEST(Phrase, HoldsForItsScopeAndThreadOnly) {
    {
        const Presenting presenting(german());
        std::string other;
        std::thread([&] { other = phrase("One gap of {} in the log.", 1); }).join();
        EXPECT_EQ(other, "One gap of 1 in the log.");
    }
    EXPECT_EQ(phrase("One gap of {} in the log.", 1), "One gap of 1 in the log.");
}

TEST(Phrase, WhatIsWrittenDownIsSaidToEachReaderInHisOwnWay) {
    std::string kept;
    std::string mixed;
    {
        const Presenting window(german());
        const Recorded down;
        kept = phrase("One gap of {} in the log.", shortValue(0.48, "V"));
        mixed = "log.csv: " + phrase("{} of {}", 1.5, phrase("One gap of {} in the log.", 3));
        EXPECT_EQ(retold(kept), "Eine Lücke von 0,480\u202FV im Log.") << "the window's language";
    }
    EXPECT_TRUE(isRecorded(kept));
    EXPECT_EQ(retold(kept), "One gap of 0.480\u202FV in the log.");
    EXPECT_EQ(retold(mixed), "log.csv: 1.5 of One gap of 3 in the log.");
    const Presenting presenting(german());
    EXPECT_EQ(retold(kept), "Eine Lücke von 0,480\u202FV im Log.");
    EXPECT_EQ(retold(mixed), "log.csv: von Eine Lücke von 3 im Log. sind es 1,5");
    EXPECT_EQ(retold("any other text {}"), "any other text {}");
}

TEST(Phrase, WhatSomebodyElseWroteDownDoesNoHarm) {
    std::string nested = "x";
    {
        const Recorded down;
        for (int k = 0; k < 100; ++k) nested = phrase("{} of {}", nested, k);
        EXPECT_LT(retold(phrase("{:999999999}", 1)).size(), 100U);
        EXPECT_LT(retold(phrase("{:{}}", 1, 1000000000)).size(), 100U);
    }
    EXPECT_LT(retold(nested).size(), nested.size());
    std::string good;
    {
        const Recorded down;
        good = phrase("One gap of {} in the log.", 3);
    }
    for (std::size_t cut = 0; cut < good.size(); ++cut) (void)retold(good.substr(0, cut));
    for (std::size_t at = 0; at < good.size(); ++at)
        for (const char c : {'\x02', '\x03', '9', ':', '{'}) {
            std::string bad = good;
            bad[at] = c;
            (void)retold(bad);
        }
    for (const char* bad : {"\x02", "\x02t", "\x02t99999999999999999999:x", "\x02t-1:x",
                            "\x02\x02\x03", "\x02t1:{d3:abc\x03", "\x02s1:x\x03"})
        EXPECT_LT(retold(bad).size(), 100U);
}

TEST(Format, FollowsTheStyleOfTheThread) {
    Presentation p;
    p.style = {',', true, ChargeUnit::AmpHours};
    const Presenting presenting(p);
    EXPECT_EQ(shortValue(0.48, "Ah"), "0,480\u202FAh");
    EXPECT_EQ(shortValue(25, "C"), "77,0\u202F°F");
    EXPECT_EQ(valueText(1.0, 0.1, "C/min").joined(), "1,80 ± 0,36\u202F°F/min")
        << "a rate of change has no zero point";
    p.style = {'.', false, ChargeUnit::MilliAmpHours};
    const Presenting again(p);
    EXPECT_EQ(shortValue(4.3, "Ah"), "4300\u202FmAh");
}

}  // namespace
}  // namespace nk
