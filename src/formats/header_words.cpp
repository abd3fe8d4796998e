#include "header_words.h"

#include <fmt/format.h>

#include <charconv>
#include <stdexcept>
#include <utility>

namespace nk {

const std::vector<std::pair<std::string_view, std::string_view>>& headerWordFiles();

namespace {

std::string_view firstWord(std::string_view& rest) {
    const auto from = rest.find_first_not_of(' ');
    if (from == std::string_view::npos) {
        rest = {};
        return {};
    }
    const auto to = std::min(rest.find(' ', from), rest.size());
    const std::string_view word = rest.substr(from, to - from);
    rest.remove_prefix(to);
    return word;
}

}  // namespace

HeaderWords parseHeaderWords(std::string_view text) {
    HeaderWords out;
    int number = 0;
    while (!text.empty()) {
        const auto end = std::min(text.find('\n'), text.size());
        std::string_view line = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        ++number;
        if (line.empty() || line.front() == '#') continue;
        const auto damaged = [&](const char* what) {
            return std::logic_error(fmt::format("words of headers, line {}: {}", number, what));
        };
        const auto colon = line.find(':');
        if (colon == std::string_view::npos) throw damaged("no colon");
        std::string_view key = line.substr(0, colon);
        line.remove_prefix(colon + 1);
        const std::string_view name = firstWord(key);
        const std::string_view sureness = firstWord(key);
        std::vector<std::string_view>* list = name == "charging"      ? &out.charging
                                              : name == "discharging" ? &out.discharging
                                              : name == "cell"        ? &out.cells
                                              : name == "doubtful"    ? &out.doubtful
                                                                      : nullptr;
        HeaderWords::Entry entry{};
        if (list == nullptr) {
            const auto role = roleFrom(name);
            if (!role) throw damaged("no such role");
            entry.role = *role;
            int score = 0;
            const auto read = std::from_chars(sureness.begin(), sureness.end(), score);
            if (read.ec != std::errc() || read.ptr != sureness.end() || score < 1)
                throw damaged("no sureness");
            entry.score = score;
        }
        for (std::string_view word = firstWord(line); !word.empty(); word = firstWord(line)) {
            entry.text = word;
            if (list != nullptr)
                list->push_back(word);
            else
                out.roles.push_back(entry);
        }
    }
    return out;
}

const HeaderWords& headerWords() {
    static const HeaderWords words = parseHeaderWords(headerWordFiles().front().second);
    return words;
}

}  // namespace nk
