#include "open_circuit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "quantity/format.h"

namespace nk {

OwnCurve OpenCircuitEstimate::curve() const {
    OwnCurve out;
    out.soc = soc;
    out.voltage_V = voltage_V;
    double sum = 0;
    for (const double u : uncertainty_V) sum += u * u / static_cast<double>(uncertainty_V.size());
    out.uncertainty_V = std::sqrt(sum);
    return out;
}

std::optional<OpenCircuitEstimate> estimateOpenCircuit(const std::vector<DischargeCurve>& curves,
                                                       const Battery& battery) {
    std::vector<const DischargeCurve*> whole;
    for (const DischargeCurve& c : curves)
        if (c.startedFull && c.reachedFloor) whole.push_back(&c);
    if (whole.empty() || battery.rated_Ah <= 0) return std::nullopt;
    std::sort(whole.begin(), whole.end(),
              [](const auto* a, const auto* b) { return a->mean_A < b->mean_A; });
    const DischargeCurve& slow = *whole.front();
    const DischargeCurve* fast = nullptr;
    for (const DischargeCurve* c : whole)
        if (c->mean_A >= 1.5 * slow.mean_A && fast == nullptr) fast = c;
    OpenCircuitEstimate out;
    // The slow run ends with some charge left behind its own sag; it counts as empty at its rate.
    out.capacity_Ah = slow.delivered_Ah;
    const double cells = battery.cells();
    if (fast != nullptr) {
        out.method = phrase("two rates, {} and {}, carried back to no current",
                            shortValue(slow.mean_A, "A"), shortValue(fast->mean_A, "A"));
    } else if (slow.mean_A <= battery.rated_Ah / 4 && std::isfinite(slow.resistance_ohm)) {
        out.method = phrase("one slow discharge at {} with {} added", shortValue(slow.mean_A, "A"),
                            shortValue(slow.resistance_ohm, "ohm"));
    } else {
        return std::nullopt;
    }
    double lastR = fast == nullptr ? slow.resistance_ohm : kNaN;
    // From full to empty; the resistance of the last shared charge is carried on to the end.
    for (int k = 0; k <= 50; ++k) {
        const double q = out.capacity_Ah * k / 50;
        const double inside = std::clamp(q, slow.charge_Ah.front(), slow.charge_Ah.back());
        const double v1 = slow.voltageAt(inside);
        if (fast != nullptr && inside >= fast->charge_Ah.front()) {
            const double v2 = fast->voltageAt(inside);
            const double r = (v1 - v2) / (fast->mean_A - slow.mean_A);
            if (std::isfinite(r) && r > 0) lastR = r;
        }
        if (!std::isfinite(v1) || !std::isfinite(lastR)) continue;
        const double v = (v1 + slow.mean_A * lastR) / cells;
        out.soc.push_back(1 - static_cast<double>(k) / 50);
        out.voltage_V.push_back(v);
        // The resistance is known to a fifth, as delays differ; the voltmeter to its own doubt.
        out.uncertainty_V.push_back(std::hypot(slow.sigma_V, 0.2 * slow.mean_A * lastR) / cells +
                                    0.002);
    }
    std::reverse(out.soc.begin(), out.soc.end());
    std::reverse(out.voltage_V.begin(), out.voltage_V.end());
    std::reverse(out.uncertainty_V.begin(), out.uncertainty_V.end());
    // A curve rises: noise that says otherwise is levelled.
    for (std::size_t n = 1; n < out.voltage_V.size(); ++n)
        out.voltage_V[n] = std::max(out.voltage_V[n], out.voltage_V[n - 1] + 1e-5);
    if (out.soc.size() < 20) return std::nullopt;
    return out;
}

}  // namespace nk
