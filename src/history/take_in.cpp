#include "take_in.h"

#include <algorithm>
#include <cmath>

#include "book/hash.h"
#include "log_day.h"
#include "quantity/phrase.h"
#include "study.h"
#include "summary.h"

namespace nk {

namespace {

/// The makings of a log that is not in the book yet.
Expected<Makings> makingsOf(BenchBook& book, const NewLog& log) {
    Makings out;
    if (log.newBattery) out.battery = *log.newBattery;
    if (log.batteryId > 0) {
        const auto all = book.batteries();
        if (!all) return tl::unexpected<Error>(all.error());
        const auto found = std::ranges::find(*all, log.batteryId, &BatteryEntry::id);
        if (found == all->end())
            return fail(ErrorKind::NotFound, phrase("This battery is no longer in the book."),
                        book.path().string());
        out.battery = found->battery;
    }
    const auto usual = book.usualAccuracy();
    if (!usual) return tl::unexpected<Error>(usual.error());
    out.accuracy = *usual;
    if (log.newInstrument) out.accuracy = log.newInstrument->accuracy;
    if (log.instrumentId > 0) {
        const auto all = book.instruments();
        if (!all) return tl::unexpected<Error>(all.error());
        const auto found = std::ranges::find(*all, log.instrumentId, &InstrumentEntry::id);
        if (found != all->end()) out.accuracy = found->instrument.accuracy;
    }
    return out;
}

}  // namespace

Expected<TakenIn> takeIn(BenchBook& book, const NewLog& log, std::stop_token stop) {
    auto makings = makingsOf(book, log);
    if (!makings) return tl::unexpected<Error>(makings.error());
    OpenedRecording opened{*makings, {}, log.imported->recording, {}, fingerprintOf(*makings)};
    opened.analysis = analyse(*opened.recording, opened.battery, opened.edits, opened.accuracy);
    const StoredStudy study = studyOf(opened);
    const RecordingSummary summary = summarise(opened.analysis);
    TakenIn out{0, log.batteryId, log.instrumentId, log.chargerId};
    const auto done = book.change({"add", {log.title}}, [&]() -> Expected<void> {
        const auto add = [](auto added, std::int64_t& into) -> Expected<void> {
            if (!added) return tl::unexpected<Error>(added.error());
            into = *added;
            return {};
        };
        if (out.batteryId == 0 && log.newBattery)
            if (auto ok = add(book.addBattery(*log.newBattery), out.batteryId); !ok) return ok;
        if (out.instrumentId == 0 && log.newInstrument)
            if (auto ok = add(book.addInstrument(*log.newInstrument), out.instrumentId); !ok)
                return ok;
        if (out.chargerId == 0 && log.newCharger)
            if (auto ok = add(book.addCharger(*log.newCharger), out.chargerId); !ok) return ok;
        NewRecording n;
        n.batteryId = out.batteryId;
        n.instrumentId = out.instrumentId;
        n.chargerId = out.chargerId;
        n.title = log.title;
        n.fileName = log.fileName;
        n.importedAt_s = log.at_s;
        n.originalBytes = log.bytes;
        n.imported = log.imported;
        n.summary = summary;
        if (auto ok = add(book.addRecording(n, stop), out.recordingId); !ok) return ok;
        out.dayKnown = std::isfinite(log.imported->startEpoch_s);
        if (!out.dayKnown && log.day != "unknown") {
            LogDay day{log.day, log.dayFrom};
            if (day.day.empty())
                day = dayOfLog(log.bytes, log.fileName, log.imported->dialect, log.at_s)
                          .value_or(LogDay());
            if (!day.day.empty())
                if (auto ok = book.setDay(out.recordingId, day.day, day.from, false); !ok)
                    return ok;
            out.dayKnown = !day.day.empty();
        }
        return book.setStudy(out.recordingId, study, summary);
    });
    if (!done) return tl::unexpected<Error>(done.error());
    return out;
}

std::string shapeOf(const Dialect& dialect) {
    if (dialect.headerLine == 0) return {};
    std::string titles(1, dialect.delimiter);
    for (const Column& c : dialect.columns) titles += c.title + '\n';
    constexpr std::size_t kDigits = 24;
    return sha256(titles).substr(0, kDigits);
}

std::optional<InstrumentEntry> instrumentOfShape(const std::vector<InstrumentEntry>& all,
                                                 const std::string& shape) {
    if (shape.empty()) return std::nullopt;
    for (const InstrumentEntry& e : all)
        if (std::ranges::find(e.instrument.shapes, shape) != e.instrument.shapes.end()) return e;
    return std::nullopt;
}

std::vector<MeterCheck> checksFor(const std::vector<MeterCheck>& checks, double at_s) {
    std::vector<MeterCheck> out;
    for (const MeterCheck& m : checks) {  // in the order of their days
        if (m.at_s > at_s) continue;
        const auto same = std::ranges::find_if(
            out, [&](const MeterCheck& o) { return o.correction.kind == m.correction.kind; });
        if (same == out.end())
            out.push_back(m);
        else
            *same = m;
    }
    return out;
}

}  // namespace nk
