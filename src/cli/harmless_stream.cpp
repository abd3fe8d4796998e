#include "harmless_stream.h"

#include "quantity/harmless.h"

namespace nk {

void HarmlessStream::Buffer::handOn(std::size_t count) {
    if (count == 0) return;
    if (!begun_) {
        const std::size_t first = waiting_.find_first_not_of(" \n");
        begun_ = first != std::string::npos;
        json_ = begun_ && waiting_[first] == '{';
    }
    const std::string_view part = std::string_view(waiting_).substr(0, count);
    if (json_ && plainAscii(part))
        target_ << part;
    else
        target_ << (json_ ? harmlessJson(part) : harmless(part, 0, true));
    if (count == waiting_.size())
        waiting_.clear();
    else
        waiting_.erase(0, count);
    if (!target_) owner_.setstate(std::ios::badbit);
}

HarmlessStream::Buffer::int_type HarmlessStream::Buffer::overflow(int_type c) {
    if (traits_type::eq_int_type(c, traits_type::eof())) return traits_type::not_eof(c);
    const char one = traits_type::to_char_type(c);
    xsputn(&one, 1);
    return c;
}

std::streamsize HarmlessStream::Buffer::xsputn(const char* text, std::streamsize count) {
    waiting_.append(text, static_cast<std::size_t>(count));
    // Whole lines, so that no character is cut.
    const std::size_t end = waiting_.rfind('\n');
    if (end != std::string::npos && waiting_.size() > 4096) handOn(end + 1);
    return count;
}

void HarmlessStream::Buffer::pass(std::string_view text) {
    handOn(waiting_.size());
    if (text.empty()) return;
    if (!begun_) begun_ = true, json_ = text.front() == '{';
    target_ << text;
    if (!target_) owner_.setstate(std::ios::badbit);
}

void writeHarmless(std::ostream& out, std::string_view text) {
    if (auto* const stream = dynamic_cast<HarmlessStream*>(&out))
        stream->pass(text);
    else
        out << text;
}

int HarmlessStream::Buffer::sync() {
    handOn(waiting_.size());
    target_.flush();
    return target_ ? 0 : -1;
}

}  // namespace nk
