// What ten million samples cost the window: taking a recording in, and a redraw while zooming.
// The time is that of the whole plot painted at 1280 × 800, not of the drawing calls alone.
#include <benchmark/benchmark.h>

#include <QApplication>
#include <cmath>
#include <random>

#include "app/plot/lanes_plot.h"

namespace nk {
namespace {

/// Charge and discharge by turns with noise, `n` samples a second apart.
RecordingPtr cycles(std::size_t n) {
    RecordingData d;
    std::mt19937_64 random(1);
    std::normal_distribution<double> noise(0, 0.002);
    d.time_s.reserve(n);
    d.voltage_V.reserve(n);
    d.current_A.reserve(n);
    d.temperature_C.reserve(n);
    for (std::size_t k = 0; k < n; ++k) {
        const double phase = std::fmod(static_cast<double>(k), 9000.0) / 9000;
        const bool charge = phase < 0.5;
        const double x = charge ? 2 * phase : 2 - 2 * phase;
        d.time_s.push_back(static_cast<double>(k));
        d.voltage_V.push_back(3.2 + x + noise(random));
        d.current_A.push_back((charge ? 1 : -1) + noise(random));
        d.temperature_C.push_back(22 + 5 * phase);
    }
    return Recording::make(std::move(d));
}

const RecordingPtr& held(std::size_t n) {
    static RecordingPtr recording;
    if (!recording || recording->size() != n) recording = cycles(n);
    return recording;
}

void takeIn(benchmark::State& state) {
    const RecordingPtr& recording = held(static_cast<std::size_t>(state.range(0)));
    LanesPlot plot;
    plot.resize(1280, 800);
    plot.show();
    for (auto _ : state) {
        plot.setRecording(recording);
        benchmark::DoNotOptimize(plot.grab());
    }
}
BENCHMARK(takeIn)->Arg(10'000'000)->Unit(benchmark::kMillisecond);

void redrawWhileZooming(benchmark::State& state) {
    const RecordingPtr& recording = held(static_cast<std::size_t>(state.range(0)));
    LanesPlot plot;
    plot.resize(1280, 800);
    plot.show();
    plot.setRecording(recording);
    QApplication::processEvents();
    const double whole = recording->time_s().back();
    double worst_ms = 0;
    int k = 0;
    for (auto _ : state) {
        // From everything down to a few hundred samples, each time at another place.
        const double width = whole * std::pow(0.5, k % 16);
        const double from = (whole - width) * ((k * 7) % 11) / 10.0;
        ++k;
        const auto start = std::chrono::steady_clock::now();
        plot.showRange(from, from + width);
        plot.replot(QCustomPlot::rpImmediateRefresh);
        const std::chrono::duration<double, std::milli> took =
            std::chrono::steady_clock::now() - start;
        worst_ms = std::max(worst_ms, took.count());
    }
    state.counters["worst_ms"] = worst_ms;
}
BENCHMARK(redrawWhileZooming)
    ->Arg(10'000)
    ->Arg(10'000'000)
    ->Iterations(200)
    ->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace nk

int main(int argc, char** argv) {
    QApplication app(argc, argv);
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    return 0;
}
