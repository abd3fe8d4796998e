// One log in any dialect: random combinations of delimiter, decimal sign, time, units, header
// words, column order, encoding and line ends all read back as the same samples.
#include <fmt/chrono.h>
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

#include "formats/importer.h"

namespace nk {
namespace {

/// What every dialect tells: a rest, a charge, a rest, a discharge, a rest; every 10 s.
struct Truth {
    std::vector<double> time_s, voltage_V, current_A, temperature_C;
    std::vector<std::vector<double>> cells_V;
};

Truth truth(int cells) {
    Truth t;
    t.cells_V.resize(static_cast<std::size_t>(cells));
    double charge = 0.3;
    for (int k = 0; k < 720; ++k) {
        const double current = k < 30 ? 0 : k < 300 ? 1.5 : k < 360 ? 0 : k < 660 ? -1.25 : 0;
        charge += current * 10 / 3600 / 2.5;
        const double cell = 3.3 + 0.8 * charge + 0.05 * current;
        const double count = std::max(1, cells);
        t.time_s.push_back(10 * k);
        t.current_A.push_back(current);
        t.voltage_V.push_back(std::round(1000 * count * cell) / 1000);
        t.temperature_C.push_back(std::round(10 * (20 + 3 * std::abs(current))) / 10);
        for (int n = 0; n < cells; ++n)
            t.cells_V[static_cast<std::size_t>(n)].push_back(std::round(1000 * (cell + 0.004 * n)) /
                                                             1000);
    }
    return t;
}

enum class Clock {
    Seconds,
    Millis,
    Minutes,
    HourMinute,
    Iso,
    DateTime,
    TwoColumns,
    Epoch,
    AmPm,
    IsoMillis
};

struct Dialect {
    char delimiter = ',';
    char decimal = '.';
    Clock clock = Clock::Seconds;
    bool milliVolts = false, milliAmps = false, fahrenheit = false, temperature = true;
    bool dischargePositive = false;
    int cells = 0, language = 0, unitStyle = 0, preamble = 0, encoding = 0;
    bool crlf = false, quoted = false, junk = false, lastLineEnd = true;
    unsigned order = 0;

    std::string words() const {
        return fmt::format(
            "delimiter '{}' decimal '{}' clock {} mV {} mA {} F {} T {} cells {} language {} units "
            "{} preamble {} encoding {} crlf {} quoted {} junk {} minus {} order {}",
            delimiter, decimal, static_cast<int>(clock), milliVolts, milliAmps, fahrenheit,
            temperature, cells, language, unitStyle, preamble, encoding, crlf, quoted, junk,
            dischargePositive, order);
    }
};

Dialect randomDialect(std::mt19937& random) {
    const auto one = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
    Dialect d;
    d.delimiter = ",;\t|"[one(4)];
    d.decimal = d.delimiter != ',' && one(2) == 0 ? ',' : '.';
    d.clock = static_cast<Clock>(one(10));
    d.milliVolts = one(3) == 0;
    d.milliAmps = one(3) == 0;
    d.temperature = one(3) != 0;
    d.fahrenheit = one(4) == 0;
    d.cells = one(3) == 0 ? 2 + one(3) : 0;
    d.language = one(3);
    d.unitStyle = one(3);
    d.preamble = one(3);
    d.encoding = one(4);
    d.crlf = one(2) == 0;
    d.quoted = one(4) == 0;
    d.junk = one(3) == 0;
    d.lastLineEnd = one(4) != 0;
    d.dischargePositive = one(5) == 0;
    d.order = random();
    return d;
}

std::string number(double x, int digits, const Dialect& d) {
    std::string text = fmt::format("{:.{}f}", x, digits);
    std::ranges::replace(text, '.', d.decimal);
    return text;
}

std::string clockText(double t, const Dialect& d) {
    constexpr long long kStart = 1'794'000'000;  // some evening of 2026
    const auto at = static_cast<std::time_t>(kStart + std::llround(t));
    const auto whole = std::llround(t);
    switch (d.clock) {
        case Clock::Seconds:
            return number(t, 1, d);
        case Clock::Millis:
            return fmt::format("{}", 1000 * whole);
        case Clock::Minutes:
            return number(t / 60, 6, d);
        case Clock::HourMinute:
            return fmt::format("{}:{:02}:{:02}", whole / 3600, whole / 60 % 60, whole % 60);
        case Clock::Iso:
            return fmt::format("{:%Y-%m-%dT%H:%M:%S}Z", fmt::gmtime(at));
        case Clock::DateTime:
            return fmt::format("{:%d.%m.%Y %H:%M:%S}", fmt::gmtime(at));
        case Clock::TwoColumns:
            return fmt::format("{:%H:%M:%S}", fmt::gmtime(at));
        case Clock::AmPm:
            return fmt::format("{:%m/%d/%Y %I:%M:%S %p}", fmt::gmtime(at));
        case Clock::IsoMillis:
            return fmt::format("{:%Y-%m-%d %H:%M:%S}.000", fmt::gmtime(at));
        case Clock::Epoch:
            return fmt::format("{}", kStart + whole);
    }
    return {};
}

struct Column {
    std::string title, unit;
    std::function<std::string(std::size_t)> cell;
};

std::vector<Column> columns(const Truth& t, const Dialect& d) {
    // English, German, French.
    static const char* time[] = {"Time", "Zeit", "Temps"};
    static const char* date[] = {"Date", "Datum", "Date"};
    static const char* volts[] = {"Voltage", "Spannung", "Tension"};
    static const char* amps[] = {"Current", "Strom", "Courant"};
    static const char* warm[] = {"Temperature", "Temperatur", "Température"};
    static const char* cell[] = {"Cell", "Zelle", "Cell"};
    std::vector<Column> out;
    const std::string timeUnit = d.clock == Clock::Seconds   ? "s"
                                 : d.clock == Clock::Millis  ? "ms"
                                 : d.clock == Clock::Minutes ? "min"
                                                             : "";
    if (d.clock == Clock::TwoColumns)
        out.push_back({date[d.language], "", [](std::size_t k) {
                           return fmt::format("{:%Y-%m-%d}",
                                              fmt::gmtime(static_cast<std::time_t>(
                                                  1'794'000'000 + 10 * static_cast<long long>(k))));
                       }});
    out.push_back(
        {time[d.language], timeUnit, [&t, d](std::size_t k) { return clockText(t.time_s[k], d); }});
    out.push_back({volts[d.language], d.milliVolts ? "mV" : "V", [&t, d](std::size_t k) {
                       return d.milliVolts ? number(1000 * t.voltage_V[k], 0, d)
                                           : number(t.voltage_V[k], 3, d);
                   }});
    out.push_back({amps[d.language], d.milliAmps ? "mA" : "A", [&t, d](std::size_t k) {
                       const double sign = d.dischargePositive ? -1 : 1;
                       return d.milliAmps ? number(sign * 1000 * t.current_A[k], 0, d)
                                          : number(sign * t.current_A[k], 3, d);
                   }});
    if (d.temperature)
        out.push_back({warm[d.language], d.fahrenheit ? "°F" : "°C", [&t, d](std::size_t k) {
                           return d.fahrenheit ? number(1.8 * t.temperature_C[k] + 32, 2, d)
                                               : number(t.temperature_C[k], 1, d);
                       }});
    for (int n = 0; n < d.cells; ++n)
        out.push_back(
            {fmt::format("{} {}", cell[d.language], n + 1), "V", [&t, d, n](std::size_t k) {
                 return number(t.cells_V[static_cast<std::size_t>(n)][k], 3, d);
             }});
    if (d.junk) {
        out.push_back({"No", "", [](std::size_t k) { return std::to_string(k + 1); }});
        out.push_back({"Remark", "", [](std::size_t k) { return k % 50 == 0 ? "ok" : ""; }});
    }
    // Any order, but cells stay in theirs.
    std::vector<Column> shuffled;
    std::vector<Column> cells;
    for (Column& c : out)
        (c.title.ends_with(" 1") || c.title.ends_with(" 2") || c.title.ends_with(" 3") ||
                 c.title.ends_with(" 4")
             ? cells
             : shuffled)
            .push_back(std::move(c));
    std::mt19937 random(d.order);
    std::shuffle(shuffled.begin(), shuffled.end(), random);
    for (Column& c : cells) shuffled.push_back(std::move(c));
    return shuffled;
}

std::string encoded(const std::string& text, int encoding) {
    if (encoding == 1) return "\xEF\xBB\xBF" + text;
    if (encoding != 2) return text;
    std::string out = "\xFF\xFE";  // UTF-16, little end first
    for (std::size_t k = 0; k < text.size(); ++k) {
        unsigned code = static_cast<unsigned char>(text[k]);
        if (code >= 0xC0)
            code = (code & 0x1F) << 6 | (static_cast<unsigned char>(text[++k]) & 0x3F);
        out += static_cast<char>(code & 0xFF);
        out += static_cast<char>(code >> 8);
    }
    return out;
}

std::string written(const Truth& t, const Dialect& d) {
    const auto all = columns(t, d);
    const std::string end = d.crlf ? "\r\n" : "\n";
    std::string out;
    for (int k = 0; k < d.preamble; ++k) out += fmt::format("Bench logger, note {}", k + 1) + end;
    const auto line = [&](const std::vector<std::string>& cells) {
        for (std::size_t c = 0; c < cells.size(); ++c) {
            if (c > 0) out += d.delimiter;
            out += d.quoted ? "\"" + cells[c] + "\"" : cells[c];
        }
        out += end;
    };
    std::vector<std::string> cells;
    for (const Column& c : all)
        cells.push_back(
            d.unitStyle == 0 && !c.unit.empty()   ? fmt::format("{} [{}]", c.title, c.unit)
            : d.unitStyle == 1 && !c.unit.empty() ? fmt::format("{} ({})", c.title, c.unit)
                                                  : c.title);
    line(cells);
    if (d.unitStyle == 2) {
        for (std::size_t c = 0; c < all.size(); ++c) cells[c] = all[c].unit;
        line(cells);
    }
    for (std::size_t k = 0; k < t.time_s.size(); ++k) {
        for (std::size_t c = 0; c < all.size(); ++c) cells[c] = all[c].cell(k);
        line(cells);
    }
    if (!d.lastLineEnd) out.erase(out.size() - end.size());
    return encoded(out, d.encoding);
}

class AnyDialect : public testing::TestWithParam<unsigned> {};

TEST_P(AnyDialect, ReadsBackAsTheSameSamples) {
    std::mt19937 random(GetParam());
    for (int n = 0; n < 40; ++n) {
        const Dialect d = randomDialect(random);
        SCOPED_TRACE(d.words());
        const Truth t = truth(d.cells);
        const std::string text = written(t, d);
        const auto read = readLog(text, "any.csv", {});
        ASSERT_TRUE(read) << read.error().text() << "\n" << text.substr(0, 400);
        const Recording& r = *read->recording;
        ASSERT_EQ(r.size(), t.time_s.size()) << text.substr(0, 400);
        EXPECT_EQ(r.hasTemperature(), d.temperature) << text.substr(0, 400);
        ASSERT_EQ(r.cells_V().size(), static_cast<std::size_t>(d.cells)) << text.substr(0, 400);
        EXPECT_TRUE(r.repairs().empty()) << "nothing to repair";
        for (std::size_t k = 0; k < r.size(); ++k) {
            ASSERT_NEAR(r.time_s()[k] - r.time_s()[0], t.time_s[k], 1e-3) << k;
            ASSERT_NEAR(r.voltage_V()[k], t.voltage_V[k], 1e-9) << k << "\n" << text.substr(0, 400);
            ASSERT_NEAR(r.current_A()[k], t.current_A[k], 1e-9) << k << "\n" << text.substr(0, 400);
            if (d.temperature) {
                ASSERT_NEAR(r.temperature_C()[k], t.temperature_C[k], d.fahrenheit ? 0.006 : 1e-9);
            }
            for (std::size_t c = 0; c < r.cells_V().size(); ++c)
                ASSERT_NEAR(r.cells_V()[c][k], t.cells_V[c][k], 1e-9);
        }
    }
}
INSTANTIATE_TEST_SUITE_P(Dialects, AnyDialect, testing::Range(1U, 13U));

}  // namespace
}  // namespace nk
