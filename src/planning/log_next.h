// What to log next, as a program of steps: charged to full, rested, one whole discharge.
#pragma once

#include "program.h"

namespace nk {

/// The discharge that tells the capacity: full, rested half an hour, `rate_C` down to the usual
/// floor. Errors: chemistry, series or rating not known; a charger that cannot.
Expected<Program> planCapacityLog(const ProgramWish& wish, double rate_C = 0.2);

}  // namespace nk
