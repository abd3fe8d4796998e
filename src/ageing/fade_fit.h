// The fitting behind fitFade.
#pragma once

#include "fade.h"

namespace nk {

/// What the coefficients of a law multiply at u ≥ 0 of the scaled axis: 1 and f(u); of two slopes
/// 1, u and what is beyond the knee.
std::array<double, 3> fadeBasis(FadeLaw law, double shape, double u);

/// Fills model, laws, knee, noise, correlation and effects. `first`: the table's first cycle, of
/// which the initial value is told. No parts where no law can be fitted.
void fitLaws(const FadeSeries& series, double first, FadeResult& out);

/// Rows of a start that rises beyond chance within the first third; `use`: 0 for rows to be passed
/// over.
std::vector<std::size_t> runningIn(std::span<const double> value, std::span<const char> use);

}  // namespace nk
