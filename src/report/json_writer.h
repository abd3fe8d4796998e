// JSON written straight to text, member by member, indented by two: an answer may hold hundreds of
// thousands of readings, each on a line of its own. What is not known is null, never 0. What it
// writes is harmless on a terminal (quantity/harmless.h).
#pragma once

#include <fmt/compile.h>
#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdint>
#include <cstring>

#include <functional>
#include <memory>
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
            if (sink_)
                sink_(second.text_.view());
            else
                text_.append(second.text_.view());
        }
        return *this;
    }
    /// Inside an object.
    JsonWriter& key(std::string_view name) {
        next();
        char* to = text_.room(name.size() + 4);
        *to++ = '"';
        to = std::ranges::copy(name, to).out;
        std::ranges::copy(std::string_view("\": "), to);
        text_.used(name.size() + 4);
        pending_ = true;
        return *this;
    }
    JsonWriter& number(double x) {
        next();
        if (!std::isfinite(x)) {
            text_.append("null");
            return *this;
        }
        // The shortest digits that read back as the same number.
        constexpr std::size_t kMost = 40;
        char* const from = text_.room(kMost);
        char* end = fmt::format_to(from, FMT_COMPILE("{}"), x);
        const auto length = static_cast<std::size_t>(end - from);
        const bool whole =
            std::string_view(from, length).find_first_of(".e") == std::string_view::npos;
        if (whole) *end++ = '.', *end++ = '0';
        text_.used(static_cast<std::size_t>(end - from));
        return *this;
    }
    JsonWriter& whole(std::int64_t x) {
        char digits[24];
        const auto end = std::to_chars(digits, digits + sizeof digits, x).ptr;
        return raw({digits, static_cast<std::size_t>(end - digits)});
    }
    JsonWriter& boolean(bool x) { return raw(x ? "true" : "false"); }
    JsonWriter& null() { return raw("null"); }
    JsonWriter& text(std::string_view t) {
        next();
        if (plainInJson(t) == t.size()) {
            char* to = text_.room(t.size() + 2);
            *to = '"';
            if (!t.empty()) std::memcpy(to + 1, t.data(), t.size());
            to[t.size() + 1] = '"';
            text_.used(t.size() + 2);
            return *this;
        }
        special_.clear();
        appendJsonString(special_, t);
        text_.append(special_);
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
        const std::string lines =
            harmlessJson(j.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
        for (const char c : lines) {
            text_.append({&c, 1});
            if (c == '\n') text_.blanks(2 * counts_.size());
        }
        return *this;
    }
    /// An object whose members stand on one line, whatever is in it.
    JsonWriter& beginLine() {
        begin('{');
        if (lines_ == 0) lines_ = 1;
        return *this;
    }
    JsonWriter& beginObject() { return begin('{'); }
    JsonWriter& endObject() { return end('}'); }
    JsonWriter& beginList() { return begin('['); }
    JsonWriter& endList() { return end(']'); }
    /// The whole, with a final newline; what is left of it where a sink took the rest.
    std::string done() {
        text_.append("\n");
        if (sink_) handOn();
        return std::string(text_.view());
    }

  private:
    /// Text that grows without being filled with zeros first.
    class Text {
      public:
        /// At least so many bytes behind the end, to be written to and then counted by used().
        char* room(std::size_t more) {
            if (size_ + more > capacity_) grow(more);
            return bytes_.get() + size_;
        }
        void used(std::size_t more) { size_ += more; }
        void append(std::string_view t) {
            if (t.empty()) return;
            std::memcpy(room(t.size()), t.data(), t.size());
            size_ += t.size();
        }
        void blanks(std::size_t n) {
            std::memset(room(n), ' ', n);
            size_ += n;
        }
        std::string_view view() const { return {bytes_.get(), size_}; }
        std::size_t size() const { return size_; }
        void clear() { size_ = 0; }

      private:
        void grow(std::size_t more) {
            const std::size_t wanted = std::max(2 * capacity_, size_ + more + 4096);
            std::unique_ptr<char[]> larger(new char[wanted]);
            if (size_ > 0) std::memcpy(larger.get(), bytes_.get(), size_);
            bytes_ = std::move(larger);
            capacity_ = wanted;
        }
        std::unique_ptr<char[]> bytes_;
        std::size_t size_ = 0, capacity_ = 0;
    };

    void next() {
        if (pending_) {
            pending_ = false;
            return;
        }
        if (counts_.empty()) return;
        const bool first = counts_.back()++ == 0;
        if (lines_ > 0) {
            if (!first) text_.append(", ");
            return;
        }
        text_.append(first ? "\n" : ",\n");
        text_.blanks(2 * counts_.size());
    }
    JsonWriter& raw(std::string_view t) {
        next();
        text_.append(t);
        return *this;
    }
    JsonWriter& begin(char c) {
        next();
        text_.append({&c, 1});
        counts_.push_back(0);
        if (lines_ > 0) ++lines_;
        return *this;
    }
    JsonWriter& end(char c) {
        const bool any = counts_.back() > 0;
        counts_.pop_back();
        if (lines_ > 0) {
            --lines_;
        } else if (any) {
            text_.append("\n");
            text_.blanks(2 * counts_.size());
        }
        text_.append({&c, 1});
        if (text_.size() > kLarge) handOn();
        return *this;
    }
    void handOn() {
        if (!sink_) return;
        sink_(text_.view());
        text_.clear();
    }

    static constexpr std::size_t kLarge = 1U << 20;
    Sink sink_;
    Text text_;
    std::string special_;              ///< room for texts that need escapes
    std::vector<std::size_t> counts_;  ///< members so far, one for each open object or list
    int lines_ = 0;                    ///< open objects and lists that stand on one line
    bool pending_ = false;             ///< a key waits for its value
};

}  // namespace nk
