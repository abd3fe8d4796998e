// One current that a log has in two columns: what goes in and what comes out.
#include <algorithm>
#include <cmath>

#include "candidate_settings.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// Whether the voltage goes down with what flows in the column.
bool drains(const std::vector<double>& current, const std::vector<double>& voltage) {
    double together = 0;
    for (std::size_t k = 1; k < std::min(current.size(), voltage.size()); ++k) {
        const double di = current[k] - current[k - 1];
        const double dv = voltage[k] - voltage[k - 1];
        if (std::isfinite(di) && std::isfinite(dv)) together += di * dv;
    }
    return together < 0;
}

}  // namespace

void splitCurrents(Hypothesis& h, const std::vector<ColumnFacts>& facts) {
    const std::size_t taken = indexOf(h.columns, Role::Current);
    if (taken == h.columns.size()) return;
    const auto numbers = [&](std::size_t k) { return facts[k].values(h.decimal); };
    const auto turns = [](const std::vector<double>& x) {
        bool up = false;
        bool down = false;
        for (const double v : x) up |= v > 0, down |= v < 0;
        return up && down;
    };
    const std::vector<double> one = numbers(taken);
    if (turns(one)) return;
    std::size_t other = h.columns.size();
    for (std::size_t k = 0; k < h.columns.size(); ++k) {
        if (k == taken || h.columns[k].role != Role::Ignore || !h.columns[k].current) continue;
        const std::vector<double> two = numbers(k);
        bool apart = !turns(two);
        bool flows = false;
        std::size_t figures = 0;
        for (std::size_t i = 0; apart && i < std::min(one.size(), two.size()); ++i) {
            figures += std::isfinite(one[i]) || std::isfinite(two[i]);
            flows |= std::abs(two[i]) > 0;
            apart = !(std::abs(one[i]) > 0 && std::abs(two[i]) > 0);
        }
        // One that never flows proves nothing, unless its name says what it is.
        const bool opposite = h.columns[taken].direction * h.columns[k].direction < 0;
        if (!apart || figures < 3 || (!flows && !opposite)) continue;
        if (other != h.columns.size()) return;  // three of them: nobody knows
        other = k;
    }
    if (other == h.columns.size()) return;
    Column& a = h.columns[taken];
    Column& b = h.columns[other];
    const std::size_t volts = indexOf(h.columns, Role::Voltage);
    const bool byName = a.direction != b.direction;
    const bool swapped = byName ? a.direction < b.direction
                                : volts < h.columns.size() && drains(one, numbers(volts));
    if (!byName) {
        a.direction = b.direction = 0;
        h.said.push_back(
            phrase("'{}' and '{}' never flow together: taken as what goes in and what "
                   "comes out, told apart by the voltage",
                   a.title, b.title));
    }
    (swapped ? b : a).role = Role::ChargeCurrent;
    (swapped ? a : b).role = Role::DischargeCurrent;
    if (byName) a.direction = swapped ? -1 : 1, b.direction = -a.direction;
    if (!a.unit) a.unit = b.unit;
    if (!b.unit) b.unit = a.unit;
}

}  // namespace nk
