// Families of logs in closed form: whatever the logger's phase, interval, resolution and noise,
// the 95 % interval of what is read at a moment holds the truth.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "analysis/analysis.h"

namespace nk {
namespace {

class Family {
  public:
    explicit Family(unsigned seed) : random_(seed) {}
    double between(double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random_);
    }
    double oneOf(std::initializer_list<double> values) {
        return *(values.begin() + random_() % values.size());
    }
    double normal() { return normal_(random_); }

  private:
    std::mt19937 random_;
    std::normal_distribution<double> normal_{0, 1};
};

double rounded(double x, double step) {
    return step > 0 ? std::round(x / step) * step : x;
}

Battery cell(double rated_Ah) {
    Battery b;
    b.chemistry = "nmc";
    b.series = 1;
    b.rated_Ah = rated_Ah;
    return b;
}

/// How often intervals held the truth, and which did not.
struct Count {
    int inside = 0;
    int all = 0;
    std::string outside;
    void add(const Reading& r, double truth, const std::string& what) {
        ++all;
        if (std::abs(r.value - truth) <= r.expanded())
            ++inside;
        else
            outside += fmt::format("\n{}: {} ± {}, true {}", what, r.value, r.expanded(), truth);
    }
};

TEST(Families, ResistanceAfterAStepThatFallsBetweenTheRows) {
    // V = 3.9 − slope·t + I·(R0 + R1(1 − exp(−t/τ1)) + R2(1 − exp(−t/τ2))), in closed form.
    Family f(21);
    Count count;
    double widest = 0;
    for (int n = 0; n < 150; ++n) {
        const double r0 = f.between(0.01, 0.08);
        const double r1 = r0 * f.between(0.1, 0.8);
        const double r2 = r0 * f.between(0.2, 1.0);
        const double tau1 = f.between(2, 15);
        const double tau2 = f.between(40, 400);
        const double amps = -f.oneOf({1, 2, 4});
        const double slope = -amps * f.between(0.5, 1.2) / 2 / 3600;
        const double interval = f.oneOf({0.1, 0.5, 1, 2, 5});
        const double stepV = f.oneOf({1e-4, 1e-3});
        const double noise = f.oneOf({0, 5e-4, 1.5e-3});
        const double phase = f.between(0, interval);
        const double edge = 120;
        std::vector<double> t, v, i;
        for (double at = phase; at < edge + 90; at += interval) {
            const double since = at - edge;
            double volts = 3.9;
            if (since > 0)
                volts += -slope * since + amps * (r0 + r1 * (1 - std::exp(-since / tau1)) +
                                                  r2 * (1 - std::exp(-since / tau2)));
            t.push_back(at);
            v.push_back(rounded(volts + noise * f.normal(), stepV));
            i.push_back(rounded((since > 0 ? amps : 0) + noise * f.normal(), 1e-3));
        }
        RecordingData d;
        d.time_s = t, d.voltage_V = v, d.current_A = i;
        const Analysis a = analyse(*Recording::make(std::move(d)), cell(2));
        for (const double delay : {1.0, 10.0, 30.0}) {
            const Reading* r = a.reading(fmt::format("resistance_{:.0f}s", delay));
            if (r == nullptr || !r->measurable()) {
                EXPECT_LT(delay, 2 * interval) << "not measurable, though rows lie on both sides";
                continue;
            }
            const double truth = r0 + r1 * (1 - std::exp(-delay / tau1)) +
                                 r2 * (1 - std::exp(-delay / tau2)) + slope * delay / -amps;
            count.add(*r, truth,
                      fmt::format("{} s, interval {} noise {} step {} tau {:.0f} {:.0f}", delay,
                                  interval, noise, stepV, tau1, tau2));
            if (noise < 1e-3 && interval <= 1 && delay >= 10)
                widest = std::max(widest, r->expanded() / truth);
        }
    }
    EXPECT_GT(count.all, 300);
    EXPECT_GE(count.inside, 0.92 * count.all)
        << count.inside << " of " << count.all << count.outside;
    EXPECT_LT(widest, 0.25) << "and it says something";
}

TEST(Families, TheLastCurrentOfATaperThatStopsBetweenTheRows) {
    // I = I0·exp(−t/τ), stopped where it reaches the cut-off.
    Family f(22);
    Count current;
    Count charge;
    for (int n = 0; n < 120; ++n) {
        const double i0 = f.oneOf({0.5, 1, 2.5});
        const double tau = f.between(400, 2500);
        const double end = i0 * f.between(0.04, 0.2);
        const double interval = f.oneOf({1, 2, 10, 30});
        const double step = f.oneOf({1e-3, 1e-2});
        const double noise = f.oneOf({0, 5e-4, 3e-3});
        const double gain = 1 + f.between(-0.004, 0.004);
        const double knee = 1800;
        const double stop = knee + tau * std::log(i0 / end);
        std::vector<double> t, v, i;
        for (double at = f.between(0, interval); at < stop + 900; at += interval) {
            const double amps = at < knee ? i0 : at < stop ? i0 * std::exp(-(at - knee) / tau) : 0;
            const double volts = at < knee   ? 4.2 - 0.4 * (knee - at) / knee
                                 : at < stop ? 4.2
                                             : 4.2 - 0.06 * end;
            t.push_back(at);
            v.push_back(rounded(volts + 3e-4 * f.normal(), 1e-3));
            i.push_back(rounded(gain * amps + noise * f.normal(), step));
        }
        RecordingData d;
        d.time_s = t, d.voltage_V = v, d.current_A = i;
        const Analysis a = analyse(*Recording::make(std::move(d)), cell(2.5));
        const Reading* last = a.reading("taper_end_current");
        const Reading* moved = a.reading("charge_in_cv");
        ASSERT_NE(last, nullptr) << n;
        ASSERT_NE(moved, nullptr) << n;
        const std::string what = fmt::format("I0 {} tau {:.0f} interval {} noise {} step {}", i0,
                                             tau, interval, noise, step);
        current.add(*last, end, what);
        charge.add(*moved, (i0 - end) * tau / 3600, what);
    }
    EXPECT_GE(current.inside, 0.92 * current.all)
        << current.inside << " of " << current.all << current.outside;
    EXPECT_GE(charge.inside, 0.92 * charge.all)
        << charge.inside << " of " << charge.all << charge.outside;
}

TEST(Families, TheNickelPeakWhereverItIs) {
    // A rise that saturates against a fall that sets in: V = a·(1 − exp(−(t − t1)/τr)) − b·(t − t1)
    // from t1 on; its top is at t1 + τr·ln(a/(b·τr)).
    Family f(23);
    Count count;
    for (int n = 0; n < 100; ++n) {
        const double rise = f.between(0.08, 0.2);
        const double tau = f.between(200, 700);
        const double fall = rise / tau * f.between(0.05, 0.15);
        const double t1 = f.between(2400, 4000);
        const double top = t1 + tau * std::log(rise / (fall * tau));
        const double interval = f.oneOf({1, 2, 5, 10});
        const double noise = f.oneOf({1e-4, 5e-4, 1.5e-3});
        const double stop = top + f.between(0.6, 1.2) * tau + 300;
        std::vector<double> t, v, i, c;
        for (double at = f.between(0, interval); at < stop + 600; at += interval) {
            const double after = std::max(0.0, at - t1);
            const double volts = at < stop ? 1.38 + 2e-6 * std::min(at, t1) +
                                                 rise * (1 - std::exp(-after / tau)) - fall * after
                                           : 1.4;
            t.push_back(at);
            v.push_back(rounded(volts + noise * f.normal(), 1e-3));
            i.push_back(at < stop ? 2 : 0);
            c.push_back(22 + (at > top ? 0.004 * (std::min(at, stop) - top) : 0));
        }
        RecordingData d;
        d.time_s = t, d.voltage_V = v, d.current_A = i, d.temperature_C = c;
        Battery b = cell(2);
        b.chemistry = "nimh";
        const Analysis a = analyse(*Recording::make(std::move(d)), b);
        const Reading* peak = a.reading("peak_time");
        if (peak == nullptr) continue;  // "not measurable" is an answer
        count.add(*peak, top, fmt::format("tau {:.0f} interval {} noise {}", tau, interval, noise));
    }
    EXPECT_GT(count.all, 80) << "most are answered";
    EXPECT_GE(count.inside, 0.93 * count.all)
        << count.inside << " of " << count.all << count.outside;
}

}  // namespace
}  // namespace nk
