// Logs that would hurt: they are read, or refused in plain words, in bounded time and memory.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#include <zlib.h>

#include <csignal>
#include <fstream>
#include <thread>

#include "analysis/analysis.h"
#include "formats/file_out.h"
#include "formats/importer.h"
#include "formats/packed.h"
#include "quantity/harmless.h"
#include "report/sheet.h"
#include "tests/support/folder.h"

// Memory that a sanitizer keeps back tells nothing of ours.
#if defined(__SANITIZE_ADDRESS__)
#define NK_WATCHED_MEMORY
#elif defined(__has_feature)
#if __has_feature(address_sanitizer)
#define NK_WATCHED_MEMORY
#endif
#endif

namespace nk {
namespace {

namespace fs = std::filesystem;
using testing::HasSubstr;
using testing::Not;

std::string table(int rows, const std::string& line, int at) {
    std::string text = "time_s,note,voltage_V,current_A\n";
    for (int k = 0; k < rows; ++k)
        text += k == at
                    ? line
                    : std::to_string(10 * k) + ",ok," + std::to_string(3.2 + 0.01 * k) + ",1.0\n";
    return text;
}

std::string gzip(const std::string& text) {
    z_stream z{};
    deflateInit2(&z, 6, Z_DEFLATED, 31, 8, Z_DEFAULT_STRATEGY);
    std::string out(text.size() + 1000, '\0');
    z.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(text.data()));
    z.avail_in = static_cast<uInt>(text.size());
    z.next_out = reinterpret_cast<Bytef*>(out.data());
    z.avail_out = static_cast<uInt>(out.size());
    deflate(&z, Z_FINISH);
    out.resize(out.size() - z.avail_out);
    deflateEnd(&z);
    return out;
}

/// Largest resident size of `work` in a child of its own, in MB; 0 when it crashed.
long memoryOf(const std::function<void()>& work) {
    const pid_t pid = ::fork();
    if (pid == 0) {
        work();
        ::_exit(0);
    }
    int status = 0;
    rusage used{};
    ::wait4(pid, &status, 0, &used);
    return WIFEXITED(status) ? used.ru_maxrss / 1024 : 0;
}

TEST(HostileLog, AnOpenQuoteIsABadRowAndATwoLineNoteIsRead) {
    for (const char* line :
         {"300,\"open,3.5,1.0\n", "300,\"\n", "\"\n", "300,\"a\"\"b,3.5,1.0\n", "\",\",\",\n"}) {
        const auto log = readLog(table(60, line, 30), "quote.csv");
        ASSERT_TRUE(log) << log.error().text();
        EXPECT_GE(log->rowsRead, 59) << line;
        EXPECT_LE(log->rowsRead, 60) << line;
    }
    const auto note =
        readLog(table(60, "300,\"line one\nline two, with a comma\",3.5,1.0\n", 30), "note.csv");
    ASSERT_TRUE(note);
    EXPECT_EQ(note->rowsRead, 60);
    EXPECT_EQ(note->rowsSkipped, 0);
    EXPECT_EQ(readLog(table(60, "300,\"x\"\"y\",3.5,1.0\n", 30), "doubled.csv")->rowsRead, 60);
    EXPECT_EQ(readLog(table(60, "590,\"open,3.5,1.0", 59), "last.csv")->rowsRead, 60);
}

TEST(HostileLog, AllMembersOfAGzipAreRead) {
    const std::string text = table(400, "", -1);
    const std::string half = text.substr(0, text.size() / 2);
    const auto log = readLog(gzip(half) + gzip("") + gzip(text.substr(half.size())), "two.csv.gz");
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_EQ(log->rowsRead, 400);
    EXPECT_EQ(readLog(gzip(text) + std::string(512, '\0'), "padded.csv.gz")->rowsRead, 400);
    EXPECT_FALSE(readLog(gzip(text) + gzip(text).substr(0, 60), "cut.csv.gz"));
}

TEST(HostileLog, ALargePackedLogGoesThroughAFileAndGivesTheSame) {
    std::string text = "time,voltage,current\n";
    for (int k = 0; text.size() < (std::size_t{70} << 20); ++k)
        text += std::to_string(k) + "," + std::to_string(3 + k % 1000 * 1e-3) + ",-1.234567\n";
    const auto packed = gzip(text);
    const auto unpacked = unpackGzip(packed, "big");
    ASSERT_TRUE(unpacked);
    EXPECT_TRUE(unpacked->file) << "not in memory";
    const auto log = readLog(packed, "big.csv.gz");
    ASSERT_TRUE(log) << log.error().text();
    const auto plain = readLog(text, "big.csv");
    EXPECT_EQ(log->rowsRead, plain->rowsRead);
    EXPECT_EQ(log->recording->data().voltage_V, plain->recording->data().voltage_V);
}

TEST(HostileLog, ShortRowsOfAWideTableCostNoMemory) {
    std::string text = "time_s,voltage_V,current_A";
    for (int k = 0; k < 999; ++k) text += ",Cell " + std::to_string(k + 1) + " [V]";
    std::string cells;
    for (int k = 0; k < 999; ++k) cells += ",3.2";
    text += "\n";
    for (int k = 0; k < 400; ++k) text += std::to_string(k) + ",3.2,1" + cells + "\n";
    for (int k = 0; k < 300000; ++k) text += std::to_string(k) + "\n";
    std::int64_t rows = 0;
    const auto log = readLog(text, "wide.csv");
    ASSERT_TRUE(log);
    rows = log->rowsRead;
    EXPECT_EQ(rows, 400);
    EXPECT_EQ(log->rowsSkipped, 300000);
#if !defined(NK_WATCHED_MEMORY)
    const long used = memoryOf([&] { (void)readLog(text, "wide.csv"); });
    EXPECT_GT(used, 0);
    EXPECT_LT(used, 300);
#endif
}

TEST(HostileLog, FiguresBeyondABatteryAreBadRows) {
    struct Case {
        const char* line;
        int read;
        const char* said;
    };
    for (const Case& c : {Case{"300,ok,2500,1.0\n", 59, "voltage of '2500'"},
                          Case{"300,ok,3.5,30000\n", 59, "current of '30000'"},
                          Case{"300,ok,3.5,-1e300\n", 59, "current"},
                          Case{"1000000000000000,ok,3.5,1\n", 59, "beyond any calendar"},
                          Case{"300,ok,1999,1.0\n", 60, ""}}) {
        const auto log = readLog(table(60, c.line, 30), "absurd.csv");
        ASSERT_TRUE(log);
        EXPECT_EQ(log->rowsRead, c.read) << c.line;
        if (c.read == 59) {
            ASSERT_FALSE(log->recording->problems().empty());
            EXPECT_THAT(log->recording->problems()[0].message, HasSubstr(c.said));
        }
    }
    // A broken sensor does not cost the voltages.
    std::string text = "time,voltage,current,temp °C\n";
    for (int k = 0; k < 50; ++k) text += std::to_string(k) + ",3.7,1,-999\n";
    const auto sensor = readLog(text, "sensor.csv");
    ASSERT_TRUE(sensor);
    EXPECT_EQ(sensor->rowsRead, 50);
    EXPECT_FALSE(sensor->recording->hasTemperature());
    EXPECT_EQ(sensor->recording->problems().front().kind, "bad_cell");
}

TEST(HostileLog, EverythingStopsWhenItIsAskedTo) {
    std::stop_source stop;
    stop.request_stop();
    const std::string folder = std::string(NK_SOURCE_DIR) + "/tests/formats/corpus/";
    for (const char* name : {"discharge.csv", "discharge.csv.gz", "discharge.csv.zst",
                             "discharge.xlsx", "discharge.ods", "discharge.mat"}) {
        const auto log = readLogFile(folder + name, {}, {}, stop.get_token());
        ASSERT_FALSE(log) << name;
        EXPECT_EQ(log.error().kind, ErrorKind::Cancelled) << name;
    }
}

TEST(HostileLog, MessagesNameTenColumnsAtMostAndNothingActsOnATerminal) {
    std::string text = "time";
    for (int k = 0; k < 40; ++k) text += ",\x1b[31mred\xE2\x80\xAE" + std::to_string(k);
    text += "\n";
    for (int r = 0; r < 10; ++r) {
        text += std::to_string(r);
        for (int k = 0; k < 40; ++k) text += ",abc" + std::to_string(k) + ";1";
        text += "\n";
    }
    const auto log = readLog(text, "columns.csv");
    ASSERT_FALSE(log);
    EXPECT_LT(log.error().text().size(), 1500u);
    EXPECT_THAT(log.error().text(), Not(HasSubstr("\x1b")));
    EXPECT_EQ(harmless("a\x1b[2Jb\xE2\x80\xAEgnp\xC2\x9B\x7F\xFF"
                       "é\n"),
              "a�[2Jb�gnp���é ");
    EXPECT_EQ(harmless("0123456789", 4), "0123…");
    EXPECT_EQ(harmlessJson("{\"a\": \"\xE2\x80\xAEx\x7F°\"}"), "{\"a\": \"\\u202ex\\u007f°\"}");
}

TEST(HostileLog, SheetsOfOddTimeAxesAreSmall) {
    for (const double last : {1e15, 1e9, 1.0, 0.0}) {
        RecordingData d;
        for (int k = 0; k < 60; ++k) {
            d.time_s.push_back(k == 59 ? std::max(last, 580.0) : last == 0 ? 0.0 : 10.0 * k);
            d.voltage_V.push_back(last == 1.0 ? 1e14 : 3.2 + 0.01 * k);
            d.current_A.push_back(1);
        }
        if (last == 0) d.time_s.back() = 0;
        const auto r = Recording::make(std::move(d));
        EXPECT_LT(curveSvg(*r, {}, 740, 380).size(), 40000u) << last;
    }
}

TEST(FileOut, WritesWholeOrNotAtAll) {
    test::Folder folder;
    const fs::path path = folder.path() / "out.csv";
    ASSERT_TRUE(writeFile(path, "first", false));
    EXPECT_FALSE(writeFile(path, "second", false)) << "never over a file";
    ASSERT_TRUE(writeFile(path, "second", true));
    std::ifstream file(path);
    EXPECT_EQ(std::string(std::istreambuf_iterator<char>(file), {}), "second");
    EXPECT_FALSE(writeFile(path, "third", true, {path})) << "the file that is read";
    fs::create_symlink(path, folder.path() / "link");
    EXPECT_FALSE(writeFile(folder.path() / "link", "third", true, {path})) << "by another name";
    EXPECT_FALSE(writeFile(folder.path() / "out.csv-wal", "x", true, {path}));
    EXPECT_FALSE(writeFile(folder.path(), "x", true));
    EXPECT_FALSE(writeFile("/dev/null", "x", true));
    EXPECT_FALSE(writeFile(folder.path() / "no folder" / "x", "x", false));
    // A disk that refuses (a limit of the process stands in for a full one).
    const pid_t pid = ::fork();
    if (pid == 0) {
        std::signal(SIGXFSZ, SIG_IGN);
        const rlimit limit{1000, 1000};
        ::setrlimit(RLIMIT_FSIZE, &limit);
        const bool refused =
            !writeFile(folder.path() / "full.csv", std::string(5000, 'x'), false) &&
            !writeFile(path, std::string(5000, 'x'), true);
        ::_exit(refused ? 0 : 1);
    }
    int status = 1;
    ::waitpid(pid, &status, 0);
    EXPECT_EQ(status, 0);
    std::size_t files = 0;
    for (const auto& entry : fs::directory_iterator(folder.path())) {
        EXPECT_GT(fs::file_size(entry), 0u);
        ++files;
    }
    EXPECT_EQ(files, 2u) << "the file and the link";
}

}  // namespace
}  // namespace nk
