// Packing a chunk of samples into few bytes without losing a bit: values that are whole multiples
// of a decimal step become integer differences, their bytes are shuffled and compressed with zstd;
// everything else keeps its raw bytes, shuffled and compressed (docs/formats.md, "chunk").
#pragma once

#include <span>
#include <string>
#include <vector>

#include "quantity/error.h"

namespace nk {

inline constexpr std::size_t kChunkSamples = 65536;

std::string packChunk(std::span<const double> samples);
/// Appends the samples to `out`. Errors on damaged data.
Expected<void> unpackChunk(std::string_view packed, std::vector<double>& out);

/// One zstd frame. Throws std::runtime_error when the library cannot: nothing is stored then.
std::string compressBytes(std::string_view bytes);

/// The same with the size of the content in front, and back. Errors: damaged, or larger than
/// `most`.
std::string packBlob(std::string_view bytes);
Expected<std::string> unpackBlob(std::string_view packed, std::size_t most);

}  // namespace nk
