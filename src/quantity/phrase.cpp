#include "phrase.h"

namespace nk {

namespace {

thread_local Presentation current;

}  // namespace

const Presentation& presentation() {
    return current;
}

void setPresentation(Presentation wanted) {
    current = std::move(wanted);
}

Presenting::Presenting(Presentation wanted) : before_(std::move(current)) {
    current = std::move(wanted);
}

Presenting::~Presenting() {
    current = std::move(before_);
}

std::string translated(const char* english) {
    if (!current.translate) return english;
    std::string words = current.translate(english);
    return words.empty() ? std::string(english) : words;
}

}  // namespace nk
