// A MAT-file's own structure, checked before the library reads it: every element lies inside its
// parent, and no matrix claims more elements than it has bytes. The library trusts these numbers.
#pragma once

#include <string_view>

namespace nk {

/// True for a v5 file whose elements are consistent (compressed ones are unpacked and walked, up to
/// 512 MiB each). False for anything else.
bool saneMat5(std::string_view bytes);

}  // namespace nk
