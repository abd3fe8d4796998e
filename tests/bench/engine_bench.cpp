// Ten years of a battery at one-minute steps (Google Benchmark): a week of use, over and over.
#include <benchmark/benchmark.h>

#include "cellmodel/engine.h"

namespace {

void tenYears(benchmark::State& state) {
    nk::CellParameters p;
    p.chemistry = *nk::findChemistry("nmc");
    p.capacity_Ah = 2;
    for (auto _ : state) {
        nk::CellState s;
        nk::Engine e({nk::Cell(p, s)}, 20);
        const auto never = [](const nk::Engine&, double) { return false; };
        const auto use = [](const nk::Engine& x) {
            const double hour = std::fmod(x.time_s() / 3600, 24);
            return hour < 2 ? 0.4 : hour > 20 && hour < 22 ? -0.4 : 0.0;
        };
        benchmark::DoNotOptimize(e.run(use, never, 10 * 365.25 * 86400, 60));
    }
}
BENCHMARK(tenYears)->Unit(benchmark::kMillisecond);

}  // namespace
