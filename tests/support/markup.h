// Whether markup is well formed, and what it shows to a person: for sheets and pictures in tests.
#pragma once

#include <cctype>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace nk::test {

/// What is wrong with it, as a sentence; empty: every element is closed in order, every attribute
/// quoted and there once, every "&" begins an entity (XML 1.0, 2.1 and 3.1; HTML's void elements
/// need no end).
inline std::string faultOf(std::string_view text) {
    static const std::set<std::string> kVoid{"meta", "br", "img", "hr", "link", "input", "col"};
    std::vector<std::string> open;
    const auto around = [&](std::size_t at) {
        return " at \"" + std::string(text.substr(at > 20 ? at - 20 : 0, 60)) + "\"";
    };
    const auto entity = [&](std::size_t at) {
        const std::size_t end = text.find(';', at);
        if (end == std::string_view::npos || end > at + 10 || end == at + 1) return false;
        for (std::size_t k = at + 1; k < end; ++k)
            if (std::isalnum(static_cast<unsigned char>(text[k])) == 0 && text[k] != '#')
                return false;
        return true;
    };
    for (std::size_t k = 0; k < text.size(); ++k) {
        if (text[k] == '&' && !entity(k)) return "a bare &" + around(k);
        if (text[k] == '>') return "a bare >" + around(k);
        if (text[k] != '<') continue;
        if (text.substr(k, 4) == "<!--") {
            k = text.find("-->", k);
            if (k == std::string_view::npos) return "a comment without end";
            k += 2;
            continue;
        }
        if (text.substr(k, 2) == "<!" || text.substr(k, 2) == "<?") {
            k = text.find('>', k);
            continue;
        }
        const bool closing = text.substr(k, 2) == "</";
        std::size_t at = k + (closing ? 2 : 1);
        std::string name;
        while (at < text.size() && (std::isalnum(static_cast<unsigned char>(text[at])) != 0 ||
                                    text[at] == '-' || text[at] == ':'))
            name += text[at++];
        if (name.empty()) return "a bare <" + around(k);
        std::set<std::string> attributes;
        bool alone = false;
        while (at < text.size() && text[at] != '>') {
            if (std::isspace(static_cast<unsigned char>(text[at])) != 0) {
                ++at;
            } else if (text[at] == '/') {
                alone = true;
                ++at;
            } else {
                std::string attribute;
                while (at < text.size() && text[at] != '=' && text[at] != '>' &&
                       std::isspace(static_cast<unsigned char>(text[at])) == 0)
                    attribute += text[at++];
                if (!attributes.insert(attribute).second)
                    return "attribute " + attribute + " twice" + around(k);
                if (at >= text.size() || text[at] != '=') continue;  // HTML's bare attribute
                const char quote = ++at < text.size() ? text[at] : ' ';
                if (quote != '"' && quote != '\'') return "an unquoted attribute" + around(at);
                for (++at; at < text.size() && text[at] != quote; ++at) {
                    if (text[at] == '<') return "a bare < in an attribute" + around(at);
                    if (text[at] == '&' && !entity(at))
                        return "a bare & in an attribute" + around(at);
                }
                ++at;
            }
        }
        if (at >= text.size()) return "an element without end" + around(k);
        if (closing) {
            if (open.empty() || open.back() != name)
                return "</" + name + "> closes " + (open.empty() ? "nothing" : open.back()) +
                       around(k);
            open.pop_back();
        } else if (!alone && !kVoid.contains(name)) {
            open.push_back(name);
            if (name == "style" || name == "script") {
                at = text.find("</" + name, at);
                if (at == std::string_view::npos) return name + " without end";
                --at;
            }
        }
        k = at;
    }
    return open.empty() ? std::string() : open.back() + " is never closed";
}

/// What a person reads: without elements, styles and entities.
inline std::string shownText(std::string_view markup) {
    std::string out;
    for (std::size_t k = 0; k < markup.size(); ++k) {
        if (markup.substr(k, 6) == "<style" || markup.substr(k, 7) == "<script") {
            k = markup.find(markup[k + 2] == 't' ? "</style>" : "</script>", k);
            if (k == std::string_view::npos) break;
        }
        if (markup[k] == '<') {
            k = markup.find('>', k);
            if (k == std::string_view::npos) break;
            out += '\n';
        } else if (markup[k] == '&') {
            k = markup.find(';', k);
            if (k == std::string_view::npos) break;
            out += '?';
        } else {
            out += markup[k];
        }
    }
    return out;
}

/// Words of at least three letters in a shown text that stand outside ⟦ and ⟧, which a test's
/// language puts around each sentence: words that no translator was asked for.
inline std::set<std::string> wordsOutside(std::string_view shown) {
    constexpr std::string_view kOpen = "\xE2\x9F\xA6", kClose = "\xE2\x9F\xA7";
    std::set<std::string> out;
    int depth = 0;
    std::string word;
    const auto end = [&] {
        if (word.size() >= 3 && depth == 0) out.insert(word);
        word.clear();
    };
    for (std::size_t k = 0; k < shown.size(); ++k) {
        if (shown.substr(k, 3) == kOpen || shown.substr(k, 3) == kClose) {
            end();
            depth += shown.substr(k, 3) == kOpen ? 1 : -1;
            k += 2;
        } else if (std::isalpha(static_cast<unsigned char>(shown[k])) != 0) {
            word += shown[k];
        } else {
            end();
        }
    }
    end();
    return out;
}

}  // namespace nk::test
