#include "sag_map.h"

#include <algorithm>
#include <cmath>

namespace nk {

SagMap sagMap(const Rating& rating, double cells) {
    SagMap out;
    if (rating.curves.empty() || !(cells > 0)) return out;
    const SagModel model(rating.curves, rating.resistance_ohm);
    for (const DischargeCurve& c : rating.curves)
        if (!c.charge_Ah.empty()) out.deepest_Ah = std::max(out.deepest_Ah, c.charge_Ah.back());
    out.most_A = 1.3 * model.highestMeasured_A();
    if (const RatingView* sag = rating.view("sag"); sag != nullptr && sag->known())
        out.most_A = std::max(out.most_A, 1.15 * sag->current_A);
    out.lowest_V = 1e9;
    out.highest_V = -1e9;
    for (int x = 0; x < SagMap::kColumns; ++x)
        for (int y = 0; y < SagMap::kRows; ++y) {
            const double q = out.charge_Ah(x);
            const double i = out.current_A(y);
            const double v = model.voltage_V(q, std::max(i, 1e-3)) / cells;
            out.volts.push_back(static_cast<float>(v));
            out.measured.push_back(model.measured(q, i));
            if (!std::isfinite(v)) continue;
            out.lowest_V = std::min(out.lowest_V, v);
            out.highest_V = std::max(out.highest_V, v);
        }
    const double floor = rating.floor_V_per_cell * cells;
    for (int x = 0; x <= 120; ++x) {
        const double q = out.deepest_Ah * x / 120;
        double above = 1e-3;
        double below = out.most_A;
        if (!(model.voltage_V(q, above) >= floor) || model.voltage_V(q, below) >= floor) continue;
        for (int k = 0; k < 40; ++k) {
            const double m = 0.5 * (above + below);
            (model.voltage_V(q, m) >= floor ? above : below) = m;
        }
        out.edge_Ah.push_back(q);
        out.edge_A.push_back(above);
    }
    return out;
}

}  // namespace nk
