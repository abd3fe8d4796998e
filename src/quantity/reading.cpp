#include "reading.h"

#include <algorithm>

namespace nk {

bool keepWithin(Reading& r, double least, double most) {
    const double low = r.value - r.expanded();
    const double high = r.value + r.expanded();
    if (!(high > least) || !(low < most)) return false;
    if (low >= least && high <= most) return true;
    const double half = 0.5 * (std::min(high, most) - std::max(low, least));
    r.value = std::max(low, least) + half;
    r.uncertainty = half / r.coverage;
    return true;
}

std::string toString(Severity severity) {
    switch (severity) {
        case Severity::Hazard:
            return "hazard";
        case Severity::Verdict:
            return "verdict";
        case Severity::Note:
            return "note";
    }
    return "note";
}

}  // namespace nk
