#include "hash.h"

#include <openssl/evp.h>

#include <array>

namespace nk {

struct Sha256::State {
    std::unique_ptr<EVP_MD_CTX, void (*)(EVP_MD_CTX*)> context{EVP_MD_CTX_new(), EVP_MD_CTX_free};
    bool good = false;
};

Sha256::Sha256() : state_(std::make_unique<State>()) {
    state_->good =
        state_->context && EVP_DigestInit_ex(state_->context.get(), EVP_sha256(), nullptr) == 1;
}
Sha256::~Sha256() = default;

void Sha256::add(std::string_view bytes) {
    state_->good =
        state_->good && EVP_DigestUpdate(state_->context.get(), bytes.data(), bytes.size()) == 1;
}

std::string Sha256::digest() {
    std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
    unsigned int length = 0;
    if (!state_->good || EVP_DigestFinal_ex(state_->context.get(), digest.data(), &length) != 1)
        return {};
    return {reinterpret_cast<const char*>(digest.data()), length};
}

std::string Sha256::hex() {
    static constexpr char kHex[] = "0123456789abcdef";
    std::string out;
    for (const char c : digest()) {
        const auto byte = static_cast<unsigned char>(c);
        out.push_back(kHex[byte >> 4]);
        out.push_back(kHex[byte & 15]);
    }
    return out;
}

std::string sha256(std::string_view bytes) {
    Sha256 sum;
    sum.add(bytes);
    return sum.hex();
}

std::string blockChecksum(std::string_view channel, std::int64_t index, std::string_view packed) {
    Sha256 sum;
    sum.add(channel);
    sum.add("\n" + std::to_string(index) + "\n");
    sum.add(packed);
    return sum.digest().substr(0, 16);
}

}  // namespace nk
