// The words and number style that sentences are made with. The core writes English with a decimal
// point; a window may ask for another language, decimal sign or unit for the threads it starts.
// Only words depend on it: the values of readings and everything that is stored or exported do not.
#pragma once

#include <fmt/format.h>

#include <functional>
#include <string>
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

/// The translation of a sentence, or itself.
std::string translated(const char* english);

/// A sentence in the language of this thread. Its {} places are those of fmt; numbers in them
/// follow the number style. A translation whose places do not fit is not used.
template <class... Args>
std::string phrase(const char* english, const Args&... args) {
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
