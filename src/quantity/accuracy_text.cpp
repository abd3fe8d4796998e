#include "accuracy_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "harmless.h"
#include "phrase.h"
#include "units.h"

namespace nk {

Expected<InstrumentAccuracy> parseAccuracy(const std::string& text, const std::string& where) {
    InstrumentAccuracy out;
    std::stringstream parts(text);
    std::string part;
    const auto refused = [&] {
        return fail(ErrorKind::InvalidArgument, phrase("'{}' is no accuracy.", harmless(part, 40)),
                    where,
                    phrase("V=0.5%+1, A=1%+2 (percent of the reading, at most 20, and steps of the "
                           "last digit, at most 100) or C=1 (kelvin)."));
    };
    while (std::getline(parts, part, ',')) {
        part.erase(std::remove(part.begin(), part.end(), ' '), part.end());
        if (part.size() < 3 || part[1] != '=') return refused();
        std::string rest = part.substr(2);
        if (part[0] == 'C') {
            const auto kelvin = parseQuantity(rest, Quantity::Temperature);
            if (!kelvin || !(*kelvin >= 0 && *kelvin <= 20)) return refused();
            out.temperature_C = *kelvin;
            continue;
        }
        if (part[0] != 'V' && part[0] != 'A') return refused();
        double& gain = part[0] == 'V' ? out.voltageGain : out.currentGain;
        double& steps = part[0] == 'V' ? out.voltageOffsetSteps : out.currentOffsetSteps;
        const std::size_t percent = rest.find('%');
        if (percent != std::string::npos) {
            const auto value = parseQuantity(rest.substr(0, percent), Quantity::Time);
            if (!value || !(*value >= 0 && *value <= 20)) return refused();
            gain = *value / 100;
            rest = rest.substr(percent + 1);
            if (!rest.empty() && (rest[0] != '+' || rest.size() < 2)) return refused();
            rest = rest.empty() ? "" : rest.substr(1);
        }
        if (!rest.empty()) {
            const auto value = parseQuantity(rest, Quantity::Time);
            if (!value || !(*value >= 0 && *value <= 100)) return refused();
            steps = *value;
        }
    }
    return out;
}

std::string accuracyText(const InstrumentAccuracy& a) {
    return fmt::format("V={:.6g}%+{:.6g},A={:.6g}%+{:.6g},C={:.6g}", 100 * a.voltageGain,
                       a.voltageOffsetSteps, 100 * a.currentGain, a.currentOffsetSteps,
                       a.temperature_C);
}

}  // namespace nk
