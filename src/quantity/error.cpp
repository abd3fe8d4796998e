#include "error.h"

#include "phrase.h"

namespace nk {

std::string Error::text() const {
    std::string out;
    if (!where.empty()) out += where + ": ";
    out += what;
    if (!accepted.empty())
        out += " " +
               (rule.empty() ? phrase("Accepted: {}", accepted) : phrase("Instead: {}", accepted));
    return out;
}

tl::unexpected<Error> fail(ErrorKind kind, std::string what, std::string where,
                           std::string accepted) {
    return tl::unexpected<Error>(
        Error{kind, std::move(what), std::move(where), std::move(accepted)});
}

}  // namespace nk
