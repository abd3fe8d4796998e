#include "charger_audit.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// What a finding says of the charger that made it; empty: nothing.
std::string habitWords(const std::string& code, std::size_t times, std::size_t of) {
    if (code == "overvoltage")
        return phrase("In {} of {} charges it went over the fault limit of the cells.", times, of);
    if (code == "wrong_chemistry")
        return phrase("In {} of {} charges it held the voltage of another kind of cell.", times,
                      of);
    if (code == "not_terminated")
        return phrase("In {} of {} charges it did not stop by itself.", times, of);
    if (code == "stopped_early")
        return phrase("In {} of {} charges it stopped before the current had tapered off.", times,
                      of);
    if (code == "tops_up")
        return phrase("In {} of {} charges it began again after the end.", times, of);
    if (code == "overcharged")
        return phrase("In {} of {} charges it went on long after the cells were full.", times, of);
    if (code == "no_peak")
        return phrase("In {} of {} charges there was no peak it could have stopped at.", times, of);
    if (code == "false_peak")
        return phrase("In {} of {} charges an early peak may have deceived it.", times, of);
    if (code == "current_not_as_set")
        return phrase("In {} of {} charges the current was not the one that was set.", times, of);
    if (code == "charger_restarted")
        return phrase("In {} of {} charges it broke off and began again.", times, of);
    if (code == "charged_cold")
        return phrase("In {} of {} charges it charged cells that were too cold.", times, of);
    if (code == "charged_hot")
        return phrase("In {} of {} charges it charged cells that were too hot.", times, of);
    if (code == "good_finish") return phrase("In {} of {} charges it finished well.", times, of);
    return {};
}

}  // namespace

Expected<ChargerAudit> auditCharger(BenchBook& book, std::int64_t chargerId) {
    ChargerAudit out;
    const auto chargers = book.chargers();
    const auto recordings = book.recordings();
    const auto findings = book.findingsOfCharger(chargerId);
    if (!chargers) return tl::unexpected<Error>(chargers.error());
    if (!recordings) return tl::unexpected<Error>(recordings.error());
    if (!findings) return tl::unexpected<Error>(findings.error());
    const auto found = std::ranges::find(*chargers, chargerId, &ChargerEntry::id);
    if (found == chargers->end())
        return fail(ErrorKind::NotFound, phrase("This charger is no longer in the book."),
                    book.path().string());
    out.charger = *found;
    const auto batteries = book.batteries();
    if (!batteries) return tl::unexpected<Error>(batteries.error());
    // Set voltages to two hundredths of a volt: as near as common meters tell.
    std::map<long, std::set<std::int64_t>> held;
    std::map<std::string, std::set<std::int64_t>> codes;
    std::set<std::string> hazards;
    std::set<std::int64_t> charged;
    for (const RecordingEntry& e : *recordings) {
        if (e.chargerId != chargerId) continue;
        const auto readings = book.readings(e.id);
        if (!readings) return tl::unexpected<Error>(readings.error());
        for (const StoredReading& r : *readings) {
            if (r.name == "charge_in") charged.insert(e.id);
            if (r.name == "cv_set_voltage" && std::isfinite(r.conditions.set_V_per_cell))
                held[std::lround(r.conditions.set_V_per_cell / 0.02)].insert(e.id);
        }
    }
    for (const StoredFinding& f : *findings) {
        if (!charged.contains(f.recordingId)) continue;
        codes[f.code].insert(f.recordingId);
        if (f.severity == Severity::Hazard) hazards.insert(f.code);
    }
    out.charges = charged.size();
    const auto add = [&](const std::string& code, const std::set<std::int64_t>& where,
                         std::string words) {
        if (words.empty()) return;
        out.habits.push_back({code,
                              where.size(),
                              out.charges,
                              std::move(words),
                              hazards.contains(code),
                              {where.begin(), where.end()}});
    };
    for (const auto& [code, where] : codes)
        add(code, where, habitWords(code, where.size(), out.charges));
    for (const auto& [level, where] : held)
        add("set_voltage", where,
            phrase("In {} of {} charges it held {:.2f} V a cell.", where.size(), out.charges,
                   0.02 * static_cast<double>(level)));
    std::ranges::stable_sort(out.habits, [](const ChargerHabit& a, const ChargerHabit& b) {
        return a.hazard != b.hazard ? a.hazard : a.times > b.times;
    });
    return out;
}

}  // namespace nk
