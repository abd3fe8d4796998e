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
