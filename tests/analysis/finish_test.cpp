#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gsl/gsl_multifit_nlinear.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <random>

#include "analysis/finish/nickel.h"
#include "analysis/finish/relaxation.h"
#include "analysis/finish/replay.h"
#include "analysis/finish/taper.h"
#include "tests/support/sim.h"

using namespace nk;
using nk::test::logged;

namespace {

Battery lithium(double rated = 2.0) {
    Battery b;
    b.chemistry = "nmc";
    b.series = 1;
    b.rated_Ah = rated;
    return b;
}

/// Constant current, then an exact exponential tail: I = I0·exp(−t/τ) + floor.
RecordingPtr tail(double tau_s, double end_A, double floor_A = 0, double interval_s = 1,
                  double noise_A = 0, unsigned seed = 1) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0, 1);
    std::vector<double> t, v, i;
    double time = 0;
    for (; time < 300; time += interval_s) t.push_back(time), v.push_back(3.6), i.push_back(0);
    for (; time < 3900; time += interval_s)
        t.push_back(time), v.push_back(3.7 + 0.5 * (time - 300) / 3600), i.push_back(1.0);
    const double knee = time;
    for (;; time += interval_s) {
        const double x = (1 - floor_A) * std::exp(-(time - knee) / tau_s) + floor_A;
        if (x < end_A) break;
        t.push_back(time), v.push_back(4.2), i.push_back(x);
    }
    for (int k = 0; k < 300; ++k, time += interval_s)
        t.push_back(time), v.push_back(4.18), i.push_back(0);
    for (double& x : i) x = std::round((x + noise_A * noise(random)) * 1e4) / 1e4;
    RecordingData d;
    d.time_s = t, d.voltage_V = v, d.current_A = i;
    d.textStep_V = 1e-3, d.textStep_A = 1e-4;
    return Recording::make(std::move(d));
}

Analysis ofNickel(
    const std::string& chemistry, double rate_A, const std::string& charge,
    const std::string& logger = R"({"interval_s": 2, "noise_V": 0.0005, "noise_A": 0.001})",
    double rated = 2.0) {
    const auto log = logged(
        R"({"ambient_C": 20, "battery": {"chemistry": ")" + chemistry +
        R"(", "series": 1, "rated_Ah": 2.0, "r0_ohm": 0.03, "soc": 0.05}, "program": [{"do": "rest", "longest_s": 300}, {"do": "charge", "current_A": )" +
        std::to_string(rate_A) + "," + charge +
        R"(}, {"do": "rest", "longest_s": 1800}], "logger": )" + logger + "}");
    Battery b;
    b.chemistry = chemistry;
    b.series = 1;
    b.rated_Ah = rated;
    return analyse(*log.imported.recording, b);
}

bool has(const Analysis& a, const char* code) {
    return std::any_of(a.findings.begin(), a.findings.end(),
                       [&](const Finding& f) { return f.code == code; });
}

/// A nickel charge whose voltage is a parabola about its peak: analytic moments for every rule.
struct Parabola {
    static constexpr double kStart = 60, kPeak = 4860, kCurve = 2e-8;  // V/s²
    static double voltage(double t) { return 1.45 - kCurve * (t - kPeak) * (t - kPeak); }
    static RecordingPtr make(bool temperature = true) {
        std::vector<double> t, v, i, c;
        for (int k = 0; k <= 7260; ++k) {
            const double time = k;
            const bool on = time >= kStart;
            t.push_back(time);
            v.push_back(on ? voltage(time) : 1.2);
            i.push_back(on ? 1.0 : 0.0);
            c.push_back(on ? 20 + (time - kStart) / 300 : 20);
        }
        return nk::test::recording(t, v, i, temperature ? c : std::vector<double>{});
    }
};

ReplayResult replayed(const Recording& r, const std::string& rule, double rated = 2.0) {
    Battery b;
    b.chemistry = "nimh";
    b.series = 1;
    b.rated_Ah = rated;
    const Steps steps = findSteps(r, b);
    const InstrumentAccuracy accuracy;
    const AnalysisInput in{r, steps, b, accuracy};
    const auto parsed = parseRule(rule);
    EXPECT_TRUE(parsed) << rule;
    const auto all = replayAll(in, {*parsed});
    EXPECT_EQ(all.size(), 1u);
    return all.empty() ? ReplayResult{} : all.front();
}

}  // namespace

TEST(Taper, AnalyticTailGivesItsTimeConstantAndTheChargeLeft) {
    // τ = 3600·R/k and charge left = I·τ/3600 (docs/methods.md §5): R = 0.1 Ω, k = 0.4 V/Ah → 900
    // s.
    const double tau = 3600 * 0.1 / 0.4;
    const auto r = tail(tau, 0.1);
    const Analysis a = analyse(*r, lithium());
    ASSERT_NE(a.reading("taper_time_constant"), nullptr);
    EXPECT_NEAR(a.reading("taper_time_constant")->value, tau, 5);
    // Until the current is under a thousandth of the rated 2 Ah.
    const double left = (0.1 - 0.002) * tau / 3600;
    const Reading* missing = a.reading("charge_left_at_stop");
    EXPECT_NEAR(missing->value, left, 0.0001);
    // How a tail goes on is the cell's own; it is a plain exponential here, but who knows that.
    EXPECT_LT(missing->expanded(), 0.35 * left);
    // What it holds is not in the log: anything from what went in on.
    const Reading* full = a.reading("fullness_at_stop");
    for (const double holds : {1.3, 1.6, 2.05})
        EXPECT_NEAR(full->value, 100 * (1 - left / holds), full->expanded()) << holds;
    EXPECT_TRUE(has(a, "stopped_early") == false) << "0.1 A is C/20";
}

TEST(Taper, AFloorIsTakenOnlyWhenItIsSeen) {
    const auto seen = analyse(*tail(600, 0.0505, 0.05), lithium());
    EXPECT_NEAR(seen.reading("taper_time_constant")->value, 600, 20);
    EXPECT_NEAR(seen.reading("charge_left_at_stop")->value, 0.0005 * 600 / 3600, 0.0005);
    const auto early = analyse(*tail(600, 0.2, 0), lithium());
    EXPECT_NEAR(early.reading("charge_left_at_stop")->value, 0.2 * 600 / 3600, 0.002);
    EXPECT_TRUE(has(early, "stopped_early") == false) << "0.2 A is C/10";
    EXPECT_TRUE(has(analyse(*tail(600, 0.35), lithium()), "stopped_early"));
}

// Outside check: GSL's trust-region Levenberg–Marquardt fit of the same late tail.
TEST(Taper, AgreesWithAnIndependentFittingLibrary) {
    const auto r = tail(750, 0.08, 0, 1, 0.002, 9);
    const Steps steps = findSteps(*r, lithium());
    const auto cv = std::find_if(steps.list.begin(), steps.list.end(),
                                 [](const Step& s) { return s.kind == StepKind::CvCharge; });
    ASSERT_NE(cv, steps.list.end());
    const auto fit = fitTaper(*r, *cv);
    ASSERT_TRUE(fit);
    struct Data {
        std::vector<double> t, y;
    } data;
    for (std::size_t k = cv->first; k <= cv->last; ++k)
        if (r->time_s()[k] >= fit->start_s)
            data.t.push_back(r->time_s()[k] - fit->start_s), data.y.push_back(r->current_A()[k]);
    gsl_multifit_nlinear_fdf fdf{};
    fdf.f = [](const gsl_vector* x, void* p, gsl_vector* f) {
        const auto& d = *static_cast<Data*>(p);
        for (std::size_t k = 0; k < d.t.size(); ++k)
            gsl_vector_set(
                f, k, gsl_vector_get(x, 0) * std::exp(-d.t[k] / gsl_vector_get(x, 1)) - d.y[k]);
        return 0;
    };
    fdf.n = data.t.size();
    fdf.p = 2;
    fdf.params = &data;
    auto parameters = gsl_multifit_nlinear_default_parameters();
    auto* work = gsl_multifit_nlinear_alloc(gsl_multifit_nlinear_trust, &parameters, fdf.n, 2);
    double guess[2] = {0.5, 500};
    const auto view = gsl_vector_view_array(guess, 2);
    gsl_multifit_nlinear_init(&view.vector, &fdf, work);
    int info = 0;
    ASSERT_EQ(gsl_multifit_nlinear_driver(200, 1e-10, 1e-10, 0, nullptr, nullptr, &info, work), 0);
    EXPECT_NEAR(fit->tau_s, gsl_vector_get(gsl_multifit_nlinear_position(work), 1), 0.02 * 750);
    EXPECT_NEAR(fit->amplitude_A, gsl_vector_get(gsl_multifit_nlinear_position(work), 0), 0.01);
    gsl_multifit_nlinear_free(work);
}

TEST(Taper, SimulatedCellsTruthLiesInTheInterval) {
    // The same cell charged on to next to nothing tells what was missing at the stop.
    const auto in = [](double cutoff) {
        const auto log = logged(
            R"({"ambient_C": 21, "battery": {"chemistry": "nmc", "series": 3, "rated_Ah": 5.0, "capacity_Ah": 4.4, "r0_ohm": 0.0145, "soc": 0.1}, "program": [{"do": "rest", "longest_s": 600}, {"do": "charge", "current_A": 2, "set_V": 12.6, "cutoff_A": )" +
            std::to_string(cutoff) +
            R"(}, {"do": "rest", "longest_s": 300}], "logger": {"noise_A": 0.0005}})");
        Battery b;
        b.chemistry = "nmc", b.series = 3, b.rated_Ah = 5.0;
        return std::pair(log.phase(ProgramStep::Kind::Charge).charge_Ah,
                         analyse(*log.imported.recording, b));
    };
    const double all = in(0.005).first;  // a thousandth of the rating
    for (const double cutoff : {0.25, 0.1}) {
        const auto [charge, a] = in(cutoff);
        const Reading* left = a.reading("charge_left_at_stop");
        ASSERT_NE(left, nullptr);
        EXPECT_NEAR(left->value, all - charge, left->expanded()) << cutoff;
    }
}

TEST(Taper, CutoffTableMarksWhatIsExtrapolated) {
    const auto r = tail(900, 0.1);
    const Battery b = lithium();
    const Steps steps = findSteps(*r, b);
    const InstrumentAccuracy accuracy;
    const AnalysisInput in{*r, steps, b, accuracy};
    int cv = -1;
    for (std::size_t k = 0; k < steps.list.size(); ++k)
        if (steps.list[k].kind == StepKind::CvCharge) cv = static_cast<int>(k);
    const auto rows = cutoffTable(in, cv);
    ASSERT_EQ(rows.size(), 5u);
    EXPECT_FALSE(rows[0].extrapolated);
    EXPECT_NEAR(rows[0].time_s, 3900 + 900 * std::log(1 / 0.4), 3);
    EXPECT_TRUE(rows[4].extrapolated);
    EXPECT_NEAR(rows[4].time_s, 3900 + 900 * std::log(1 / 0.04), 60);
    EXPECT_NEAR(rows[4].charge_Ah - rows[0].charge_Ah, (0.4 - 0.04) * 900 / 3600, 0.002);
    for (std::size_t k = 1; k < rows.size(); ++k)
        EXPECT_GT(rows[k].charge_Ah, rows[k - 1].charge_Ah);
    Battery unrated = b;
    unrated.rated_Ah = 0;
    EXPECT_TRUE(cutoffTable({*r, steps, unrated, accuracy}, cv).empty());
}

TEST(Relaxation, CarriesTheVoltageOnToItsRest) {
    std::vector<double> t, v, i;
    for (int k = 0; k < 600; ++k) t.push_back(k), v.push_back(4.1), i.push_back(1);
    for (int k = 600; k < 1800; ++k)
        t.push_back(k), v.push_back(4.05 + 0.05 * std::exp(-(k - 600) / 500.0)), i.push_back(0);
    const auto r = nk::test::recording(t, v, i);
    const Analysis a = analyse(*r, lithium());
    ASSERT_NE(a.reading("rested_voltage"), nullptr);
    EXPECT_NEAR(a.reading("rested_voltage")->value, 4.05, 0.002)
        << "not the 4.0545 V of the last sample";
    Step brief;
    brief.first = 600, brief.last = 640;
    EXPECT_FALSE(fitRelaxation(*r, brief));
}

TEST(Relaxation, TheIntervalHoldsTheTrueRest) {
    // Two relaxations at once, as real cells have, of any size and speed, logged for any time; the
    // instrument itself is taken as exact, so that only the carrying on is judged.
    std::mt19937 random(3);
    std::uniform_real_distribution<double> part(0, 1);
    InstrumentAccuracy exact;
    exact.voltageGain = 0, exact.voltageOffsetSteps = 0;
    int inside = 0, all = 0;
    std::string outside;
    for (int n = 0; n < 200; ++n) {
        const double quick_s = 10 + 60 * part(random);
        const double slow_s = 150 + 900 * part(random);
        const double a1 = 0.005 + 0.03 * part(random);
        const double a2 = 0.005 + 0.04 * part(random);
        const double length_s = 200 + 3400 * part(random);
        std::normal_distribution<double> noise(0, 0.0005 * part(random));
        const double step = part(random) < 0.5 ? 0.001 : 0.0001;
        std::vector<double> t, v, i;
        const auto add = [&](double volts, double amps) {
            t.push_back(static_cast<double>(t.size()));
            v.push_back(std::round((volts + noise(random)) / step) * step);
            i.push_back(amps);
        };
        for (int k = 0; k < 600; ++k) add(4.1 + 1e-4 * k, 1);
        for (int k = 0; k < length_s; ++k)
            add(4.05 + a1 * std::exp(-k / quick_s) + a2 * std::exp(-k / slow_s), 0);
        const Analysis a = analyse(*nk::test::recording(t, v, i), lithium(), {}, exact);
        const Reading* r = a.reading("rested_voltage");
        ASSERT_NE(r, nullptr);
        if (!r->measurable()) continue;
        ++all;
        if (std::abs(r->value - 4.05) <= 2 * r->uncertainty + step)
            ++inside;
        else
            outside += fmt::format(
                "\ntau {:.0f} {:.0f} s, {:.1f} {:.1f} mV, {:.0f} s: {:.1f} mV off, u {:.1f} mV",
                quick_s, slow_s, 1e3 * a1, 1e3 * a2, length_s, 1e3 * (r->value - 4.05),
                1e3 * r->uncertainty);
    }
    EXPECT_GT(all, 150);
    EXPECT_GE(inside, 0.9 * all) << inside << " of " << all << outside;
}

TEST(Nickel, PeakOfAQuickChargeAndNoneOfASlowOne) {
    const auto quick = ofNickel("nimh", 1.0, R"("peak_drop_V": 0.005, "longest_s": 14400)");
    ASSERT_NE(quick.reading("peak_time"), nullptr);
    EXPECT_GT(quick.reading("peak_drop_per_cell")->value, 0.004);
    EXPECT_FALSE(has(quick, "no_peak"));
    const auto slow = ofNickel("nimh", 0.2, R"("longest_s": 50000)",
                               R"({"interval_s": 10, "noise_V": 0.0005, "noise_A": 0.001})");
    EXPECT_EQ(slow.reading("peak_time"), nullptr);
    EXPECT_TRUE(has(slow, "no_peak"));
    // NiCd peaks more than NiMH (Linden, Handbook of Batteries, from memory).
    const auto longer = R"("longest_s": 9000)";
    EXPECT_GT(ofNickel("nicd", 1.0, longer).reading("peak_drop_per_cell")->value,
              1.3 * ofNickel("nimh", 1.0, longer).reading("peak_drop_per_cell")->value);
    EXPECT_TRUE(has(ofNickel("nimh", 1.0, R"("longest_s": 10800)"), "overcharged"));
}

TEST(Nickel, PeakTimeIsTheTrueOne) {
    for (const char* logger :
         {R"({"resolution_V": 1e-5})", R"({"interval_s": 5, "noise_V": 0.0008})",
          R"({"interval_s": 10, "resolution_V": 0.001})"}) {
        const auto log = logged(
            std::string(
                R"({"ambient_C": 20, "battery": {"chemistry": "nimh", "series": 4, "rated_Ah": 2.0, "r0_ohm": 0.03, "soc": 0.05}, "program": [{"do": "rest", "longest_s": 300}, {"do": "charge", "current_A": 1.0, "peak_drop_V": 0.006, "longest_s": 14400}, {"do": "rest", "longest_s": 600}], "logger": )") +
            logger + "}");
        Battery b;
        b.chemistry = "nimh", b.series = 4, b.rated_Ah = 2.0;
        const Analysis a = analyse(*log.imported.recording, b);
        ASSERT_NE(a.reading("peak_time"), nullptr) << logger;
        EXPECT_NEAR(a.reading("peak_time")->value, log.phase(ProgramStep::Kind::Charge).peak_s, 60)
            << logger;
    }
}

TEST(Nickel, ADipThatIsClimbedOutOfIsNoPeak) {
    // A leaf of a contact: 30 mV less for a minute, then on to the real peak.
    std::vector<double> t, v, i;
    for (int k = 0; k < 4000; ++k) {
        const double s = 2.0 * k;
        const double x = (s - 6000) / 1000;
        const bool dip = s > 1500 && s < 1560;
        t.push_back(s);
        v.push_back(s > 7000 ? 1.40 : 1.45 - 0.006 * x * x - (dip ? 0.03 : 0));
        i.push_back(s > 7000 ? 0.0 : 1.0);
    }
    Battery b;
    b.chemistry = "nimh", b.series = 1, b.rated_Ah = 2.2;
    const Analysis a = analyse(*nk::test::recording(t, v, i), b);
    const Reading* peak = a.reading("peak_time");
    ASSERT_NE(peak, nullptr);
    EXPECT_NEAR(peak->value, 6000, 60);
    EXPECT_NEAR(a.reading("peak_drop_per_cell")->value, 0.006, 0.001);
}

TEST(Replay, FiresAtTheAnalyticMoment) {
    const auto r = Parabola::make();
    // −ΔV: c·x² = 5 mV → x = √(δ/c) after the peak.
    const double minus = Parabola::kPeak + std::sqrt(0.005 / Parabola::kCurve);
    EXPECT_NEAR(replayed(*r, "-dv:5mV").time_s, minus, 1.5);
    EXPECT_NEAR(replayed(*r, "-dv:5mV").overcharge_Ah, (minus - Parabola::kPeak) / 3600, 0.001);
    EXPECT_NEAR(replayed(*r, "0dv:5min").time_s, Parabola::kPeak + 300, 1.5);
    EXPECT_NEAR(replayed(*r, "timer:1h").time_s, Parabola::kStart + 3600, 1.5);
    EXPECT_NEAR(replayed(*r, "input:50%").time_s, Parabola::kStart + 3600, 2.5);
    EXPECT_NEAR(replayed(*r, "tmax:35C").time_s, Parabola::kStart + 4500, 2);
    EXPECT_NEAR(replayed(*r, "dt:15C").time_s, Parabola::kStart + 4500, 20);
    EXPECT_NEAR(replayed(*r, "dtdt:0.1C/min").time_s, Parabola::kStart + 600, 2)
        << "as soon as it may listen";
    EXPECT_NEAR(replayed(*r, "timer:1h|-dv:5mV").time_s, Parabola::kStart + 3600, 1.5)
        << "whichever comes first";
    EXPECT_EQ(replayed(*r, "timer:1h|-dv:5mV").overcharge_Ah, 0);
    EXPECT_EQ(replayed(*r, "timer:9h").fired, Fired::No);
    EXPECT_EQ(replayed(*r, "-dv:5mV@holdoff=3h").fired, Fired::No);
}

TEST(Replay, SaysWhenItCannotDecide) {
    EXPECT_EQ(replayed(*Parabola::make(false), "tmax:50C").fired, Fired::Undecidable);
    EXPECT_EQ(replayed(*Parabola::make(false), "dt:15C|timer:1h").fired, Fired::Yes)
        << "the timer decides";
    EXPECT_EQ(replayed(*Parabola::make(), "input:100%", 0).fired, Fired::Undecidable);
    // Steps of 10 mV hide a fall of 5 mV.
    std::vector<double> t, v, i;
    for (int k = 0; k < 8000; ++k)
        t.push_back(k), v.push_back(std::round(Parabola::voltage(k) * 100) / 100), i.push_back(1);
    RecordingData d;
    d.time_s = t, d.voltage_V = v, d.current_A = i, d.textStep_V = 0.01, d.textStep_A = 0.01;
    const auto coarse = Recording::make(std::move(d));
    EXPECT_EQ(replayed(*coarse, "-dv:5mV").fired, Fired::Undecidable);
    EXPECT_FALSE(replayed(*coarse, "-dv:5mV").caveats.empty());
    EXPECT_EQ(replayed(*coarse, "-dv:10mV").fired, Fired::Yes);
}

TEST(Replay, RulesAreReadOrRefusedWithWhatIsAccepted) {
    for (const char* good :
         {"-dv:5mV", "-dv:0.005V", "0dv:5min", "0dv:300s:1mV", "inflection", "dtdt:1C/min",
          "dtdt:60K/h", "dt:15C", "tmax:50C", "tmax:122F", "timer:16h", "input:120%", "taper:C/20",
          "taper:0.05A", "taper:50mA", "-dv:5mV|timer:2h@holdoff=10min"})
        EXPECT_TRUE(parseRule(good)) << good;
    EXPECT_NEAR(parseRule("tmax:122F")->conditions[0].threshold, 50, 1e-9);
    EXPECT_NEAR(parseRule("dtdt:60K/h")->conditions[0].threshold, 1, 1e-9);
    EXPECT_NEAR(parseRule("taper:C/20")->conditions[0].taperFraction, 0.05, 1e-12);
    EXPECT_EQ(parseRule("-dv:5mV@holdoff=0s")->holdOff_s, 0);
    for (const char* bad :
         {"", "|", "dv", "-dv", "-dv:", "-dv:5A", "-dv:-5mV", "timer:0h", "input:120", "taper:C/0",
          "0dv:5min:1mV:2", "-dv:5mV@later", "magic:3"}) {
        const auto rule = parseRule(bad);
        ASSERT_FALSE(rule) << bad;
        EXPECT_THAT(rule.error().accepted, testing::HasSubstr("-dv:5mV")) << bad;
    }
}

TEST(Replay, TaperRuleOnALithiumCharge) {
    const auto r = tail(900, 0.05);
    const Battery b = lithium();
    const Steps steps = findSteps(*r, b);
    const InstrumentAccuracy accuracy;
    const auto results =
        replayAll({*r, steps, b, accuracy}, {*parseRule("taper:C/10"), *parseRule("taper:0.01A")});
    ASSERT_EQ(results.size(), 2u);
    EXPECT_NEAR(results[0].time_s, 3900 + 900 * std::log(5.0), 3);
    EXPECT_EQ(results[1].fired, Fired::No);
}

TEST(Audit, FaultyChargersAreNamed) {
    const auto charge = [](const std::string& chemistry, const std::string& steps,
                           const std::string& more = "") {
        const auto log =
            logged(R"({"ambient_C": 20, "battery": {"chemistry": ")" + chemistry +
                   R"(", "series": 2, "rated_Ah": 2.5, "r0_ohm": 0.03, "soc": 0.4)" + more +
                   R"(}, "program": [{"do": "rest", "longest_s": 300}, )" + steps +
                   R"(], "logger": {"interval_s": 2, "noise_V": 0.0006, "noise_A": 0.0008}})");
        Battery b;
        b.chemistry = chemistry, b.series = 2, b.rated_Ah = 2.5;
        return analyse(*log.imported.recording, b);
    };
    const std::string rest = R"(, {"do": "rest", "longest_s": 600})";
    const auto good = charge(
        "nmc", R"({"do": "charge", "current_A": 1.25, "set_V": 8.4, "cutoff_A": 0.1})" + rest);
    EXPECT_TRUE(has(good, "good_finish"));
    for (const char* code :
         {"not_terminated", "stopped_early", "wrong_chemistry", "worn", "tops_up", "overvoltage"})
        EXPECT_FALSE(has(good, code)) << code;
    EXPECT_TRUE(
        has(charge("nmc",
                   R"({"do": "charge", "current_A": 1.25, "set_V": 8.4, "cutoff_A": 0.5})" + rest),
            "stopped_early"));
    EXPECT_TRUE(has(
        charge("nmc", R"({"do": "charge", "current_A": 1.25, "set_V": 8.4, "longest_s": 25000})",
               R"(, "leak_A": 0.03)"),
        "not_terminated"));
    EXPECT_TRUE(
        has(charge("lihv",
                   R"({"do": "charge", "current_A": 1.25, "set_V": 8.4, "cutoff_A": 0.1})" + rest),
            "wrong_chemistry"));
    const auto top = charge(
        "nmc",
        R"({"do": "charge", "current_A": 1.25, "set_V": 8.4, "cutoff_A": 0.1}, {"repeat": 4, "program": [{"do": "rest", "longest_s": 1800}, {"do": "charge", "current_A": 1.25, "set_V": 8.4, "cutoff_A": 0.05}]})" +
            rest);
    EXPECT_TRUE(has(top, "tops_up"));
}
