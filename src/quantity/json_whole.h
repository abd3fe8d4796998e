// Whole numbers out of JSON that came from elsewhere.
#pragma once

#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <type_traits>

namespace nk {

/// The whole number `j` is, as `Int`. Throws the library's out_of_range where it is none or does
/// not fit: the library itself converts 1e308 and 2⁶⁰ to whatever comes out.
template <class Int, class Json>
Int wholeOf(const Json& j) {
    static_assert(std::is_integral_v<Int>);
    using Limits = std::numeric_limits<Int>;
    const auto no = [&] {
        return nlohmann::detail::out_of_range::create(406, "no whole number of its kind", &j);
    };
    if (j.is_number_unsigned()) {
        const auto x = j.template get<std::uint64_t>();
        if (x > static_cast<std::uint64_t>(Limits::max())) throw no();
        return static_cast<Int>(x);
    }
    if (j.is_number_integer()) {
        const auto x = j.template get<std::int64_t>();
        if constexpr (std::is_unsigned_v<Int>) {
            if (x < 0) throw no();
        } else if (x < Limits::min() || x > Limits::max()) {
            throw no();
        }
        return static_cast<Int>(x);
    }
    if (!j.is_number()) throw no();
    // Written with a point or an exponent, as some writers do; exact up to 2⁵³.
    const double x = j.template get<double>();
    constexpr double kExact = 9007199254740992.0;
    const bool fits = std::floor(x) == x && std::abs(x) <= kExact &&
                      x >= static_cast<double>(Limits::min()) &&
                      x <= static_cast<double>(Limits::max());
    if (!fits) throw no();
    return static_cast<Int>(x);
}

/// The same of a member, or `otherwise` where there is none.
template <class Int, class Json>
Int wholeIn(const Json& j, const char* key, Int otherwise) {
    const auto it = j.find(key);
    return it == j.end() ? otherwise : wholeOf<Int>(*it);
}

}  // namespace nk
