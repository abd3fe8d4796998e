#include <fmt/format.h>
#include <array>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <ctime>

#include "quantity/number.h"
#include "scenario.h"

namespace nk {

namespace {

int decimalsOf(double step) {
    return step > 0 ? std::clamp(static_cast<int>(std::ceil(-std::log10(step) - 1e-9)), 0, 9) : 6;
}

std::string number(double value, int decimals, char decimal) {
    std::string text = fmt::format("{:.{}f}", value, decimals);
    if (text.size() > 1 && text[0] == '-' && text.find_first_not_of("-0.") == std::string::npos)
        text.erase(0, 1);
    if (decimal != '.') std::replace(text.begin(), text.end(), '.', decimal);
    return text;
}

std::time_t startTime(const std::string& text) {
    // "2026-05-01 18:00:00": six figures.
    std::string_view rest = text;
    std::array<int, 6> part{};
    for (std::size_t k = 0; k < part.size(); ++k) {
        if (k > 0 && !rest.empty()) rest.remove_prefix(1);
        const auto figure = takeNumber(rest);
        if (!figure) return 0;
        part[k] = static_cast<int>(std::abs(*figure));
    }
    std::tm tm{};
    tm.tm_year = part[0] - 1900;
    tm.tm_mon = part[1] - 1;
    tm.tm_mday = part[2];
    tm.tm_hour = part[3];
    tm.tm_min = part[4];
    tm.tm_sec = part[5];
    return timegm(&tm);
}

std::string timeText(const LogFormat& f, double t, double interval) {
    const int decimals =
        decimalsOf(interval) == 0 || interval >= 1 ? 0 : std::min(3, decimalsOf(interval));
    if (f.time == "milliseconds") return fmt::format("{:.0f}", t * 1000);
    if (f.time == "minutes") return number(t / 60, 4, f.decimal);
    const double whole = std::floor(t + 1e-6);
    const double rest = std::max(0.0, t - whole);
    const auto fraction =
        decimals > 0 ? fmt::format("{:.{}f}", rest, decimals).substr(1) : std::string();
    if (f.time == "clock") {
        const auto s = static_cast<long long>(whole);
        return fmt::format("{}:{:02}:{:02}{}", s / 3600, s / 60 % 60, s % 60, fraction);
    }
    if (f.time == "iso" || f.time == "datetime") {
        const std::time_t at = startTime(f.start) + static_cast<std::time_t>(whole);
        std::tm tm{};
        gmtime_r(&at, &tm);
        const std::string clock =
            fmt::format("{:02}:{:02}:{:02}{}", tm.tm_hour, tm.tm_min, tm.tm_sec, fraction);
        if (f.time == "iso")
            return fmt::format("{:04}-{:02}-{:02}T{}Z", tm.tm_year + 1900, tm.tm_mon + 1,
                               tm.tm_mday, clock);
        return fmt::format("{:02}.{:02}.{:04} {}", tm.tm_mday, tm.tm_mon + 1, tm.tm_year + 1900,
                           clock);
    }
    return number(t, decimals, f.decimal);
}

}  // namespace

std::string writeLog(const Scenario& scenario, const Simulation& simulation) {
    const LogFormat& f = scenario.format;
    const RecordingData& d = simulation.logged;
    const LoggerSettings& g = scenario.logger;
    const std::string end = f.crlf ? "\r\n" : "\n";
    const bool modes = !f.chargeWord.empty();
    const auto title = [&](std::size_t n, const std::string& fallback) {
        return n < f.titles.size() && !f.titles[n].empty() ? f.titles[n] : fallback;
    };
    const std::string sep(1, f.delimiter);
    std::string out;
    out.reserve(d.time_s.size() * 40);
    if (f.bom) out += "\xEF\xBB\xBF";
    for (const std::string& line : f.preamble) out += line + end;
    if (f.header) {
        const bool inTitle = !f.unitLine;
        out += title(0, f.time == "milliseconds"         ? "Time [ms]"
                        : f.time == "minutes"            ? "Time [min]"
                        : f.time == "seconds" && inTitle ? "Time [s]"
                                                         : "Time");
        out +=
            sep + title(1, inTitle ? (f.milliVolts ? "Voltage [mV]" : "Voltage [V]") : "Voltage");
        out += sep + title(2, inTitle ? (f.milliAmps ? "Current [mA]" : "Current [A]") : "Current");
        if (g.temperature)
            out += sep + title(3, inTitle ? (f.fahrenheit ? "Temp [°F]" : "Temp [°C]") : "Temp");
        if (modes) out += sep + title(4, "Mode");
        if (f.counter) out += sep + title(5, inTitle ? "Charge [Ah]" : "Charge");
        for (std::size_t n = 0; n < d.cells_V.size(); ++n)
            out += sep + fmt::format("{} {}{}", title(6, "Cell"), n + 1, inTitle ? " [V]" : "");
        out += end;
        if (f.unitLine) {
            out += f.time == "milliseconds" ? "ms" : f.time == "seconds" ? "s" : "h:mm:ss";
            out += sep + (f.milliVolts ? "mV" : "V") + sep + (f.milliAmps ? "mA" : "A");
            if (g.temperature) out += sep + (f.fahrenheit ? "°F" : "°C");
            if (modes) out += sep + "-";
            if (f.counter) out += sep + "Ah";
            for (std::size_t n = 0; n < d.cells_V.size(); ++n) out += sep + "V";
            out += end;
        }
    }
    const int dv =
        f.milliVolts ? std::max(0, decimalsOf(g.resolution_V) - 3) : decimalsOf(g.resolution_V);
    const int da =
        f.milliAmps ? std::max(0, decimalsOf(g.resolution_A) - 3) : decimalsOf(g.resolution_A);
    const int dt = decimalsOf(g.resolution_C);
    const double idle = std::max(2 * g.resolution_A, 3 * g.noise_A);
    double counter = 0;
    bool charging = false;
    for (std::size_t k = 0; k < d.time_s.size(); ++k) {
        double i = d.current_A[k];
        // Counters start anew with each change of direction, as chargers and loads do.
        const bool idleNow = std::abs(i) <= idle;
        if (!idleNow && (i > 0) != charging) counter = 0, charging = i > 0;
        if (k > 0)
            counter += 0.5 * (i + d.current_A[k - 1]) * (d.time_s[k] - d.time_s[k - 1]) / 3600;
        const char* mode = i > idle    ? f.chargeWord.c_str()
                           : i < -idle ? f.dischargeWord.c_str()
                                       : f.restWord.c_str();
        if (f.unsignedCurrent)
            i = std::abs(i);
        else if (f.dischargePositive)
            i = -i;
        out += timeText(f, d.time_s[k], g.interval_s);
        out += sep + number(d.voltage_V[k] * (f.milliVolts ? 1e3 : 1), dv, f.decimal);
        out += sep + number(i * (f.milliAmps ? 1e3 : 1), da, f.decimal);
        if (g.temperature)
            out += sep + number(f.fahrenheit ? d.temperature_C[k] * 1.8 + 32 : d.temperature_C[k],
                                dt, f.decimal);
        if (modes) out += sep + mode;
        if (f.counter) out += sep + number(std::abs(counter), 4, f.decimal);
        for (const auto& cell : d.cells_V) out += sep + number(cell[k], dv, f.decimal);
        out += end;
    }
    return out;
}

}  // namespace nk
