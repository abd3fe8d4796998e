// JSON written straight to text, member by member, indented by two as a parser's own printer would:
// an answer may hold hundreds of thousands of readings. What is not known is null, never 0.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <functional>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>
#include <thread>
#include <utility>
#include <vector>

#include "quantity/harmless.h"

namespace nk {

class JsonWriter {
  public:
    /// Takes what is written in large pieces; without one the whole is kept for done().
    using Sink = std::function<void(std::string_view)>;

    JsonWriter() = default;
    explicit JsonWriter(Sink sink) : sink_(std::move(sink)) {}

    /// `count` members of the open list, each written by one(writer, k): many of them on two
    /// threads, in order all the same.
    template <class One>
    JsonWriter& many(std::size_t count, const One& one) {
        constexpr std::size_t kPiece = 8192;
        if (count < kPiece || std::thread::hardware_concurrency() < 2) {
            for (std::size_t k = 0; k < count; ++k) one(*this, k);
            return *this;
        }
        for (std::size_t k = 0; k < count; k += 2 * kPiece) {
            JsonWriter second;
            second.counts_.assign(counts_.size(), 1);
            {
                const std::jthread other([&] {
                    for (std::size_t n = k + kPiece; n < std::min(count, k + 2 * kPiece); ++n)
                        one(second, n);
                });
                for (std::size_t n = k; n < std::min(count, k + kPiece); ++n) one(*this, n);
                handOn();
            }
            if (text_.empty())
                text_.swap(second.text_);
            else
                text_ += second.text_;
            handOn();
        }
        return *this;
    }
    /// Inside an object.
    JsonWriter& key(const char* name) {
        next();
        text_ += '"';
        text_ += name;
        text_ += "\": ";
        pending_ = true;
        return *this;
    }
    JsonWriter& number(double x) {
        next();
        if (!std::isfinite(x)) {
            text_ += "null";
            return *this;
        }
        char digits[64];
        text_.append(digits, nlohmann::detail::to_chars(digits, digits + sizeof digits, x));
        return *this;
    }
    JsonWriter& whole(std::int64_t x) { return raw(std::to_string(x)); }
    JsonWriter& boolean(bool x) { return raw(x ? "true" : "false"); }
    JsonWriter& null() { return raw("null"); }
    JsonWriter& text(std::string_view t) {
        next();
        const auto special = [](char c) {
            return (c >= 0 && c < ' ') || c == '\x7F' || c == '"' || c == '\\';
        };
        if (std::ranges::any_of(t, special) || !validUtf8(t)) {
            text_ +=
                nlohmann::json(t).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
            return *this;
        }
        text_ += '"';
        text_ += t;
        text_ += '"';
        return *this;
    }
    JsonWriter& texts(const std::vector<std::string>& list) {
        beginList();
        for (const std::string& t : list) text(t);
        return endList();
    }
    /// [low, high], null when one of them is not known.
    JsonWriter& interval(double low, double high) {
        if (!std::isfinite(low) || !std::isfinite(high)) return null();
        return beginList().number(low).number(high).endList();
    }
    /// A value made otherwise, of a few members.
    JsonWriter& value(const nlohmann::ordered_json& j) {
        next();
        const std::string flat =
            j.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
        for (const char c : flat) {
            text_ += c;
            if (c == '\n') text_.append(2 * counts_.size(), ' ');
        }
        return *this;
    }
    JsonWriter& beginObject() { return begin('{'); }
    JsonWriter& endObject() { return end('}'); }
    JsonWriter& beginList() { return begin('['); }
    JsonWriter& endList() { return end(']'); }
    /// The whole, with a final newline; what is left of it where a sink took the rest.
    std::string done() {
        text_ += '\n';
        if (sink_) sink_(std::exchange(text_, {}));
        return std::move(text_);
    }

  private:
    void next() {
        if (pending_) {
            pending_ = false;
            return;
        }
        if (counts_.empty()) return;
        if (counts_.back()++ > 0) text_ += ',';
        text_ += '\n';
        text_.append(2 * counts_.size(), ' ');
    }
    JsonWriter& raw(std::string_view t) {
        next();
        text_ += t;
        return *this;
    }
    JsonWriter& begin(char c) {
        next();
        text_ += c;
        counts_.push_back(0);
        return *this;
    }
    JsonWriter& end(char c) {
        const bool any = counts_.back() > 0;
        counts_.pop_back();
        if (any) {
            text_ += '\n';
            text_.append(2 * counts_.size(), ' ');
        }
        text_ += c;
        if (text_.size() > kLarge) handOn();
        return *this;
    }
    void handOn() {
        if (!sink_) return;
        sink_(text_);
        text_.clear();
    }

    static constexpr std::size_t kLarge = 1U << 20;
    Sink sink_;
    std::string text_;
    std::vector<std::size_t> counts_;  ///< members so far, one for each open object or list
    bool pending_ = false;             ///< a key waits for its value
};

}  // namespace nk
