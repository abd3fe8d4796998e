#include "reading.h"

namespace nk {

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
