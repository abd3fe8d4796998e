// Packs joined in parallel: who may join whom, and what flows when they do.
#pragma once

#include "chemistry/chemistry.h"

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
};

struct JoinSetting {
    double leadLow_ohm = 0.002, leadHigh_ohm = 0.03;  ///< of leads, connectors and board, a pack
    double careful_V = 0.05, usual_V = 0.1;           ///< apart, a cell
    double ratioLimit = 10;                           ///< of the largest capacity to the smallest
};

struct JoinCurrent {
    std::string pack;
    double first_A = 0;  ///< positive: it is charged; from the packs' resistances alone
    double firstLow_A = 0, firstHigh_A = 0;  ///< with leads and board
    double c_rate = 0;
    double after60_A = 0;
    double share = 0;  ///< of a charge current afterwards
};

struct JoinAnswer {
    bool allowed = false;
    double common_V = 0;
    std::vector<JoinCurrent> currents;
    double chargeMoved_Ah = 0;
    double settle_s = 0;  ///< until every current is under a tenth of the first
    std::vector<std::string> reasons;
    std::vector<std::string> order;  ///< in which they are joined, or charged first
    std::vector<std::string> cautions;
};

/// V = Σ(Vi/Ri)/Σ(1/Ri), Ii = (V − Vi)/Ri at the moment of joining (Kirchhoff); then every pack
/// follows its open-circuit curve until they agree. Unknown resistances are taken low, 20 mΩ·Ah a
/// cell, so that the first current is the worst. Two to eight packs. Errors: fewer or more, no
/// figures.
Expected<JoinAnswer> planJoin(const std::vector<JoinPack>& packs, const JoinSetting& setting = {});

}  // namespace nk
