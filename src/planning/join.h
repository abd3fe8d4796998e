// Packs joined in parallel: who may join whom, and what flows when they do.
#pragma once

#include "safety/gate.h"

namespace nk {

struct JoinPack {
    std::string name;
    std::string chemistry;
    int series = 1;
    double voltage_V = 0;  ///< rested, of the whole pack
    double rated_Ah = 0;
    double resistance_ohm = 0;  ///< of the whole pack; 0: not known
    double chargeLimit_C = 1;
    double soc =
        std::numeric_limits<double>::quiet_NaN();  ///< where it is known otherwise than by volts
    double ambient_C = 20;                         ///< its warmth
    double capacity_Ah = 0;                        ///< today's; 0: the rating
    std::string skin = {};                         ///< what is wrong with its skin
    std::vector<HazardOnFile> hazards = {};
    double held_Ah() const { return capacity_Ah > 0 ? capacity_Ah : rated_Ah; }
};

struct JoinSetting {
    double leadLow_ohm = 0.002, leadHigh_ohm = 0.03;  ///< of leads, connectors and board, a pack
    double ratioLimit = 10;                           ///< of the largest capacity to the smallest
};

struct JoinCurrent {
    std::string pack;
    double first_A = 0;  ///< positive: it is charged; from the packs' resistances alone
    double firstLow_A = 0, firstHigh_A = 0;  ///< from leads and board up to `first_A`
    double c_rate = 0;
    double after60_A = 0;
    double share = 0;  ///< of a charge current afterwards
};

struct JoinAnswer {
    static constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
    bool allowed = false;
    double common_V = kNone;            ///< NaN: they never meet (other kinds, counts, polarity)
    std::vector<JoinCurrent> currents;  ///< empty where they never meet
    double chargeMoved_Ah = kNone;
    double greatestGap_V = kNone;  ///< by which the nearest that may not join could differ
    double together_A = kNone;     ///< charge current of the joined group, the usual most
    std::string rule;              ///< of the first refusal
    std::string instead;           ///< the way forward, where they are refused
    double settle_s = 0;           ///< until every current is under a tenth of the first
    std::vector<std::string> reasons;
    std::vector<std::string> order;  ///< in which they are joined, or charged first
    std::vector<std::string> cautions;
};

/// V = Σ(Vi/Ri)/Σ(1/Ri), Ii = (V − Vi)/Ri at the moment of joining (Kirchhoff); then every pack
/// follows its open-circuit curve until they agree; flat kinds move what their known levels differ
/// by. The gate is asked for each pack; they may differ by joinGap_V, a group's resistances in
/// parallel, the nearest joined first. Unknown resistances are taken low, 20 mΩ·Ah a cell, so that
/// the first current is the worst. Two to eight packs. A refused join is an answer with the way
/// forward. Errors: fewer or more packs, figures that cannot be.
Expected<JoinAnswer> planJoin(const std::vector<JoinPack>& packs, const JoinSetting& setting = {});

}  // namespace nk
