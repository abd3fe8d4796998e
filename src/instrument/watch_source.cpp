#include "watch_source.h"

#include <fmt/format.h>
#include <sys/stat.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>

#include "cellmodel/scenario.h"
#include "formats/bytes.h"
#include "quantity/number.h"
#include "quantity/phrase.h"
#include "serial_source.h"

namespace nk {

namespace {

using Clock = std::chrono::steady_clock;
constexpr std::size_t kLargest = std::size_t{256} << 20;

class FileSource : public WatchSource {
  public:
    explicit FileSource(std::string path) : path_(std::move(path)) {}
    std::string name() const override { return path_; }
    std::size_t size() override {
        struct stat now {};
        if (::stat(path_.c_str(), &now) != 0) return 0;
        inode_ = now.st_ino;
        return static_cast<std::size_t>(now.st_size);
    }
    Expected<std::string> bytes() override {
        if (size() > kLargest)
            return fail(ErrorKind::Unsupported, "This file has grown too large to be followed.",
                        path_, "at most 256 MiB; read it with analyse.");
        read_ = inode_;
        return readFile(path_);
    }
    Expected<std::string> part(std::size_t from, std::size_t to) override {
        if (from == 0) return bytes();
        size();
        read_ = inode_;
        std::ifstream in(path_, std::ios::binary);
        std::string out(to > from ? to - from : 0, '\0');
        in.seekg(static_cast<std::streamoff>(from));
        in.read(out.data(), static_cast<std::streamsize>(out.size()));
        if (in.bad() || !in.is_open())
            return fail(ErrorKind::Unreadable, phrase("This file could not be read."), path_,
                        phrase("a file that can be read."));
        out.resize(static_cast<std::size_t>(std::max<std::streamsize>(0, in.gcount())));
        return out;
    }
    bool replaced() override {
        size();
        return read_ != 0 && inode_ != 0 && inode_ != read_;
    }

  private:
    std::string path_;
    ino_t inode_ = 0, read_ = 0;
};

/// The simulated log, let out line by line as its time passes.
class SimSource : public WatchSource {
  public:
    SimSource(std::string name, std::string text, double speed, double interval_s)
        : name_(std::move(name)), text_(std::move(text)), speed_(speed), interval_s_(interval_s) {}
    std::string name() const override { return name_; }
    std::size_t size() override {
        const double passed = std::chrono::duration<double>(Clock::now() - began_).count() * speed_;
        const auto wanted = static_cast<std::size_t>(passed / interval_s_) + 2;
        while (lines_ < wanted && at_ < text_.size()) {
            const auto end = text_.find('\n', at_);
            at_ = end == std::string::npos ? text_.size() : end + 1;
            ++lines_;
        }
        return at_;
    }
    Expected<std::string> bytes() override {
        size();
        return text_.substr(0, at_);
    }
    bool ended() override { return at_ >= text_.size(); }

  private:
    std::string name_, text_;
    double speed_, interval_s_;
    Clock::time_point began_ = Clock::now();
    std::size_t at_ = 0, lines_ = 0;
};

/// voltage_now, current_now or power_now (micro units), temp (tenths of a degree), status.
class OwnBattery : public WatchSource {
  public:
    explicit OwnBattery(std::filesystem::path folder) : folder_(std::move(folder)) {}
    std::string name() const override { return folder_.string(); }
    bool plain() const override { return true; }
    std::size_t size() override {
        const double passed = std::chrono::duration<double>(Clock::now() - began_).count();
        if (passed - last_s_ >= 1) {
            last_s_ = std::floor(passed);
            take();
        }
        return text_.size();
    }
    Expected<std::string> bytes() override { return text_; }
    bool can() const { return std::isfinite(number("voltage_now")); }

  private:
    double number(const char* file) const {
        std::ifstream in(folder_ / file);
        double value = 0;
        return in >> value ? value : std::nan("");
    }
    void take() {
        const double volts = number("voltage_now") / 1e6;
        double amps = std::abs(number("current_now")) / 1e6;
        if (!std::isfinite(amps)) amps = std::abs(number("power_now")) / 1e6 / volts;
        if (!std::isfinite(volts) || !std::isfinite(amps)) return;
        std::ifstream status(folder_ / "status");
        std::string word;
        status >> word;
        if (word == "Discharging") amps = -amps;
        if (word == "Full" || word == "Not") amps = 0;
        const double warm = number("temp") / 10;
        text_ += fmt::format("{:.0f},{:.6f},{:.6f},", last_s_, volts, amps);
        if (std::isfinite(warm)) text_ += fmt::format("{:.1f}", warm);
        text_ += '\n';
    }

    std::filesystem::path folder_;
    std::string text_ = "time_s,voltage_V,current_A,temperature_C\n";
    Clock::time_point began_ = Clock::now();
    double last_s_ = -1;
};

Expected<std::unique_ptr<WatchSource>> simulated(const std::string& given) {
    std::string name = given;
    double speed = 1;
    if (const auto at = given.rfind('@'); at != std::string::npos && given.ends_with('x')) {
        const std::string figure = given.substr(at + 1, given.size() - at - 2);
        name = given.substr(0, at);
        speed = readNumber(figure).value_or(0);
        if (!(speed >= 1) || speed > 600)
            return fail(ErrorKind::InvalidArgument, "This is no speed: " + figure,
                        "sim:", "@1x to @600x.");
    }
    std::string json;
    for (const auto& [shipped, text] : scenarioFiles())
        if (std::filesystem::path(std::string(shipped)).stem() == name) json = std::string(text);
    if (json.empty()) {
        const auto bytes = readFile(name);
        if (!bytes) return tl::unexpected<Error>(bytes.error());
        json = *bytes;
    }
    const auto scenario = parseScenario(json, name);
    if (!scenario) return tl::unexpected<Error>(scenario.error());
    const Simulation played = simulate(*scenario);
    return std::make_unique<SimSource>("sim:" + name, writeLog(*scenario, played), speed,
                                       std::max(0.01, scenario->logger.interval_s));
}

}  // namespace

const char* const kWatchSources =
    "a file that grows, a serial line (/dev/ttyUSB0[@9600][:2]), sim:SCENARIO[@60x], "
    "own-battery[:FOLDER].";

Expected<std::string> WatchSource::part(std::size_t from, std::size_t to) {
    auto all = bytes();
    if (!all) return all;
    if (from >= all->size()) return std::string();
    return all->substr(from, to - from);
}

Expected<void> WatchSource::stop() {
    return fail(ErrorKind::Unsupported, "This source cannot be stopped from here.", name(),
                "the charger's own button.");
}

Expected<std::unique_ptr<WatchSource>> openWatchSource(const std::string& source) {
    if (source.starts_with("sim:")) return simulated(source.substr(4));
    if (source == "own-battery" || source.starts_with("own-battery:")) {
        std::filesystem::path folder = source.size() > 12 ? source.substr(12) : "";
        if (folder.empty()) {
            std::error_code none;
            for (const auto& entry :
                 std::filesystem::directory_iterator("/sys/class/power_supply", none))
                if (OwnBattery(entry.path()).can()) folder = entry.path();
        }
        auto own = std::make_unique<OwnBattery>(folder);
        if (folder.empty() || !own->can())
            return fail(ErrorKind::NotFound, "No battery is found here.",
                        folder.empty() ? "/sys/class/power_supply" : folder.string(),
                        "a folder with voltage_now and current_now or power_now.");
        return own;
    }
    struct stat info {};
    const SerialAddress serial = serialAddress(source);
    if (::stat(serial.path.c_str(), &info) == 0 && S_ISCHR(info.st_mode))
        return openSerialSource(serial);
    if (::stat(source.c_str(), &info) != 0)
        return fail(ErrorKind::NotFound, "There is no such file.", source, kWatchSources);
    if (!S_ISREG(info.st_mode))
        return fail(ErrorKind::Unreadable, "This is no file.", source, "a file that grows.");
    return std::make_unique<FileSource>(source);
}

}  // namespace nk
