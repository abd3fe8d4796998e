// Finding delimiter, decimal sign, header and columns of a text table from its first lines.
#pragma once

#include <string_view>
#include <vector>

#include "text_table.h"

namespace nk {

/// Guesses the dialect. Errors: one column only, no numbers, no voltage or current.
Expected<Dialect> guessDialect(std::string_view text, const std::string& name,
                               const ReadOptions& options);

}  // namespace nk
