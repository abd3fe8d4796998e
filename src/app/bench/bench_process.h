// Which program is at a live recording: told by its process number and the moment it began, so that
// a number that was given away again is not taken for it.
#pragma once

#include <string>

namespace nk {

/// JSON of this process: `{"pid": …, "began": …}`.
std::string processMark();
/// The details of a live recording name this process.
bool isThisProcess(const std::string& details);
/// The process that the details name runs still, and is another than this one.
bool anotherIsAtIt(const std::string& details);

}  // namespace nk
