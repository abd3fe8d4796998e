#include "strength.h"

#include "quantity/phrase.h"
#include "refresh.h"

namespace nk {

namespace {

/// What the book keeps of a recording, or what is made of it now.
Expected<StudiedLog> studied(BenchBook& book, const RecordingEntry& entry, const Makings& makings) {
    if (entry.fingerprint == fingerprintOf(makings)) {
        const auto problem = book.studyProblem(entry.id);
        if (problem && !problem->empty()) return fail(ErrorKind::Storage, *problem);
        if (const auto packed = book.strengthOf(entry.id); packed && !packed->empty())
            if (auto log = unpackStrength(*packed, entry.id, entry.title)) return log;
    }
    const auto opened = openRecording(book, entry, makings);
    if (!opened) return tl::unexpected<Error>(opened.error());
    keepStudy(book, *opened);
    return studyLog(opened->input(), entry.id, entry.title);
}

}  // namespace

Expected<BatteryStrength> studyBattery(BenchBook& book, std::int64_t batteryId,
                                       const StudiedLog& shown, const Battery& battery,
                                       const InstrumentAccuracy& accuracy, std::stop_token stop,
                                       const std::function<void(double)>& progress) {
    BatteryStrength out;
    std::vector<StudiedLog> logs;
    std::vector<std::string> leftOut;
    auto recordings = book.recordings();
    if (!recordings) return tl::unexpected<Error>(recordings.error());
    std::erase_if(*recordings, [&](const RecordingEntry& e) {
        return e.id != shown.id && (batteryId == 0 || e.batteryId != batteryId);
    });
    const auto makings = allMakings(book, *recordings);
    if (!makings) return tl::unexpected<Error>(makings.error());
    for (std::size_t k = 0; k < recordings->size(); ++k) {
        if (stop.stop_requested())
            return fail(ErrorKind::Cancelled, phrase("The study was cancelled."));
        if (progress) progress(static_cast<double>(k) / static_cast<double>(recordings->size()));
        const RecordingEntry& e = (*recordings)[k];
        if (e.id == shown.id) {
            logs.push_back(shown);
            logs.back().title = e.title;
            continue;
        }
        auto log = studied(book, e, (*makings)[k]);
        if (log)
            logs.push_back(std::move(*log));
        else
            leftOut.push_back(phrase("{}: {}", e.title, log.error().what));
    }
    if (batteryId > 0) {
        auto spots = book.spotReadings(batteryId);
        if (!spots) return tl::unexpected<Error>(spots.error());
        out.spots = std::move(*spots);
        auto readings = book.readingsOfBattery(batteryId);
        if (!readings) return tl::unexpected<Error>(readings.error());
        out.readings = std::move(*readings);
    }
    auto study = studyStrength(std::move(logs), battery, accuracy);
    study.leftOut = std::move(leftOut);
    out.study = std::make_shared<StrengthStudy>(std::move(study));
    return out;
}

}  // namespace nk
