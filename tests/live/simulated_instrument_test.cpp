// The simulated instrument: its line protocol, its faults, what its chargers do.
#include "cellmodel/simulated_instrument.h"

#include <gtest/gtest.h>

#include <cmath>
#include <sstream>

using namespace nk;

namespace {

std::vector<double> numbers(const std::string& text) {
    std::vector<double> out;
    std::istringstream in(text);
    std::string part;
    while (std::getline(in, part, ',')) out.push_back(std::atof(part.c_str()));
    return out;
}

TEST(SimulatedInstrument, SpeaksInTheMannerOfTheStandard) {
    SimulatedInstrument i;
    // IEEE 488.2, 10.14: *IDN? answers four fields.
    EXPECT_EQ(i.answer("*IDN?"), "Narrow Knee,simulated instrument,0,1.0");
    EXPECT_EQ(i.answer("*OPC?"), "1");
    EXPECT_EQ(i.answer("SYST:ERR?"), "0,\"No error\"");
    // Headers are the same in small letters, and several messages are parted by semicolons.
    EXPECT_EQ(i.answer("*idn?;*opc?"), "Narrow Knee,simulated instrument,0,1.0;1");
    EXPECT_TRUE(i.answer("FOO:BAR 1").empty());
    // SCPI-99, 21.8: −113 is an undefined header, −222 a figure out of range.
    EXPECT_EQ(i.answer("syst:err?").substr(0, 4), "-113");
    i.answer("SIM:SPEED 1e9");
    EXPECT_EQ(i.answer("SYST:ERR?").substr(0, 4), "-222");
    i.answer("MEAS? (@7)");
    EXPECT_EQ(i.answer("SYST:ERR?").substr(0, 4), "-222");
    EXPECT_EQ(i.answer("SYST:ERR?"), "0,\"No error\"");
    EXPECT_EQ(i.answer("BATT? (@2)"), "Radio module 3,nimh,8,2");
    for (int k = 0; k < 100; ++k) i.answer("NONSENSE");
    int errors = 0;
    while (i.answer("SYST:ERR?") != "0,\"No error\"") ++errors;
    EXPECT_LE(errors, 20) << "a queue has an end";
}

TEST(SimulatedInstrument, ChargesUntilItsEndAndDischargesToItsFloor) {
    SimulatedInstrument i(3);
    const auto first = numbers(i.answer("MEAS? (@1)"));
    ASSERT_EQ(first.size(), 4U);
    i.advance(600);
    const auto later = numbers(i.answer("MEAS? (@1)"));
    EXPECT_NEAR(later[0] - first[0], 600, 1);
    EXPECT_GT(later[2], 0.3);
    EXPECT_LT(later[1], 12.65);
    EXPECT_EQ(i.answer("OUTP? (@1)"), "1");
    i.advance(4 * 3600);
    EXPECT_EQ(i.answer("OUTP? (@1)"), "0") << "the current has tapered off";
    EXPECT_EQ(i.answer("OUTP? (@2)"), "0") << "the nickel peak was caught";
    EXPECT_EQ(i.answer("OUTP? (@3)"), "0") << "the floor was reached";
    EXPECT_NEAR(numbers(i.answer("MEAS? (@2)"))[2], 0, 0.02);
    i.answer("CONF (@4),DISC,5,13.5");
    i.advance(60);
    EXPECT_NEAR(numbers(i.answer("MEAS? (@4)"))[2], -5, 0.05);
    i.answer("OUTP (@4),OFF");
    i.advance(1);
    EXPECT_NEAR(numbers(i.answer("MEAS? (@4)"))[2], 0, 0.02);
    // Beyond the fault voltage nothing is accepted.
    i.answer("CONF (@1),CHAR,2,20");
    EXPECT_EQ(i.answer("SYST:ERR?").substr(0, 4), "-222");
}

TEST(SimulatedInstrument, HasFaultsOnDemand) {
    SimulatedInstrument i(4);
    i.answer("SIM:FAULT (@2),never_stops");
    i.answer("SIM:FAULT (@1),hot");
    i.advance(3600);
    EXPECT_GT(numbers(i.answer("MEAS? (@1)"))[3], 45);
    i.advance(3 * 3600);
    EXPECT_EQ(i.answer("OUTP? (@2)"), "1");
    EXPECT_GT(numbers(i.answer("MEAS? (@2)"))[3], 30) << "overcharged nickel warms";
    i.answer("SIM:FAULT (@3),drop_out");
    int silent = 0;
    for (int k = 0; k < 120; ++k) {
        i.advance(1);
        silent += i.answer("MEAS? (@3)").empty() ? 1 : 0;
    }
    EXPECT_NEAR(silent, 60, 3);
    i.answer("SIM:FAULT (@4),clock");
    i.advance(40);
    EXPECT_LT(numbers(i.answer("MEAS? (@4)"))[0], i.time_s() - 3000);
    i.answer("SIM:FAULT (@4),what");
    EXPECT_EQ(i.answer("SYST:ERR?").substr(0, 4), "-224");
    EXPECT_FALSE(SimulatedInstrument::faultOf("fire"));
    // Bytes that are no command at all.
    std::string wild;
    for (int k = 0; k < 500; ++k) wild += static_cast<char>(k * 37);
    i.answer(wild);
    i.answer("CONF (@1),CHAR,nan,inf");
    i.answer("MEAS? (@");
    EXPECT_EQ(i.answer("*OPC?"), "1");
}

}  // namespace
