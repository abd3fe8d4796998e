// The bench sheet of a battery: its verdict, and what proves a false label.
#include "report/battery_sheet.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

using namespace nk;
using testing::HasSubstr;
using testing::Not;

namespace {

BatterySheetInput sheet(const char* verdict) {
    BatterySheetInput in;
    in.battery.name = "Torch <b>cell</b>";
    in.battery.rated_Ah = 3;
    in.madeOn = "today";
    in.verdict.verdict = verdict;
    in.verdict.reasons = {
        {"false_label", "It gave 1.2 Ah of 3.0 Ah when it was new.", 0.4, 0.75, 1}};
    in.life.serial = "X-9";
    RecordingEntry e;
    e.id = 1;
    e.title = "First night";
    e.sha256 = std::string(64, 'a');
    in.recordings = {e};
    for (const char* name : {"delivered_capacity", "health_capacity"}) {
        StoredReading r;
        r.recordingId = 1;
        r.name = name;
        r.step = 2;
        r.value = 1.2;
        r.low = 1.18;
        r.high = 1.22;
        r.unit = "Ah";
        r.conditions.cRate = 0.2;
        in.readings.push_back(r);
    }
    return in;
}

TEST(BatterySheet, AFalseLabelIsProvedWithTheHashOfItsLog) {
    const std::string h = batterySheetHtml(sheet("return"), "");
    EXPECT_THAT(h, HasSubstr("Return it: the label is false"));
    EXPECT_THAT(h, HasSubstr(std::string(64, 'a')));
    EXPECT_THAT(h, HasSubstr("X-9"));
    EXPECT_THAT(h, HasSubstr("0.2C"));
    EXPECT_THAT(h, Not(HasSubstr("<b>cell")));
}

TEST(BatterySheet, AnotherVerdictStandsWithItsReasonsAlone) {
    const std::string h = batterySheetHtml(sheet("watch"), "");
    EXPECT_THAT(h, HasSubstr("Watch it"));
    EXPECT_THAT(h, Not(HasSubstr(std::string(64, 'a'))));
    EXPECT_THAT(batterySheetHtml(sheet(""), ""), Not(HasSubstr("Not enough known")));
}

}  // namespace
