// Hazards (methods.md §8 and §12): over-voltage, over-discharge, charging cold or hot, too hot.
#pragma once

#include "analysis/analysis.h"

namespace nk {

void checkOvervoltage(const AnalysisInput& in, std::vector<Finding>& out);
/// Over the fault limit only by less than the meter's own doubt.
void checkNearFault(const AnalysisInput& in, std::vector<Finding>& out);
/// What ends a battery's use: grossly overcharged, reversed or driven far down, a rest under the
/// out-of-use voltage.
void checkOutOfUse(const AnalysisInput& in, std::vector<Finding>& out);
void checkOverdischarge(const AnalysisInput& in, std::vector<Finding>& out);
void checkChargedCold(const AnalysisInput& in, std::vector<Finding>& out);
void checkChargedHot(const AnalysisInput& in, std::vector<Finding>& out);
void checkTooHot(const AnalysisInput& in, std::vector<Finding>& out);

/// A stretch of samples, and the most extreme noise-free value in it.
struct Excursion {
    std::size_t first = 0, last = 0;
    double extreme = 0;
};

/// Stretches in which the running median of five samples (three for logs slower than 5 s) is over
/// the limit (or under it). One noisy sample is no excursion. NaN samples are passed over.
std::vector<Excursion> excursions(std::span<const double> column, double limit, bool above,
                                  double interval_s);

}  // namespace nk
