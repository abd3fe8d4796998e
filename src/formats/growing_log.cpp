#include "growing_log.h"
#include "quantity/phrase.h"

#include <algorithm>
#include <cmath>
#include <iterator>

namespace nk {

namespace {

/// Up to the end of its last whole line.
std::string_view wholeLines(std::string_view text) {
    const auto end = text.find_last_of("\r\n");
    return text.substr(0, end == std::string_view::npos ? 0 : end + 1);
}

/// Its last `lines` lines.
std::string_view lastLines(std::string_view text, std::size_t lines) {
    std::size_t at = text.size();
    for (std::size_t k = 0; k <= lines && at > 0; ++k) {
        const auto end = text.find_last_of('\n', at - 1);
        if (end == std::string_view::npos) return text;
        if (k == lines) return text.substr(end + 1);
        at = end;
    }
    return text;
}

/// No archive, no spreadsheet, no numbers of two bytes a letter.
bool isText(std::string_view head) {
    return head.find('\0') == std::string_view::npos && !head.starts_with("PK\x03\x04") &&
           !head.starts_with("\x1f\x8b") && !head.starts_with("\x28\xb5\x2f\xfd");
}

LiveRow rowOf(const Recording& r, std::size_t k, double shift_s) {
    LiveRow out{shift_s + r.time_s()[k], r.voltage_V()[k], r.current_A()[k],
                r.hasTemperature() ? r.temperature_C()[k] : kNaN};
    for (const auto& cell : r.cells_V()) out.cells_V.push_back(cell[k]);
    return out;
}

bool same(double a, double b) {
    return a == b || (std::isnan(a) && std::isnan(b));
}

/// Only a log with charge and discharge tells for good which of them is positive.
bool bothWays(const Recording& r) {
    const auto [low, high] = std::ranges::minmax(r.current_A());
    return low < 0 && high > 0;
}

/// Row k is the one that was told before; its time may count from elsewhere.
bool agrees(const Recording& r, std::size_t k, const GrowingLog::Told& told) {
    return same(r.voltage_V()[k], told.voltage_V) && same(r.current_A()[k], told.current_A);
}

}  // namespace

GrowingLog::GrowingLog(std::string name, ReadOptions options, const GrowingSizes& sizes)
    : name_(std::move(name)), options_(std::move(options)), sizes_(sizes) {}

void GrowingLog::forget() {
    rows_ = done_ = 0;
    all_ = false;
    head_.clear();
    tail_.clear();
}

Expected<std::vector<LiveRow>> GrowingLog::take(const Bytes& bytes, std::size_t size, bool over,
                                                double began_s) {
    beganAnew_ = sameBytes_ = false;
    if (size < done_) {
        beganAnew_ = rows_ > 0;
        forget();
    }
    if (size > sizes_.most)
        return fail(ErrorKind::Unsupported,
                    phrase("This file has grown too large to be followed; what was read is kept."),
                    name_, phrase("at most {} MiB; read it with analyse.", sizes_.most >> 20));
    bool failed = false;
    std::vector<LiveRow> out;
    const bool signKnown = pinned_.sign != SignConvention::Auto;
    if (!all_ && !head_.empty() && done_ >= sizes_.whole && (signKnown || !over)) {
        std::vector<LiveRow> all;
        std::size_t piece = sizes_.piece;
        while (!failed) {
            const std::size_t was = done_;
            const std::size_t to = size - done_ > piece ? done_ + piece : size;
            auto more = fresh(bytes, to, over && to == size, failed);
            if (!more && all.empty()) return more;
            if (!more || failed) break;
            all.insert(all.end(), std::make_move_iterator(more->begin()),
                       std::make_move_iterator(more->end()));
            if (done_ >= size || (done_ == was && to == size)) break;
            // A line that is longer than a piece.
            if (done_ == was) piece = piece > size / 2 ? size : 2 * piece;
        }
        if (!failed) return all;
        out = std::move(all);
    }
    auto rest = whole(bytes, size, over, began_s);
    if (!rest && out.empty()) return rest;
    if (beganAnew_) out.clear();
    if (rest)
        out.insert(out.end(), std::make_move_iterator(rest->begin()),
                   std::make_move_iterator(rest->end()));
    if (failed && rest && !beganAnew_) {
        // The whole came out as before, its parts do not: by their sign, else for good.
        if (signKnown || sign_ == SignConvention::Auto)
            all_ = true;
        else
            pinned_.sign = sign_;
    }
    return out;
}

Expected<std::vector<LiveRow>> GrowingLog::whole(const Bytes& bytes, std::size_t size, bool over,
                                                 double began_s) {
    const auto text = bytes(0, size);
    if (!text) return tl::unexpected<Error>(text.error());
    bytesRead_ += static_cast<double>(text->size());
    const std::string_view used = over ? std::string_view(*text) : wholeLines(*text);
    if (used.empty()) return std::vector<LiveRow>();
    const auto log = readLog(used, name_, options_);
    if (!log) return tl::unexpected<Error>(log.error());
    const Recording& r = *log->recording;
    // More rows can tell another reading, as of the sign of a current that has none.
    if (rows_ > 0 && (r.size() < rows_ || !agrees(r, 0, first_) || !agrees(r, rows_ - 1, last_))) {
        sameBytes_ = used.size() >= done_ && used.starts_with(head_) &&
                     used.substr(0, done_).ends_with(tail_);
        rows_ = 0;
        beganAnew_ = true;
    }
    zero_s_ = std::isfinite(log->startEpoch_s) ? log->startEpoch_s : began_s;
    std::vector<LiveRow> out;
    for (std::size_t k = rows_; k < r.size(); ++k) out.push_back(rowOf(r, k, zero_s_));
    rows_ = r.size();
    done_ = used.size();
    if (rows_ == 0) return out;
    first_ = {r.time_s()[0], r.voltage_V()[0], r.current_A()[0]};
    last_ = {r.time_s()[rows_ - 1], r.voltage_V()[rows_ - 1], r.current_A()[rows_ - 1]};
    head_ = wholeLines(used.substr(0, sizes_.head));
    tail_ = lastLines(used, sizes_.overlap);
    if (!isText(head_)) all_ = true;
    // What all of it told and its parts might not.
    pinned_ = options_;
    pinned_.delimiter = log->dialect.delimiter;
    pinned_.decimal = log->dialect.decimal;
    sign_ = log->dialect.unsignedCurrent ? SignConvention::Auto : log->dialect.sign;
    if (bothWays(r)) pinned_.sign = sign_;
    return out;
}

Expected<std::vector<LiveRow>> GrowingLog::fresh(const Bytes& bytes, std::size_t size, bool over,
                                                 bool& failed) {
    if (size == done_) return std::vector<LiveRow>();
    const auto text = bytes(done_, size);
    if (!text) return tl::unexpected<Error>(text.error());
    const std::string_view used = over ? std::string_view(*text) : wholeLines(*text);
    if (used.empty()) return std::vector<LiveRow>();
    const std::string known = head_ + tail_;
    const auto before = readLog(known, name_, pinned_);
    auto after = before;
    if (before) after = readLog(known + std::string(used), name_, pinned_);
    bytesRead_ += static_cast<double>(2 * known.size() + used.size());
    if (!before || !after) {
        failed = true;
        return std::vector<LiveRow>();
    }
    // What was read before must come out as it did.
    const Recording& a = *before->recording;
    const Recording& b = *after->recording;
    const std::size_t n = a.size();
    if (n == 0 || b.size() < n || !agrees(a, 0, first_) || !agrees(a, n - 1, last_) ||
        !agrees(b, n - 1, last_) || !same(a.time_s()[n - 1], b.time_s()[n - 1])) {
        failed = true;
        return std::vector<LiveRow>();
    }
    if (!after->dialect.unsignedCurrent && bothWays(b)) pinned_.sign = after->dialect.sign;
    const double shift = last_.time_s - b.time_s()[n - 1];
    std::vector<LiveRow> out;
    for (std::size_t k = n; k < b.size(); ++k) out.push_back(rowOf(b, k, zero_s_ + shift));
    rows_ += out.size();
    done_ += used.size();
    const std::size_t m = b.size() - 1;
    last_ = {b.time_s()[m] + shift, b.voltage_V()[m], b.current_A()[m]};
    tail_ = lastLines(tail_ + std::string(used), sizes_.overlap);
    return out;
}

}  // namespace nk
