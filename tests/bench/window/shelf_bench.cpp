// A shelf after years of use: a thousand logs over forty batteries, or all of one; 20,000 over 500.
// What a change of the book, another log chosen, and one letter typed into the search cost.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <QApplication>
#include <QLineEdit>
#include <QTemporaryDir>

#include "app/shelf/shelf.h"
#include "formats/importer.h"

namespace nk {
namespace {

struct Contents {
    std::vector<BatteryEntry> batteries;
    std::vector<RecordingEntry> recordings;
};

Contents contents(std::int64_t batteries, std::int64_t logs) {
    Contents c;
    for (std::int64_t k = 1; k <= batteries; ++k) {
        BatteryEntry e;
        e.id = k;
        e.battery.name = fmt::format("Mount pack {}", k);
        e.battery.chemistry = "nmc";
        e.battery.series = 4;
        e.battery.rated_Ah = 5;
        c.batteries.push_back(std::move(e));
    }
    for (std::int64_t k = 1; k <= logs; ++k) {
        RecordingEntry e;
        e.id = k;
        e.batteryId = 1 + k % batteries;
        e.title = fmt::format("Night {}", k);
        e.fileName = fmt::format("night-{}.csv", k);
        e.importedAt_s = 1.7e9 + 86400.0 * static_cast<double>(k);
        e.rowsRead = 20000;
        e.summary.capacity_Ah = 4.6;
        e.summary.health_percent = 92;
        e.summary.rate_C = 0.2, e.summary.mean_A = 0.4, e.summary.highest_C = 24;
        e.summary.resistance_ohm = 0.085;
        e.summary.resistanceMethod = "resistance_10s";
        c.recordings.push_back(std::move(e));
    }
    return c;
}

/// Everything that is due is done and painted.
void finish(QWidget& shelf) {
    QApplication::processEvents();
    QApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    benchmark::DoNotOptimize(shelf.grab());
}

/// A shelf as it stands in the window, filled.
struct FullShelf : Shelf {
    explicit FullShelf(std::int64_t batteries)
        : all(contents(batteries, batteries > 100 ? 20'000 : 1000)) {
        resize(232, 740);
        show();
        setContents(all.batteries, all.recordings);
    }
    Contents all;
};

void bookChanged(benchmark::State& state) {
    FullShelf shelf(state.range(0));
    for (auto _ : state) {
        shelf.setContents(shelf.all.batteries, shelf.all.recordings);
        finish(shelf);
    }
}
BENCHMARK(bookChanged)->Arg(1)->Arg(40)->Arg(500)->Unit(benchmark::kMillisecond);

void logChosen(benchmark::State& state) {
    FullShelf shelf(state.range(0));
    std::int64_t id = 1000;
    for (auto _ : state) {
        shelf.select(id);
        id = 1999 - id;
        finish(shelf);
    }
}
BENCHMARK(logChosen)->Arg(1)->Arg(40)->Arg(500)->Unit(benchmark::kMillisecond);

void letterTyped(benchmark::State& state) {
    FullShelf shelf(state.range(0));
    auto* search = shelf.findChild<QLineEdit*>("search");
    bool on = false;
    for (auto _ : state) {
        on = !on;
        search->setText(on ? "7" : "");
        finish(shelf);
    }
}
BENCHMARK(letterTyped)->Arg(1)->Arg(40)->Arg(500)->Unit(benchmark::kMillisecond);

/// What the window reads on its own thread after every change: all batteries and entries.
void shelfRead(benchmark::State& state) {
    const QTemporaryDir folder;
    auto book = BenchBook::open(folder.filePath("b.nkbook").toStdString());
    const std::string text = "time_s,voltage_V,current_A\n0,3.7,1\n1,3.71,1\n2,3.72,1\n";
    const auto imported = readLog(text, "night.csv", {}, {}, {});
    if (!book || !imported) return state.SkipWithError("no book");
    const Contents c = contents(40, 1000);
    for (const BatteryEntry& e : c.batteries) (void)(*book)->addBattery(e.battery);
    for (const RecordingEntry& e : c.recordings)
        (void)(*book)->addRecording(
            {e.batteryId, 0, 0, e.title, e.fileName, e.importedAt_s, text, &*imported, e.summary});
    for (auto _ : state) {
        benchmark::DoNotOptimize((*book)->batteries());
        benchmark::DoNotOptimize((*book)->recordings());
    }
}
BENCHMARK(shelfRead)->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace nk
