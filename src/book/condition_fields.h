// The numbers among the conditions of a reading, each by its key in the book and in JSON.
#pragma once

#include "stored.h"

namespace nk {

struct ConditionField {
    const char* key;
    double ReadingConditions::*value;
};
inline constexpr ConditionField kConditions[] = {
    {"c_rate", &ReadingConditions::cRate},
    {"floor_V_per_cell", &ReadingConditions::floor_V_per_cell},
    {"set_V_per_cell", &ReadingConditions::set_V_per_cell},
    {"cutoff_c", &ReadingConditions::cutoff_C},
    {"soc", &ReadingConditions::soc},
    {"delay_s", &ReadingConditions::delay_s},
    {"temperature_C", &ReadingConditions::temperature_C},
    {"rest_before_s", &ReadingConditions::restBefore_s},
    {"mean_A", &ReadingConditions::mean_A},
    {"plateau_A", &ReadingConditions::plateau_A},
    {"from_level", &ReadingConditions::fromLevel},
    {"end_slope_V_per_Ah", &ReadingConditions::endSlope_V_Ah},
    {"end_slope_share", &ReadingConditions::endSlopeShare},
    {"end_doubt_V", &ReadingConditions::endDoubt_V},
};

}  // namespace nk
