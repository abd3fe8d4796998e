// Fade reports as JSON (narrow-knee/fade/1) and as sentences.
#pragma once

#include <string>

#include "history/fade_report.h"

namespace nk {

std::string fadeJson(const FadeReport& report);
std::string fadeText(const FadeReport& report);

}  // namespace nk
