// SHA-256 (FIPS 180-4) through OpenSSL.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>

namespace nk {

/// SHA-256 of bytes that come in parts.
class Sha256 {
  public:
    Sha256();
    ~Sha256();
    Sha256(const Sha256&) = delete;
    Sha256& operator=(const Sha256&) = delete;
    void add(std::string_view bytes);
    /// The digest, 32 bytes; nothing may be added afterwards.
    std::string digest();
    /// The digest as 64 hexadecimal digits.
    std::string hex();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

/// SHA-256 as 64 hexadecimal digits.
std::string sha256(std::string_view bytes);

/// Checksum of a stored block: 16 bytes of the SHA-256 of its channel, its place and its packed
/// bytes.
std::string blockChecksum(std::string_view channel, std::int64_t index, std::string_view packed);

}  // namespace nk
