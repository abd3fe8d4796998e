// The words and number style that sentences are made with. The core writes English with a decimal
// point; a window may ask for another language, decimal sign or unit for the threads it starts.
// Only words depend on it: the values of readings and everything that is stored or exported do not.
#pragma once

#include <fmt/format.h>

#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <type_traits>

namespace nk {

enum class ChargeUnit { BySize, AmpHours, MilliAmpHours };

struct NumberStyle {
    char decimal = '.';
    bool fahrenheit = false;
    ChargeUnit charge = ChargeUnit::BySize;  ///< BySize: under 1 Ah in mAh
    bool operator==(const NumberStyle&) const = default;
};

struct Presentation {
    NumberStyle style;
    /// The sentence, with its {} places, in the wanted language; empty: English.
    std::function<std::string(const char* english)> translate;
    /// Sentences are not said but written down, for whoever reads them later in his own language.
    bool recorded = false;
    std::shared_ptr<const Presentation> said = {};  ///< what `retold` speaks meanwhile
};

/// Of the calling thread; English with a point until a Presenting says otherwise.
const Presentation& presentation();
inline const NumberStyle& currentStyle() {
    return presentation().style;
}

void setPresentation(Presentation wanted);

/// Sets the presentation of this thread for its own lifetime.
class Presenting {
  public:
    explicit Presenting(Presentation wanted);
    ~Presenting();
    Presenting(const Presenting&) = delete;
    Presenting& operator=(const Presenting&) = delete;

  private:
    Presentation before_;
};

/// A number inside a phrase: written with the decimal sign of the style and a true minus sign.
struct PhraseNumber {
    double value;
};

/// Sentences of this thread are written down for its own lifetime: phrase() gives a text that
/// `retold` says in the language of whoever asks.
class Recorded {
  public:
    Recorded() : within_({{}, {}, true, std::make_shared<const Presentation>(presentation())}) {}

  private:
    Presenting within_;
};

/// A text with written-down sentences in it, said in the language of this thread. Any other text is
/// given back as it is; what is broken or nested too deep is said as far as it can be read.
std::string retold(std::string_view text);
/// Whether it holds a sentence that was written down.
bool isRecorded(std::string_view text);

namespace written {

inline constexpr char kBegin = '\x02', kEnd = '\x03';
/// Figures inside of sentences: value and unit, value and decimals.
inline constexpr const char *kShort = "\x04short", *kFixed =
                                                       "\x04"
                                                       "fixed";

void piece(std::string& out, char kind, std::string_view text);

template <class T>
void argument(std::string& out, const T& x) {
    using Plain = std::remove_cvref_t<T>;
    if constexpr (std::is_floating_point_v<Plain>)
        piece(out, 'd', fmt::format("{:.17g}", static_cast<double>(x)));
    else if constexpr (std::is_same_v<Plain, bool> || std::is_same_v<Plain, char>)
        piece(out, 's', fmt::format("{}", x));
    else if constexpr (std::is_unsigned_v<Plain>)
        piece(out, 'u', fmt::format("{}", x));
    else if constexpr (std::is_integral_v<Plain>)
        piece(out, 'i', fmt::format("{}", x));
    else
        piece(out, 's', fmt::format("{}", x));
}

template <class... Args>
std::string sentence(const char* english, const Args&... args) {
    std::string out(1, kBegin);
    piece(out, 't', english);
    (argument(out, args), ...);
    out += kEnd;
    return out;
}

}  // namespace written

/// The translation of a sentence, or itself.
std::string translated(const char* english);

/// A sentence in the language of this thread. Its {} places are those of fmt; numbers in them
/// follow the number style. A translation whose places do not fit is not used.
template <class... Args>
std::string phrase(const char* english, const Args&... args) {
    if (presentation().recorded) return written::sentence(english, args...);
    std::string words = translated(english);
    if constexpr (sizeof...(Args) == 0) {
        return words;
    } else {
        const auto wrap = [](const auto& x) {
            if constexpr (std::is_floating_point_v<std::remove_cvref_t<decltype(x)>>)
                return PhraseNumber{static_cast<double>(x)};
            else
                return x;
        };
        const auto fill = [&](const std::string& text) {
            return [&](const auto&... wrapped) {
                return fmt::vformat(text, fmt::make_format_args(wrapped...));
            }(wrap(args)...);
        };
        try {
            return fill(words);
        } catch (const fmt::format_error&) {
            return fill(english);
        }
    }
}
inline std::string phrase(const std::string& english) {
    if (presentation().recorded) return written::sentence(english.c_str());
    return translated(english.c_str());
}

}  // namespace nk

template <>
struct fmt::formatter<nk::PhraseNumber> : fmt::formatter<double> {
    template <class Context>
    auto format(const nk::PhraseNumber& n, Context& context) const {
        fmt::memory_buffer text;
        auto inner = fmt::basic_format_context<fmt::appender, char>(fmt::appender(text), {});
        fmt::formatter<double>::format(n.value, inner);
        return nk_write(fmt::string_view(text.data(), text.size()), context.out());
    }

  private:
    template <class Out>
    static Out nk_write(fmt::string_view text, Out out) {
        const char decimal = nk::currentStyle().decimal;
        for (const char c : text) {
            if (c == '-')
                out = std::copy_n("\u2212", 3, out);
            else
                *out++ = c == '.' ? decimal : c;
        }
        return out;
    }
};
