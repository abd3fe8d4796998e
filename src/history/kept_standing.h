// Standings as the book keeps them: made once, quoted by lists over all batteries without a look at
// their readings. Each has the fingerprint of what made it; a stale one is made anew.
#pragma once

#include <map>
#include <set>

#include "verdict.h"

namespace nk {

/// What lists quote.
struct KeptStanding {
    double capacity_Ah = kNaN, capacityLow_Ah = kNaN, capacityHigh_Ah = kNaN, capacityAt_s = kNaN;
    /// Of that capacity: rate, floor a cell, mean warmth, and what was left at the most, Ah.
    double capacityRate_C = kNaN, capacityFloor_V = kNaN, capacityTemperature_C = kNaN,
           capacityMore_Ah = kNaN;
    double resistance_ohm = kNaN, resistanceAt_s = kNaN;
    std::string resistanceSchool;  ///< its kind of reading
    double lastSeen_s = kNaN, lastUse_s = kNaN, lastBalancing_s = kNaN, lastFull_s = kNaN,
           lastTest_s = kNaN;
    double hazards = 0;  ///< how many are on file
    double endsUse = 0;  ///< 1: one of them ended its use
    /// A load beside the log `unseenRecording` that is proposed (0: none): as a resistance, or its
    /// current where no voltage tells, between two moments of that log.
    double unseenRecording = 0, unseen_ohm = kNaN, unseen_A = kNaN, unseenFrom_s = kNaN,
           unseenTo_s = kNaN;
    std::string verdict;  ///< without a look at its siblings; see verdictAmong
};

KeptStanding keptOf(const Standing& standing);

/// Its verdict among these siblings' capacities (Ah), as judge() would say it.
std::string verdictAmong(const KeptStanding& standing, std::vector<double> siblings_Ah,
                         const VerdictRules& rules);

/// "0.6C to 3.00 V a cell, 21 °C on average": under which conditions its capacity was measured.
std::string conditionsWords(const KeptStanding& standing);
/// The same where there is little room: "0.6C, 21 °C".
std::string conditionsShort(const KeptStanding& standing);

/// Of these batteries (all where empty), with few passes over the book. Stale ones are made anew
/// and kept where the book can be written. Errors: the book cannot be read.
Expected<std::map<std::int64_t, KeptStanding>> keptStandings(
    BenchBook& book, const std::set<std::int64_t>& ids = {});

/// As it is kept: JSON (docs/formats.md). Nothing where it cannot be read or is of another
/// fingerprint.
std::string keptStandingText(const KeptStanding& standing, const std::string& fingerprint);
std::optional<KeptStanding> keptStandingIn(const std::string& text, const std::string& fingerprint);

}  // namespace nk
