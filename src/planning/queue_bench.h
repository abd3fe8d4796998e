// What a queue is planned on: its modules on its channels, with times and currents, and what has
// been done already.
#pragma once

#include <limits>
#include <vector>

#include "queue.h"

namespace nk {

/// A time that never comes: no charger can.
inline constexpr double kQueueNever = std::numeric_limits<double>::infinity();

/// A place of a charger.
struct QueueChannel {
    std::size_t charger = 0;
    int number = 1;
};

/// What does not change while plans are tried.
struct QueueBench {
    const QueueWish& wish;
    std::vector<QueueChannel> channels;
    /// Seconds and currents by module and charger: [module][charger].
    std::vector<std::vector<double>> charge_s, discharge_s, charge_A, discharge_A;
    /// The same with a tenth of C, for what runs while nobody is there.
    std::vector<std::vector<double>> gentle_s, gentle_A;
    std::vector<bool> isCharge;  ///< of the steps of a chain, without rests
    double rest_s = 0;
    /// By module and link; null where nobody put it anywhere.
    std::vector<std::vector<const QueuePin*>> pins;
    std::vector<std::size_t> begun;  ///< links of each module that are done or running
    std::vector<bool> retired;
    double now_s = 0;
    std::vector<std::string> cautions;  ///< of modules, each a sentence with its name
};

/// Errors: figures that cannot be, what the gate refuses, a module that no charger can take, a
/// charge that is longer than the attended hours, steps that do not fit the bench.
Expected<QueueBench> makeQueueBench(const QueueWish& wish);

}  // namespace nk
