// Finish on a recording of a million samples (build with --preset bench, run
// build/bench/tests/bench/nk_bench).
#include <benchmark/benchmark.h>

#include <cmath>
#include <random>

#include "analysis/analysis.h"
#include "analysis/finish/rule_moves.h"
#include "analysis/finish/rule_ranking.h"

namespace {

using namespace nk;

Battery card(const char* chemistry) {
    Battery b;
    b.chemistry = chemistry;
    b.series = 1;
    b.rated_Ah = chemistry[0] == 'n' && chemistry[1] == 'i' ? 27 : 30;
    return b;
}

/// A million samples at 10 Hz: a rest, a long charge, its end, a rest.
RecordingPtr million(bool nickel) {
    std::mt19937 random(3);
    std::normal_distribution<double> noise(0, 5e-4);
    RecordingData d;
    const int n = 1'000'000;
    for (int k = 0; k < n; ++k) {
        const double t = k * 0.1;
        const double x = t - 1000;
        double v = nickel ? 1.25 : 3.5;
        double i = 0;
        if (x > 0 && t < 98000) {
            i = 1;
            if (nickel)
                v = 1.46 - 2e-11 * (t - 90000) * (t - 90000);
            else if (t < 80000)
                v = 3.7 + 0.5 * x / 79000;
            else
                v = 4.2, i = 0.02 + 0.98 * std::exp(-(t - 80000) / 4000);
        }
        d.time_s.push_back(t);
        d.voltage_V.push_back(std::round((v + noise(random)) * 1e4) / 1e4);
        d.current_A.push_back(std::round((i + noise(random)) * 1e4) / 1e4);
        d.temperature_C.push_back(20 + (t > 85000 ? (t - 85000) * 4e-4 : 0));
    }
    d.textStep_V = d.textStep_A = 1e-4;
    return Recording::make(std::move(d));
}

void finishOfAMillion(benchmark::State& state) {
    const bool nickel = state.range(0) != 0;
    const auto r = million(nickel);
    for (auto _ : state) benchmark::DoNotOptimize(analyse(*r, card(nickel ? "nimh" : "nmc")));
}
BENCHMARK(finishOfAMillion)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);

void replayOfTenRules(benchmark::State& state) {
    const auto r = million(true);
    const Battery b = card("nimh");
    const Steps steps = findSteps(*r, b);
    const InstrumentAccuracy accuracy;
    const AnalysisInput in{*r, steps, b, accuracy};
    auto rules = defaultRules(b);
    for (const char* more : {"timer:20h", "-dv:8mV", "0dv:10min"})
        rules.push_back(*parseRule(more));
    const auto spans = chargeSpans(in);
    for (auto _ : state)
        for (const StopRule& rule : rules) benchmark::DoNotOptimize(replay(in, spans.at(0), rule));
}
BENCHMARK(replayOfTenRules)->Unit(benchmark::kMillisecond);

}  // namespace
