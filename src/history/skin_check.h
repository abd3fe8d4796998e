// A look at a battery: dents, swelling, wrap, smell, corrosion. What is dangerous takes it out of
// use until a person says otherwise.
#pragma once

#include <string>
#include <vector>

#include "book/bench_book.h"

namespace nk {

enum class SkinGrade { Fine, Watch, Hazard };

/// One kind of thing that can be seen or smelt, and what it means (methods.md §12; common
/// practice).
struct SkinSign {
    const char* id;     ///< stable, in the book
    const char* words;  ///< English, for phrase()
    SkinGrade grade;
};
const std::vector<SkinSign>& skinSigns();

/// The worst of the signs; unknown ones count as Watch. None: Fine.
SkinGrade gradeOf(const std::vector<std::string>& signs);

/// Stores what was seen as a reading of kind "skin" (value 0 fine, 1 watch, 2 hazard; the signs in
/// `method`, separated by blanks). A hazard puts the battery out of use with the reason, in the
/// same step of undo. Errors: no such battery, the book cannot be written.
Expected<SkinGrade> addSkinCheck(BenchBook& book, std::int64_t batteryId,
                                 const std::vector<std::string>& signs, const std::string& note,
                                 double at_s);

/// A person says that it may be used again; the reason that stood is kept as a note of the act.
Expected<void> bringBack(BenchBook& book, std::int64_t batteryId);

/// Into the drawer, or out of it.
Expected<void> setRetired(BenchBook& book, std::int64_t batteryId, bool retired, double now_s);

}  // namespace nk
