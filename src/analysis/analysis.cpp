#include "analysis.h"

#include <algorithm>
#include <cmath>
#include <exception>
#include <functional>
#include <iterator>
#include <mutex>
#include <thread>

#include "analysis/log/current_zero.h"
#include "quantity/format.h"
#include "quantity/plausible.h"

namespace nk {

bool AnalysisInput::assumed(const char* field) const {
    return std::find(battery.assumed.begin(), battery.assumed.end(), field) !=
           battery.assumed.end();
}

const Reading* Analysis::reading(const std::string& name) const {
    for (const Reading& r : readings)
        if (r.name == name && r.measurable()) return &r;
    return nullptr;
}

bool Analysis::hasHazard() const {
    return std::any_of(findings.begin(), findings.end(),
                       [](const Finding& f) { return f.severity == Severity::Hazard; });
}

const Metric* Registry::metric(const std::string& name) const {
    for (const Metric& m : metrics)
        if (name == m.name) return &m;
    return nullptr;
}

const Check* Registry::check(const std::string& code) const {
    for (const Check& c : checks)
        if (code == c.code) return &c;
    return nullptr;
}

int Registry::version() const {
    unsigned sum = 1;
    const auto add = [&](const std::string& name, int version) {
        for (const char c : name) sum = sum * 31 + static_cast<unsigned char>(c);
        sum = sum * 31 + static_cast<unsigned>(version);
    };
    for (const Metric& m : metrics) add(m.name, m.version);
    for (const Check& c : checks) add(c.code, c.version);
    return static_cast<int>(sum & 0x7FFFFFFF);
}

namespace {

/// A log from which a second thread is worth its start.
constexpr std::size_t kManyRows = 100'000;

/// A figure that cannot be is none.
void onlyWhatCanBe(Reading& r) {
    if (!r.measurable() || canBe(r.value, r.unit)) return;
    r.value = r.uncertainty = kNaN;
    r.caveats.push_back(cannotBe());
}

/// Metrics and checks know nothing of each other but the memory of the input: any order, any
/// thread, one result. What each made is put together in the registry's order.
void runAll(const AnalysisInput& input, const Registry& registry, Analysis& out) {
    std::vector<std::vector<Reading>> readings(registry.metrics.size());
    std::vector<std::vector<Finding>> findings(registry.checks.size());
    std::mutex taking;
    std::size_t front = 0, behind = readings.size(), check = 0;
    std::exception_ptr failure;
    // One thread takes the metrics from the front, the other from behind: those side by side in the
    // registry look at the same intermediate results, and would wait for one another.
    const auto take = [&](bool fromFront) -> std::function<void()> {
        const std::scoped_lock lock(taking);
        if (failure) return {};
        if (front < behind) {
            const std::size_t k = fromFront ? front++ : --behind;
            return [&, k] { registry.metrics[k].compute(input, readings[k]); };
        }
        if (check == findings.size()) return {};
        const std::size_t k = check++;
        return [&, k] { registry.checks[k].compute(input, findings[k]); };
    };
    const auto work = [&](bool fromFront) {
        try {
            while (const auto next = take(fromFront)) next();
        } catch (...) {
            const std::scoped_lock lock(taking);
            failure = std::current_exception();
        }
    };
    if (input.recording.size() >= kManyRows && std::thread::hardware_concurrency() > 1) {
        const std::jthread other([&work, words = presentation()] {
            const Presenting same(words);
            work(false);
        });
        work(true);
    } else {
        work(true);
    }
    if (failure) std::rethrow_exception(failure);
    std::size_t count = 0;
    for (const auto& made : readings) count += made.size();
    out.readings.reserve(count);
    for (auto& made : readings) {
        for (Reading& r : made) onlyWhatCanBe(r);
        std::ranges::move(made, std::back_inserter(out.readings));
        made = {};
    }
    for (auto& made : findings) std::ranges::move(made, std::back_inserter(out.findings));
}

}  // namespace

Analysis analyse(const Recording& recording, const Battery& battery,
                 const std::vector<StepEdit>& edits, const InstrumentAccuracy& accuracy,
                 const Registry& registry) {
    Analysis out;
    out.registry = &registry;
    out.battery = completeBattery(battery, recording.voltage_V(), recording.current_A(),
                                  static_cast<int>(recording.cells_V().size()));
    out.steps = applyEdits(recording, out.battery, findSteps(recording, out.battery), edits);
    // What the display adds is seen at rest and taken off every count.
    const Recording* counted = &recording;
    RecordingPtr without;
    InstrumentAccuracy meter = accuracy;
    out.zero = currentZero(recording, out.steps, accuracy);
    if (out.zero) {
        without = withoutZero(recording, *out.zero);
        counted = without.get();
        const double steps =
            std::sqrt(3.0) * out.zero->uncertainty_A / recording.currentQuality().resolution;
        meter.currentOffsetSteps = std::min(accuracy.currentOffsetSteps, steps);
        out.steps = applyEdits(*counted, out.battery, findSteps(*counted, out.battery), edits);
    }
    // Findings look at what the readings found: the memory is shared, and nothing is made twice.
    const AnalysisInput input{*counted, out.steps, out.battery, meter};
    out.memo = input.memo;
    runAll(input, registry, out);
    if (out.zero)
        for (Reading& r : out.readings)
            if (r.unit == "Ah" && r.measurable())
                r.caveats.push_back(
                    phrase("The log shows {} at rest; that was taken off every row.",
                           shortValue(out.zero->value_A, "A")));
    std::stable_sort(out.findings.begin(), out.findings.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return out;
}

}  // namespace nk
