#include "phrase.h"

#include <fmt/args.h>

#include <algorithm>
#include <charconv>
#include <limits>
#include <optional>

#include "format.h"

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

namespace written {

void piece(std::string& out, char kind, std::string_view text) {
    out += kind;
    out += fmt::format("{}:", text.size());
    out += text;
}

}  // namespace written

namespace {

constexpr int kDeepest = 8;

template <class T>
std::optional<T> valueOf(std::string_view text) {
    T value{};
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc() || end != text.data() + text.size()) return std::nullopt;
    return value;
}

struct Reader {
    std::string_view text;
    std::size_t at = 0;

    /// Kind and text of the next piece; false where there is none.
    bool piece(char& kind, std::string_view& words) {
        if (at >= text.size() || text[at] == written::kEnd) return false;
        kind = text[at];
        const auto colon = text.find(':', at + 1);
        if (colon == std::string_view::npos) return false;
        const auto length = valueOf<std::size_t>(text.substr(at + 1, colon - at - 1));
        if (!length || *length > text.size() - colon - 1) return false;
        words = text.substr(colon + 1, *length);
        at = colon + 1 + *length;
        return true;
    }
};

std::string say(std::string_view text, int depth);

/// A form from elsewhere cannot ask for a width of millions.
bool harmless(std::string_view form) {
    int open = 0;
    int digits = 0;
    for (const char c : form) {
        if (c == '{' && ++open > 1) return false;
        if (c == '}' && open > 0) --open;
        digits = open > 0 && c >= '0' && c <= '9' ? digits + 1 : 0;
        if (digits > 2) return false;
    }
    return true;
}

/// The sentence that begins at `r.at`, behind its mark; nothing where it is broken.
std::optional<std::string> sentenceAt(Reader& r, int depth) {
    char kind = 0;
    std::string_view words;
    if (!r.piece(kind, words) || kind != 't') return std::nullopt;
    const std::string english(words);
    if (english == written::kShort || english == written::kFixed) {
        std::string_view more;
        char other = 0;
        if (!r.piece(kind, words) || kind != 'd' || !r.piece(other, more)) return std::nullopt;
        if (r.at >= r.text.size() || r.text[r.at] != written::kEnd) return std::nullopt;
        ++r.at;
        const double value = valueOf<double>(words).value_or(kNaN);
        return english == written::kShort
                   ? shortValue(value, std::string(more))
                   : fixed(value, std::clamp(valueOf<int>(more).value_or(0), 0, 9));
    }
    fmt::dynamic_format_arg_store<fmt::format_context> store;
    bool any = false;
    while (r.piece(kind, words)) {
        any = true;
        if (kind == 'd') {
            const auto x = valueOf<double>(words);
            store.push_back(PhraseNumber{x.value_or(kNaN)});
        } else if (kind == 'i') {
            store.push_back(valueOf<long long>(words).value_or(0));
        } else if (kind == 'u') {
            store.push_back(valueOf<unsigned long long>(words).value_or(0));
        } else if (kind == 's') {
            store.push_back(say(words, depth + 1));
        } else {
            return std::nullopt;
        }
    }
    if (r.at >= r.text.size() || r.text[r.at] != written::kEnd) return std::nullopt;
    ++r.at;
    const std::string said = translated(english.c_str());
    if (!any || !harmless(english)) return said;
    for (const std::string& form : {said, english}) try {
            return fmt::vformat(form, store);
        } catch (const fmt::format_error&) {
        }
    return english;
}

std::string say(std::string_view text, int depth) {
    std::string out;
    std::size_t at = 0;
    while (at < text.size()) {
        const auto begin = text.find(written::kBegin, at);
        out += text.substr(at, begin == std::string_view::npos ? begin : begin - at);
        if (begin == std::string_view::npos) break;
        Reader r{text, begin + 1};
        const auto said = depth < kDeepest ? sentenceAt(r, depth) : std::nullopt;
        if (said) out += *said;
        at = said ? r.at : begin + 1;
    }
    return out;
}

}  // namespace

std::string retold(std::string_view text) {
    if (!isRecorded(text)) return std::string(text);
    if (!current.recorded || !current.said) return say(text, 0);
    const Presenting aloud(*current.said);
    return say(text, 0);
}

bool isRecorded(std::string_view text) {
    return text.find(written::kBegin) != std::string_view::npos;
}

}  // namespace nk
