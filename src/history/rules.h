// Rules and periods of a book that a user may change: kept as JSON among the book's settings.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "book/bench_book.h"
#include "due.h"
#include "verdict.h"

namespace nk {

/// One figure of a set of rules, as it is shown, checked and stored.
template <class Rules>
struct RuleField {
    const char* id;     ///< stable, in the book
    const char* words;  ///< English, for phrase()
    double Rules::*value;
    double least, most;  ///< accepted
    bool percent;        ///< shown as a percentage
};
const std::vector<RuleField<VerdictRules>>& verdictFields();
const std::vector<RuleField<DueRules>>& dueFields();

/// Those of the book, the program's where it says nothing or nothing that is accepted.
Expected<VerdictRules> verdictRules(BenchBook& book);
Expected<DueRules> dueRules(BenchBook& book);
/// Errors: a figure outside its limits, named.
Expected<void> setVerdictRules(BenchBook& book, const VerdictRules& rules);
Expected<void> setDueRules(BenchBook& book, const DueRules& rules);

}  // namespace nk
