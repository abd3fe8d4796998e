// Fifty curves of 10⁵ samples side by side: what it costs to lay them over each other once they are
// analysed, and to draw them again.
#include <benchmark/benchmark.h>

#include <QApplication>
#include <cmath>

#include "app/side/side_plot.h"

namespace nk {
namespace {

/// A discharge of 10⁵ rows, a little shorter each time.
OpenedPtr opened(int k) {
    RecordingData d;
    constexpr int kRows = 100'000;
    for (int n = 0; n < kRows; ++n) {
        const double u = static_cast<double>(n) / kRows;
        const bool rest = u < 0.05 || u > 0.9;
        d.time_s.push_back(n);
        d.current_A.push_back(rest ? 0 : -0.1 * (1 - 0.002 * k));
        const double x = std::clamp((u - 0.05) / 0.85, 0.0, 1.0);
        d.voltage_V.push_back(4.1 - 0.9 * x - 0.2 * std::exp(30 * (x - 1)) - (rest ? 0 : 0.03) +
                              0.0004 * std::sin(n * 12.9898 + k));
    }
    auto out = std::make_shared<OpenedRecording>();
    out->entry.id = k + 1;
    out->entry.title = "curve " + std::to_string(k);
    out->battery.chemistry = "nmc";
    out->battery.series = 1;
    out->battery.rated_Ah = 2.5;
    out->recording = Recording::make(std::move(d));
    out->analysis = analyse(*out->recording, out->battery);
    return out;
}

const std::vector<OpenedPtr>& fifty() {
    static const std::vector<OpenedPtr> all = [] {
        std::vector<OpenedPtr> made;
        for (int k = 0; k < 50; ++k) made.push_back(opened(k));
        return made;
    }();
    return all;
}

void laidOver(benchmark::State& state) {
    const SideChoice choice;
    (void)fifty();
    for (auto _ : state) benchmark::DoNotOptimize(sideView(fifty(), choice));
}
BENCHMARK(laidOver)->Unit(benchmark::kMillisecond);

void drawnAgain(benchmark::State& state) {
    SidePlot plot;
    plot.resize(1000, 560);
    plot.show();
    plot.setView(sideView(fifty(), {}));
    for (auto _ : state) plot.replot(QCustomPlot::rpImmediateRefresh);
}
BENCHMARK(drawnAgain)->Unit(benchmark::kMillisecond);

void panned(benchmark::State& state) {
    SidePlot plot;
    plot.resize(1000, 560);
    plot.show();
    plot.setView(sideView(fifty(), {}));
    double by = 0.01;
    for (auto _ : state) {
        plot.graph(0)->keyAxis()->moveRange(by);
        by = -by;
        plot.replot(QCustomPlot::rpImmediateRefresh);
    }
}
BENCHMARK(panned)->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace nk
