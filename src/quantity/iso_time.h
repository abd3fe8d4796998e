// Moments as text, ISO 8601 in UTC.
#pragma once

#include <string>
#include <string_view>

namespace nk {

/// "2026-05-01T18:00:00Z" of seconds since 1970, whole seconds; empty when there is none or it lies
/// outside the years 1970 to 9999.
std::string isoTime(double epoch_s);

/// Seconds since 1970 of "2026-05-01" (midnight UTC) or "2026-05-01T18:00[:00][Z]"; NaN for
/// anything else.
double fromIsoTime(std::string_view text);

}  // namespace nk
