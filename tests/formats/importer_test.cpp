// Every kind of file, dialects that were written by hand or by other programs, and hostile input.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>
#include <zlib.h>
#include <zstd.h>

#include <atomic>
#include <clocale>
#include <filesystem>
#include <fstream>
#include <thread>

#include "analysis/analysis.h"
#include "formats/importer.h"
#include "quantity/number.h"
#include "recording/integral.h"

using namespace nk;
using testing::HasSubstr;
namespace fs = std::filesystem;

namespace {

std::string corpus(const std::string& name) {
    return std::string(NK_SOURCE_DIR) + "/tests/formats/corpus/" + name;
}

double charge(const Imported& log) {
    return integrate(*log.recording, 0, log.recording->size() - 1).charge_Ah;
}

class Folder : public testing::Test {
  protected:
    void SetUp() override {
        folder_ = fs::temp_directory_path() / ("nk-read-" + std::to_string(::getpid()));
        fs::create_directories(folder_);
    }
    void TearDown() override { fs::remove_all(folder_); }
    std::string write(const std::string& name, const std::string& bytes) const {
        std::ofstream(folder_ / name, std::ios::binary) << bytes;
        return (folder_ / name).string();
    }
    fs::path folder_;
};

/// 1 A out for an hour at 10 s, then rest; `line` writes one row.
template <class Line>
std::string table(const std::string& header, Line line) {
    std::string out = header;
    for (int k = 0; k <= 400; ++k) {
        const double amps = k >= 20 && k < 380 ? -1 : 0;
        out += line(k, 10.0 * k, 4.1 - 0.001 * k + 0.05 * amps, amps);
    }
    return out;
}

}  // namespace

TEST(Importers, EveryKindGivesTheSameCharge) {
    // The files come from other programs (corpus/make_corpus.py): 0.5 Ah out.
    for (const char* name :
         {"discharge.csv", "discharge.csv.gz", "discharge.csv.zst", "discharge.xlsx",
          "discharge.ods", "discharge.mat", "discharge-struct.mat"}) {
        const auto log = readLogFile(corpus(name));
        ASSERT_TRUE(log) << name << ": " << log.error().text();
        EXPECT_EQ(log->rowsRead, 62) << name;
        EXPECT_NEAR(charge(*log), -0.5, 1e-3) << name;
    }
    const auto sheet = readLogFile(corpus("discharge.xlsx"));
    EXPECT_EQ(sheet->dialect.column(Role::Current)->title, "Current (mA)");
    EXPECT_NEAR(sheet->startEpoch_s, 1794679200, 1) << "14 Nov 2026, 18:00 as the sheet wrote it";
    EXPECT_TRUE(sheet->recording->hasTemperature());
}

TEST(Importers, TheSurestReads) {
    for (const Importer& a : importers())
        for (const Importer& b : importers())
            if (&a != &b) {
                EXPECT_STRNE(a.name, b.name);
            }
    const auto best = [](std::string_view head, const std::string& name) {
        std::string kind;
        double most = -1;
        for (const Importer& i : importers())
            if (i.score(head, name) > most) most = i.score(head, name), kind = i.name;
        return kind;
    };
    EXPECT_EQ(best("time,voltage\n", "a.csv"), "text");
    EXPECT_EQ(best("\x1F\x8B\x08", "a.csv"), "gzip");
    EXPECT_EQ(best("PK\x03\x04", "a.xlsx"), "spreadsheet");
    EXPECT_EQ(best("MATLAB 5.0 MAT-file, Platform", "x"), "mat");
}

TEST(Dialects, ThousandsMarks) {
    EXPECT_EQ(parseGrouped("1,234.5", '.'), 1234.5);
    EXPECT_EQ(parseGrouped("-1.234,5", ','), -1234.5);
    EXPECT_EQ(parseGrouped("12'345", '.'), 12345.0);
    EXPECT_EQ(parseGrouped("1\u202F234,5", ','), 1234.5);
    for (const char* bad : {"1,23.5", "1,2345", ",123", "1,,234", "12345", "1,234,"})
        EXPECT_FALSE(parseGrouped(bad, '.')) << bad;
    const auto log = readLog(
        table("t s;U mV;I mA\n",
              [](int, double t, double v, double a) {
                  char row[96];
                  std::snprintf(row, sizeof row, "%.0f;%d,%06.2f;%s\n", t, static_cast<int>(v),
                                1000 * (v - static_cast<int>(v)), a < 0 ? "-1,000.00" : "0.00");
                  return std::string(row);
              }),
        "thousands.csv");
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_NEAR(charge(*log), -1, 0.01);
    // A decimal comma with three digits is no thousands mark.
    const auto german = readLog(table("Zeit s;Spannung V;Strom A\n",
                                      [](int, double t, double v, double a) {
                                          std::string row =
                                              std::to_string(static_cast<int>(t)) + ";";
                                          char cells[64];
                                          std::snprintf(cells, sizeof cells, "%.3f;%.3f\n", v, a);
                                          for (char& c : cells)
                                              if (c == '.') c = ',';
                                          return row + cells;
                                      }),
                                "german.csv");
    ASSERT_TRUE(german);
    EXPECT_NEAR(charge(*german), -1, 0.01);
}

TEST(Dialects, PowerAloneKeepsItsSign) {
    const auto log = readLog(table("time s,voltage V,power W\n",
                                   [](int, double t, double v, double a) {
                                       return std::to_string(t) + "," + std::to_string(v) + "," +
                                              std::to_string(v * a) + "\n";
                                   }),
                             "power.csv");
    ASSERT_TRUE(log);
    EXPECT_NEAR(charge(*log), -1, 0.01);
}

TEST(Dialects, SummerTimeEndsInTheMiddle) {
    // Central European clocks went back from 3:00 to 2:00 on 25 October 2026, a Sunday.
    const auto log =
        readLog(table("Date;Time;Voltage;Current\n",
                      [](int, double t, double v, double a) {
                          int s = 2 * 3600 + 1800 + static_cast<int>(t);
                          if (s >= 3 * 3600) s -= 3600;
                          char row[96];
                          std::snprintf(row, sizeof row, "25.10.2026;%02d:%02d:%02d;%.4f;%.3f\n",
                                        s / 3600, s / 60 % 60, s % 60, v, a);
                          return std::string(row);
                      }),
                "dst.csv");
    ASSERT_TRUE(log);
    EXPECT_NEAR(log->recording->duration_s(), 4000, 1e-6);
    EXPECT_NEAR(charge(*log), -1, 0.01);
    ASSERT_EQ(log->recording->problems().size(), 1u);
    EXPECT_EQ(log->recording->problems()[0].kind, "clock_change");
}

TEST(Dialects, ATimeWithoutAKnownNameIsFoundByItsRise) {
    const auto log = readLog(
        table("ts,voltage,current\n",
              [](int, double t, double v, double a) {
                  return std::to_string(1790000000000LL + static_cast<long long>(1000 * t)) + "," +
                         std::to_string(v) + "," + std::to_string(a) + "\n";
              }),
        "epoch.csv");
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_NEAR(log->recording->duration_s(), 4000, 1e-3);
    // A row number is no time.
    const auto counted = readLog(table("n,voltage,current\n",
                                       [](int k, double, double v, double a) {
                                           return std::to_string(k) + "," + std::to_string(v) +
                                                  "," + std::to_string(a) + "\n";
                                       }),
                                 "counted.csv");
    ASSERT_FALSE(counted);
    EXPECT_EQ(counted.error().kind, ErrorKind::ColumnsUnknown);
}

TEST(Dialects, ChoicesOfTheUserWin) {
    const std::string text = table("t,a,b\n", [](int, double t, double v, double a) {
        return std::to_string(t) + "," + std::to_string(1000 * a) + "," + std::to_string(v) + "\n";
    });
    ReadOptions o;
    o.map[Role::Time] = "1";
    o.map[Role::Current] = "a";
    o.map[Role::Voltage] = "3";
    o.units["a"] = "mA";
    const auto log = readLog(text, "choice.csv", o);
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_NEAR(charge(*log), -1, 0.01);
    o.units["a"] = "furlongs";
    EXPECT_THAT(readLog(text, "choice.csv", o).error().text(), HasSubstr("furlongs"));
    ReadOptions lenient;
    lenient.ignored = {"3"};
    EXPECT_FALSE(readLog(text, "choice.csv", lenient));
}

TEST(Dialects, NeverDependOnTheLocale) {
    const char* old = std::setlocale(LC_ALL, nullptr);
    const std::string before = old != nullptr ? old : "C";
    bool found = false;
    for (const char* name : {"de_DE.UTF-8", "de_DE.utf8", "fr_FR.UTF-8"})
        found |= std::setlocale(LC_ALL, name) != nullptr;
    const auto log = readLogFile(corpus("discharge.csv"));
    std::setlocale(LC_ALL, before.c_str());
    ASSERT_TRUE(log);
    EXPECT_NEAR(charge(*log), -0.5, 1e-3) << (found ? "" : "no comma locale on this machine");
}

TEST_F(Folder, ThreadsAndStreamingChangeNothing) {
    std::string text = "time_s,voltage_V,current_A,temperature_C\n";
    unsigned noise = 1;
    for (int k = 0; k < 400000; ++k) {
        noise = noise * 1664525u + 1013904223u;
        char row[96];
        std::snprintf(row, sizeof row, "%d.5,%.4f,%.3f,%d.%d\n", k, 3.7 + (noise >> 24) * 1e-4,
                      k % 5000 < 4000 ? -1.5 : 0.0, 20 + k % 7, k % 10);
        text += k % 100001 == 5 ? "rubbish,row\n" : row;
    }
    const std::string path = write("big.csv", text);
    ASSERT_GT(fs::file_size(path), std::uintmax_t{8} << 20) << "large enough to be streamed";
    ReadOptions one;
    one.threads = 1;
    const auto whole = readTextTable(text, path, one);
    const auto streamed = readLogFile(path);
    ASSERT_TRUE(whole);
    ASSERT_TRUE(streamed);
    EXPECT_EQ(whole->rowsRead, streamed->rowsRead);
    EXPECT_EQ(whole->rowsSkipped, 4);
    const auto same = [](std::span<const double> a, std::span<const double> b) {
        return std::equal(a.begin(), a.end(), b.begin(), b.end());
    };
    EXPECT_TRUE(same(whole->recording->time_s(), streamed->recording->time_s()));
    EXPECT_TRUE(same(whole->recording->voltage_V(), streamed->recording->voltage_V()));
    EXPECT_TRUE(same(whole->recording->temperature_C(), streamed->recording->temperature_C()));
    ASSERT_EQ(whole->recording->problems().size(), streamed->recording->problems().size());
    EXPECT_EQ(whole->recording->problems()[0].line, streamed->recording->problems()[0].line);
}

TEST(Hostile, BombsRunIntoALimit) {
    EXPECT_THAT(readLogFile(corpus("bomb.csv.gz")).error().text(), HasSubstr("grows"));
    const std::string zeros(std::size_t{200} << 20, '0');
    std::string packed(ZSTD_compressBound(zeros.size()), '\0');
    packed.resize(ZSTD_compress(packed.data(), packed.size(), zeros.data(), zeros.size(), 1));
    EXPECT_THAT(readLog(packed, "bomb.zst").error().text(), HasSubstr("grows"));
    std::string twice(ZSTD_compressBound(packed.size()), '\0');
    twice.resize(ZSTD_compress(twice.data(), twice.size(), packed.data(), packed.size(), 1));
    EXPECT_THAT(readLog(twice, "twice.zst").error().text(), HasSubstr("more than once"));
}

TEST(Hostile, DamagedFilesAreErrors) {
    for (const char* name : {"discharge.csv.gz", "discharge.csv.zst", "discharge.xlsx",
                             "discharge.ods", "discharge.mat", "discharge-struct.mat"}) {
        std::ifstream file(corpus(name), std::ios::binary);
        const std::string bytes{std::istreambuf_iterator<char>(file), {}};
        ASSERT_FALSE(bytes.empty());
        for (const double share : {0.3, 0.7, 0.97}) {
            const auto cut = bytes.substr(
                0, static_cast<std::size_t>(share * static_cast<double>(bytes.size())));
            const auto log = readLog(cut, name);  // an error, or less; never a crash
            if (log) {
                EXPECT_LE(log->rowsRead, 62) << name;
            }
        }
        std::string flipped = bytes;
        for (std::size_t k = 64; k < flipped.size(); k += 97)
            flipped[k] = static_cast<char>(~flipped[k]);
        (void)readLog(flipped, name);
    }
}

TEST(Hostile, OddTextIsAnErrorWithBoundedWork) {
    EXPECT_FALSE(readLog("", "empty"));
    EXPECT_FALSE(readLog(std::string(100000, '\0'), "nul"));
    std::string wide = "0";
    for (int k = 1; k < 1000000; ++k) wide += ",1";
    EXPECT_FALSE(readLog(wide + "\n" + wide + "\n", "wide")) << "a million columns";
    std::string longLine(std::size_t{100} << 20, 'x');
    EXPECT_FALSE(readLog(longLine, "long")) << "a line of 100 MB";
    longLine = "time,voltage,current\n0,4,0\n1,4," + std::string(std::size_t{20} << 20, '9') +
               "\n2,4,0\n3,4,0\n";
    const auto log = readLog(longLine, "digits");
    ASSERT_TRUE(log);
    EXPECT_LE(log->rowsRead, 4);
    EXPECT_FALSE(readLogFile("/dev/zero"));
    EXPECT_FALSE(readLogFile("/tmp"));
}

TEST_F(Folder, AFileThatShrinksWhileItIsRead) {
    std::string text = "time,voltage,current\n";
    for (int k = 0; k < 900000; ++k) text += std::to_string(k) + ",3.7000,1.000\n";
    const std::string path = write("shrinks.csv", text);
    std::atomic<bool> go{false};
    const std::jthread other([&] {
        while (!go) std::this_thread::yield();
        ::truncate(path.c_str(), 1 << 20);
    });
    go = true;
    const auto log = readLogFile(path);  // whole, an error, or what was left; never a crash
    if (!log) {
        EXPECT_THAT(log.error().text(), HasSubstr("shrinks.csv"));
    }
}

TEST(LogLimits, SayWhatToLogNextTime) {
    std::vector<double> t, v, i;
    for (int k = 0; k <= 400; ++k) {
        t.push_back(60.0 * k);
        v.push_back(std::round((1.35 + 0.0002 * k) * 100) / 100);
        i.push_back(k > 5 ? 0.2 : 0);
    }
    RecordingData d;
    d.time_s = t, d.voltage_V = v, d.current_A = i;
    d.textStep_V = 0.01, d.textStep_A = 0.1;
    Battery b;
    b.chemistry = "nimh", b.series = 1, b.rated_Ah = 2;
    const auto a = analyse(*Recording::make(d), b);
    const auto text = [&](const char* code) {
        for (const Finding& f : a.findings)
            if (f.code == code) return f.text + f.advice;
        return std::string();
    };
    EXPECT_THAT(text("coarse_log"), HasSubstr("millivolts"));
    EXPECT_THAT(text("slow_log"), HasSubstr("every second"));
}

TEST(LogLimits, AFrozenVoltageIsFound) {
    std::vector<double> t, v, i;
    for (int k = 0; k <= 3600; ++k) {
        t.push_back(k);
        const int shown = k > 1000 && k < 2500 ? 1000 : k;
        v.push_back(4.1 - 0.0002 * shown);
        i.push_back(k > 10 ? -1 : 0);
    }
    RecordingData d;
    d.time_s = t, d.voltage_V = v, d.current_A = i;
    d.textStep_V = 1e-4, d.textStep_A = 1e-3;
    Battery b;
    b.chemistry = "nmc", b.series = 1, b.rated_Ah = 1;
    const auto a = analyse(*Recording::make(d), b);
    EXPECT_TRUE(std::any_of(a.findings.begin(), a.findings.end(), [](const Finding& f) {
        return f.code == "frozen_channel" && f.evidence.from_s > 900 && f.evidence.to_s < 2600;
    }));
}
