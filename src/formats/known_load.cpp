#include "quantity/harmless.h"
#include "quantity/phrase.h"
#include "text_table.h"

namespace nk {

double currentOf(const KnownLoad& load, double voltage_V) {
    switch (load.kind) {
        case KnownLoad::Power:
            return voltage_V > 0 ? -load.value / voltage_V : 0;
        case KnownLoad::Current:
            return -load.value;
        case KnownLoad::Resistance:
            return -voltage_V / load.value;
        default:
            return 0;
    }
}

Expected<KnownLoad> parseLoad(const std::string& text) {
    const std::pair<KnownLoad::Kind, Quantity> kinds[] = {
        {KnownLoad::Power, Quantity::Power},
        {KnownLoad::Current, Quantity::Current},
        {KnownLoad::Resistance, Quantity::Resistance}};
    // A bare number is no load: of what?
    const bool bare = text.find_first_not_of("0123456789.+-eE ") == std::string::npos;
    for (const auto& [kind, quantity] : kinds)
        if (const auto value = parseQuantity(text, quantity);
            value && !bare && *value > 0 && *value <= 4e7)
            return KnownLoad{kind, *value};
    return fail(ErrorKind::InvalidArgument, phrase("'{}' is no load.", harmless(text, 40)),
                "--load", phrase("a power, current or resistance: 20W, 5A, 8ohm."));
}

}  // namespace nk
