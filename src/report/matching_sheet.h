// The build sheet of a matched pack: which module goes where, what each group holds, the cautions.
#pragma once

#include <string>
#include <vector>

#include "history/matching.h"
#include "quantity/phrase.h"

namespace nk {

/// A whole HTML page. `madeOn`: the day, in words.
std::string matchingSheetHtml(const std::vector<MatchModule>& modules, const Matching& matching,
                              const std::string& madeOn, const NumberStyle& style);

/// The sentences of a matching: how even, how near to the bound, what the pack holds.
std::vector<std::string> matchingWords(const std::vector<MatchModule>& modules,
                                       const Matching& matching);

}  // namespace nk
