// The window as its user meets it: a log of a million rows from the drop to the question which
// battery it is, from the answer to the first picture, and what fifty logs one after the other
// leave in memory.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QSettings>
#include <QTemporaryDir>
#include <QTest>
#include <cmath>
#include <fstream>

#include "app/plot/lanes_plot.h"
#include "app/shell/battery_card.h"
#include "app/shell/main_window.h"

namespace nk {
namespace {

/// A log of `n` rows a second apart: charge and discharge by turns, four decimals.
QString writeRows(const QString& path, std::size_t n, std::size_t shift) {
    std::string text = "time_s,voltage_V,current_A,temperature_C\n";
    text.reserve(34 * n);
    for (std::size_t k = 0; k < n; ++k) {
        const double phase = std::fmod(static_cast<double>(k + shift), 9000.0) / 9000;
        const bool charge = phase < 0.5;
        const double x = charge ? 2 * phase : 2 - 2 * phase;
        const double wobble = 1e-4 * static_cast<double>((k * 7919) % 23);
        fmt::format_to(std::back_inserter(text), "{:.4f},{:.4f},{:.4f},{:.4f}\n",
                       static_cast<double>(k), 3.2 + x + wobble, (charge ? 1 : -1) + wobble,
                       22 + 5 * phase);
    }
    std::ofstream(path.toStdString(), std::ios::binary) << text;
    return path;
}

/// Resident memory of this process, MiB; `line` is VmRSS or VmHWM of /proc/self/status.
double memory_MiB(const std::string& line) {
    std::ifstream status("/proc/self/status");
    for (std::string text; std::getline(status, text);)
        if (text.rfind(line, 0) == 0) return std::stod(text.substr(line.size() + 1)) / 1024;
    return 0;
}

class Bench {
  public:
    Bench() {
        QSettings::setDefaultFormat(QSettings::IniFormat);
        QSettings::setPath(QSettings::IniFormat, QSettings::UserScope, folder.path());
        window = std::make_unique<MainWindow>(
            std::move(*BenchBook::open(folder.filePath("b.nkbook").toStdString())), dialogs);
        window->resize(1280, 800);
        window->show();
        (void)QTest::qWaitForWindowExposed(window.get());
    }
    template <class Condition>
    double until(Condition&& condition) {
        QElapsedTimer timer;
        timer.start();
        while (!condition()) QApplication::processEvents(QEventLoop::AllEvents, 5);
        return static_cast<double>(timer.nsecsElapsed()) / 1e6;
    }
    /// Milliseconds to the question, and from the answer to the picture.
    std::pair<double, double> open(const QString& file) {
        BatteryCard* card = nullptr;
        window->openFiles({file});
        const double asked_ms = until([&] {
            card = window->findChild<BatteryCard*>();
            return card != nullptr && card->isVisible();
        });
        const std::int64_t before = window->shown() ? window->shown()->id : 0;
        card->accept();
        const double shown_ms = until(
            [&] { return window->shown() && window->shown()->id != before && !window->busy(); });
        QElapsedTimer paint;
        paint.start();
        benchmark::DoNotOptimize(window->grab());
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
        return {asked_ms, shown_ms + static_cast<double>(paint.nsecsElapsed()) / 1e6};
    }
    QTemporaryDir folder;
    Dialogs dialogs;
    std::unique_ptr<MainWindow> window;
};

void firstPicture(benchmark::State& state) {
    const auto rows = static_cast<std::size_t>(state.range(0));
    Bench bench;
    std::size_t k = 0;
    double asked_ms = 0;
    for (auto _ : state) {
        state.PauseTiming();
        const QString file = writeRows(bench.folder.filePath(QString("%1.csv").arg(k)), rows, k);
        ++k;
        state.ResumeTiming();
        asked_ms += bench.open(file).first;
    }
    state.counters["until_the_question_ms"] =
        asked_ms / static_cast<double>(std::max<std::size_t>(k, 1));
}
BENCHMARK(firstPicture)
    ->Arg(1'000'000)
    ->Iterations(3)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void stored(benchmark::State& state) {
    Bench bench;
    for (std::size_t k = 0; k < 2; ++k)
        bench.open(writeRows(bench.folder.filePath(QString("%1.csv").arg(k)),
                             static_cast<std::size_t>(state.range(0)), k));
    std::int64_t id = 1;
    for (auto _ : state) {
        bench.window->chooseRecording(id);
        bench.until([&] { return bench.window->shown()->id == id && !bench.window->busy(); });
        benchmark::DoNotOptimize(bench.window->grab());
        id = 3 - id;
    }
}
BENCHMARK(stored)->Arg(1'000'000)->Iterations(6)->Unit(benchmark::kMillisecond)->UseRealTime();

void fiftyLogs(benchmark::State& state) {
    Bench bench;
    double after_5 = 0;
    for (auto _ : state) {
        for (std::size_t k = 0; k < 50; ++k) {
            const QString file = writeRows(bench.folder.filePath("next.csv"), 1'000'000, 97 * k);
            bench.open(file);
            if (k == 4) after_5 = memory_MiB("VmRSS:");
        }
    }
    state.counters["MiB_after_5"] = after_5;
    state.counters["MiB_after_50"] = memory_MiB("VmRSS:");
    state.counters["MiB_peak"] = memory_MiB("VmHWM:");
}
BENCHMARK(fiftyLogs)->Iterations(1)->Unit(benchmark::kSecond)->UseRealTime();

}  // namespace
}  // namespace nk
