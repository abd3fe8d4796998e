#include "measured.h"

#include <algorithm>
#include <array>
#include <utility>

namespace nk {

int measuredCoverage(const std::string& metric) {
    // tests/coverage/coverage.py --count 2000 --seed 9; docs/methods.md has the whole table.
    static constexpr std::array<std::pair<const char*, int>, 16> kMeasured = {{
        {"charge_in_cv", 98},
        {"charge_left_at_stop", 96},
        {"cv_set_voltage", 99},
        {"delivered_capacity", 98},
        {"fullness_at_stop", 96},
        {"true_c_heat", 99},
        {"imbalance_loss", 97},
        {"knee_time", 96},
        {"peak_drop_per_cell", 95},
        {"peak_time", 95},
        {"resistance_10s", 98},
        {"resistance_1s", 99},
        {"resistance_30s", 97},
        {"rested_voltage", 99},
        {"true_c_sag", 94},
        {"taper_end_current", 95},
    }};
    const auto found = std::find_if(kMeasured.begin(), kMeasured.end(),
                                    [&](const auto& entry) { return metric == entry.first; });
    return found != kMeasured.end() ? found->second : 0;
}

}  // namespace nk
