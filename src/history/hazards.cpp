#include "hazards.h"

#include <algorithm>
#include <cmath>

#include "quantity/iso_time.h"
#include "quantity/phrase.h"

namespace nk {

std::string hazardCause(const std::string& code) {
    if (code == "overvoltage" || code == "wrong_chemistry" || code == "not_terminated")
        return "charger";
    if (code == "out_of_use" || code == "too_hot") return "battery";
    return "use";
}

std::string hazardLook(const std::string& code) {
    if (code == "overvoltage")
        return phrase(
            "Cause: the charger. Check its set voltage and cell count before it is used "
            "again, and look at the battery: warm or swollen is out of use.");
    if (code == "charged_cold")
        return phrase(
            "Cause: the cold. Warm it before the next charge, and watch whether it holds "
            "less or warms more than before.");
    if (code == "charged_hot")
        return phrase("Cause: the warmth. Charge it cooler or with less current.");
    if (code == "too_hot")
        return phrase(
            "Cause: too much current, or a worn cell. Look at its skin before it is used "
            "again.");
    if (code == "overdischarge")
        return phrase("Cause: the load's cut-off. Raise it, and charge it gently first.");
    if (code == "out_of_use")
        return phrase("Neither charge nor test it; recycle it by the local rules.");
    return phrase("Look at it before it is used again.");
}

Expected<std::vector<HazardOnFile>> hazardsOf(BenchBook& book, std::int64_t batteryId) {
    const auto recordings = book.recordings();
    if (!recordings) return tl::unexpected<Error>(recordings.error());
    return hazardsOf(book, batteryId, *recordings);
}

Expected<std::vector<HazardOnFile>> hazardsOf(BenchBook& book, std::int64_t batteryId,
                                              const std::vector<RecordingEntry>& recordings) {
    const auto spots = book.spotReadings(batteryId);
    if (!spots) return tl::unexpected<Error>(spots.error());
    double looked_s = -1e300;
    for (const SpotReading& s : *spots)
        if (s.kind == "skin") looked_s = std::max(looked_s, s.atEpoch_s);
    std::vector<std::pair<double, HazardOnFile>> found;
    for (const RecordingEntry& r : recordings) {
        if (r.batteryId != batteryId || !r.summary.hazard) continue;
        const auto findings = book.findings(r.id);
        if (!findings) return tl::unexpected<Error>(findings.error());
        for (const StoredFinding& f : *findings) {
            if (f.severity != Severity::Hazard) continue;
            const bool dated = std::isfinite(r.startEpoch_s);
            found.emplace_back(
                r.at_s(),
                HazardOnFile{f.code, dated ? isoTime(r.startEpoch_s).substr(0, 10) : "",
                             hazardCause(f.code), dated && looked_s > r.at_s(), r.id, f.text});
        }
    }
    std::ranges::stable_sort(found, {}, &std::pair<double, HazardOnFile>::first);
    std::vector<HazardOnFile> out;
    for (auto& [at, h] : found) out.push_back(std::move(h));
    return out;
}

}  // namespace nk
