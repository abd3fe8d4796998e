#include "serial_source.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <cstdlib>

#include "quantity/number.h"
#include "serial_line.h"

namespace nk {

namespace {

using Clock = std::chrono::steady_clock;
constexpr std::size_t kLargest = std::size_t{256} << 20;
constexpr std::size_t kLongestLine = 4096;

double secondsSince(Clock::time_point at) {
    return std::chrono::duration<double>(Clock::now() - at).count();
}

/// Asks and takes the first whole line of the answer; empty: none came.
std::string ask(SerialLine& line, std::string& rest, const std::string& question, int wait_ms) {
    rest.clear();
    while (!line.read(0).empty()) {
    }
    if (!line.write(question + "\n")) return {};
    const auto began = Clock::now();
    while (secondsSince(began) * 1000 < wait_ms) {
        rest += line.read(20);
        const auto end = rest.find('\n');
        if (end != std::string::npos) {
            std::string out = rest.substr(0, end);
            while (!out.empty() && (out.back() == '\r' || out.back() == ' ')) out.pop_back();
            return out;
        }
        if (!line.alive() || rest.size() > kLongestLine) break;
    }
    return {};
}

/// "12.3,4.1,1.0,25.1": four numbers; anything else is no measurement.
bool measurement(const std::string& text, std::array<double, 4>& into) {
    std::string_view at = text;
    for (std::size_t k = 0; k < 4; ++k) {
        const auto value = takeNumber(at);
        if (!value || (k < 3 ? !at.starts_with(',') : !at.empty())) return false;
        into[k] = *value;
        if (k < 3) at.remove_prefix(1);
    }
    return true;
}

/// How much of it is text that a logger would print.
double legible(const std::string& bytes) {
    if (bytes.empty()) return 0;
    const auto good = std::ranges::count_if(bytes, [](char c) {
        const auto u = static_cast<unsigned char>(c);
        return (u >= 32 && u < 127) || c == '\n' || c == '\r' || c == '\t';
    });
    return static_cast<double>(good) / static_cast<double>(bytes.size());
}

class SerialSource : public WatchSource {
  public:
    SerialSource(SerialAddress address, std::unique_ptr<SerialLine> line)
        : address_(std::move(address)), line_(std::move(line)) {
        identify();
    }
    /// It knows *IDN? and not this channel.
    bool unknownChannel() const { return answers_ && !instrument_; }
    std::string name() const override {
        return address_.path + (instrument_ ? ":" + std::to_string(address_.channel) : "");
    }
    bool plain() const override { return instrument_; }
    std::optional<Battery> battery() const override { return battery_; }
    bool canStop() const override { return simulated_; }
    Expected<void> stop() override {
        if (!simulated_) return WatchSource::stop();
        std::string rest;
        const std::string channel = fmt::format("(@{})", address_.channel);
        if (line_) line_->write("OUTP " + channel + ",OFF\n");
        if (line_ && ask(*line_, rest, "OUTP? " + channel, 1000) == "0") return {};
        return fail(ErrorKind::Unreadable, "The instrument did not confirm the stop.", name(),
                    "its own button, or the plug.");
    }
    std::string trouble() override {
        if (text_.size() + kLongestLine > kLargest)
            return "256 MiB of rows have come: no more are taken; end it and begin anew.";
        if (!line_) return "The line is lost; it is tried again.";
        if (bad_ > 0 && secondsSince(lastBad_) < 10)
            return fmt::format("{} lines could not be read.", bad_);
        return {};
    }

    std::size_t size() override {
        if (!reopened()) return text_.size();
        if (instrument_)
            measure();
        else
            listen(0);
        return text_.size();
    }
    Expected<std::string> bytes() override { return text_; }

  private:
    void identify() {
        std::string rest;
        // A device that prints on its own is never asked: what a charger makes of a question that
        // it does not know is its own affair.
        const std::string heard = line_->read(1200);
        if (legible(heard) > 0.9) {
            rest_ = heard;
            return;
        }
        const std::string who = ask(*line_, rest, "*IDN?", 700);
        std::array<double, 4> row{};
        const std::string channel = fmt::format("(@{})", address_.channel);
        answers_ = std::ranges::count(who, ',') == 3;
        if (answers_ && measurement(ask(*line_, rest, "MEAS? " + channel, 700), row)) {
            instrument_ = true;
            simulated_ = who.find("simulated instrument") != std::string::npos;
            const double speed =
                simulated_ ? readNumber(ask(*line_, rest, "SIM:SPEED?", 500)).value_or(1) : 1;
            interval_s_ = speed > 1 ? 0.1 : 1;
            began_s_ = row[0];
            text_ = "time_s,voltage_V,current_A,temperature_C\n";
            if (simulated_) readBattery(ask(*line_, rest, "BATT? " + channel, 500));
            return;
        }
        text_ += heard;
        if (who.size() > 3) text_ += who + "\n";
        rest_ = answers_ ? "" : rest;
    }

    /// "name,chemistry,series,rated".
    void readBattery(const std::string& told) {
        std::vector<std::string> f(1);
        for (const char c : told) {
            if (c == ',')
                f.emplace_back();
            else
                f.back() += c;
        }
        if (f.size() != 4 || !findChemistry(f[1])) return;
        Battery b;
        b.name = f[0];
        b.chemistry = f[1];
        b.series = static_cast<int>(std::clamp(readNumber(f[2]).value_or(1), 1.0, 400.0));
        b.rated_Ah = std::clamp(readNumber(f[3]).value_or(0), 0.0, 1e5);
        battery_ = b;
    }

    bool reopened() {
        if (line_ && line_->alive()) return true;
        line_.reset();
        if (secondsSince(tried_) < 2) return false;
        tried_ = Clock::now();
        auto again = SerialLine::open(address_.path, address_.baud > 0 ? address_.baud : 9600);
        if (!again) return false;
        line_ = std::move(*again);
        return true;
    }

    void measure() {
        if (secondsSince(asked_) < interval_s_) return;
        asked_ = Clock::now();
        std::string rest;
        const std::string told =
            ask(*line_, rest, fmt::format("MEAS? (@{})", address_.channel), 400);
        if (told.empty()) return;
        std::array<double, 4> row{};
        if (!measurement(told, row)) {
            ++bad_;
            lastBad_ = Clock::now();
            return;
        }
        if (text_.size() + kLongestLine <= kLargest)
            text_ += fmt::format("{:.3f},{:.6f},{:.6f},{:.2f}\n", row[0] - began_s_, row[1], row[2],
                                 row[3]);
    }

    void listen(int wait_ms) {
        rest_ += line_->read(wait_ms);
        const auto end = rest_.find_last_of('\n');
        if (end == std::string::npos) {
            if (rest_.size() > kLongestLine) rest_.clear(), ++bad_, lastBad_ = Clock::now();
            return;
        }
        const std::string whole = rest_.substr(0, end + 1);
        rest_.erase(0, end + 1);
        if (legible(whole) < 0.9) {
            ++bad_;
            lastBad_ = Clock::now();
            // Another speed, perhaps: those usual in turn.
            if (address_.baud == 0 && text_.empty()) nextSpeed();
            return;
        }
        if (text_.size() + whole.size() + kLongestLine <= kLargest) text_ += whole;
    }

    void nextSpeed() {
        constexpr int kSpeeds[] = {9600, 115200, 57600, 38400, 19200, 4800, 2400};
        speed_ = (speed_ + 1) % std::size(kSpeeds);
        line_.reset();
        if (auto again = SerialLine::open(address_.path, kSpeeds[speed_]))
            line_ = std::move(*again);
    }

    SerialAddress address_;
    std::unique_ptr<SerialLine> line_;
    std::optional<Battery> battery_;
    std::string text_, rest_;
    bool answers_ = false, instrument_ = false, simulated_ = false;
    double interval_s_ = 1, began_s_ = 0;
    std::size_t speed_ = 0;
    int bad_ = 0;
    Clock::time_point asked_{}, tried_{}, lastBad_{};
};

}  // namespace

SerialAddress serialAddress(const std::string& text) {
    SerialAddress out;
    std::string rest = text;
    const auto digits = [](const std::string& s) {
        return !s.empty() && s.size() < 8 && s.find_first_not_of("0123456789") == std::string::npos;
    };
    if (const auto colon = rest.rfind(':'); colon != std::string::npos) {
        const std::string tail = rest.substr(colon + 1);
        if (digits(tail)) {
            out.channel = std::atoi(tail.c_str());
            rest.resize(colon);
        }
    }
    if (const auto at = rest.rfind('@'); at != std::string::npos) {
        const std::string tail = rest.substr(at + 1);
        if (digits(tail)) {
            out.baud = std::atoi(tail.c_str());
            rest.resize(at);
        }
    }
    out.path = rest;
    return out;
}

Expected<std::unique_ptr<WatchSource>> openSerialSource(const SerialAddress& address) {
    auto line = SerialLine::open(address.path, address.baud > 0 ? address.baud : 9600);
    if (!line) return tl::unexpected<Error>(line.error());
    auto source = std::make_unique<SerialSource>(address, std::move(*line));
    if (source->unknownChannel())
        return fail(ErrorKind::NotFound,
                    fmt::format("The instrument does not answer MEAS? (@{}).", address.channel),
                    address.path, "a channel that it has, as in " + address.path + ":1.");
    return source;
}

}  // namespace nk
