// SHA-256 of a file's bytes, as lower-case hex.
#pragma once

#include <string>
#include <string_view>

namespace nk {

std::string sha256(std::string_view bytes);

}  // namespace nk
