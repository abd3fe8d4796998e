// The command line follows a real pseudo-terminal: the simulated instrument asked in its protocol,
// and a line that only prints rows.
#include <fcntl.h>
#include <spawn.h>
#include <stdlib.h>
#include <sys/wait.h>
#include <termios.h>

#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "tests/support/command.h"
#include "tests/support/terminal.h"

using namespace nk;
using test::run;

namespace {

using Json = nlohmann::json;

class WatchSerial : public test::Command {
  protected:
    void SetUp() override {
        if (!test::hasTerminals()) GTEST_SKIP() << "no /dev/pts on this machine";
        test::Command::SetUp();
    }
    /// Starts narrow-knee-sim and waits for its link.
    std::string simulator(std::vector<std::string> more) {
        const std::string link = (folder_ / "tty").string();
        std::vector<std::string> args{NK_SIM, "--link", link};
        args.insert(args.end(), more.begin(), more.end());
        std::vector<char*> argv;
        for (std::string& a : args) argv.push_back(a.data());
        argv.push_back(nullptr);
        EXPECT_EQ(::posix_spawn(&child_, NK_SIM, nullptr, nullptr, argv.data(), environ), 0);
        for (int k = 0; k < 100 && !std::filesystem::exists(link); ++k)
            std::this_thread::sleep_for(std::chrono::milliseconds(50));
        return link;
    }
    void TearDown() override {
        if (child_ > 0) {
            ::kill(child_, SIGTERM);
            ::waitpid(child_, nullptr, 0);
        }
        test::Command::TearDown();
    }
    pid_t child_ = 0;
};

std::vector<Json> lines(const std::string& text) {
    std::vector<Json> out;
    std::istringstream in(text);
    std::string line;
    while (std::getline(in, line))
        if (!line.empty()) out.push_back(Json::parse(line));
    return out;
}

TEST_F(WatchSerial, TheInstrumentIsAskedAndJudged) {
    const std::string tty = simulator({"--speed", "300", "--fault", "1:hot"});
    const auto ran = run({"watch", tty + ":1", "--chemistry", "nmc", "--series", "3", "--rated-ah",
                          "5", "--for", "6s", "--json"});
    ASSERT_EQ(ran.status, 0) << ran.err;
    const auto all = lines(ran.out);
    ASSERT_GT(all.size(), 10U);
    int samples = 0;
    bool hot = false;
    for (const Json& e : all) {
        if (!e.contains("event")) continue;
        samples += e["event"] == "sample" ? 1 : 0;
        hot = hot || (e["event"] == "alarm" && e["code"] == "too_hot");
    }
    EXPECT_GT(samples, 20);
    EXPECT_TRUE(hot);
    EXPECT_TRUE(all.back().contains("steps")) << "the analysis at the end";
    const auto none = run({"watch", tty + ":7", "--for", "2s"});
    EXPECT_EQ(none.status, 1);
    EXPECT_NE(none.err.find("(@7)"), std::string::npos) << none.err;
}

TEST_F(WatchSerial, ALineThatPrintsRowsIsRead) {
    const int master = ::posix_openpt(O_RDWR | O_NOCTTY);
    ASSERT_GE(master, 0);
    ASSERT_EQ(::grantpt(master) + ::unlockpt(master), 0);
    char name[128] = {};
    ASSERT_EQ(::ptsname_r(master, name, sizeof name), 0);
    const int keep = ::open(name, O_RDWR | O_NOCTTY);
    termios raw{};
    ::tcgetattr(keep, &raw);
    ::cfmakeraw(&raw);
    ::tcsetattr(keep, TCSANOW, &raw);
    std::jthread printer([master](const std::stop_token& stop) {
        std::this_thread::sleep_for(std::chrono::milliseconds(1800));
        std::string text = "t;U [V];I [A]\r\n";
        for (int k = 0; k < 400 && !stop.stop_requested(); ++k) {
            text += std::to_string(k) + ";" + std::to_string(3.60 + 0.001 * k).substr(0, 5) +
                    ";1.000\r\n";
            if (k % 10 == 9) {
                (void)!::write(master, text.data(), text.size());
                text.clear();
                std::this_thread::sleep_for(std::chrono::milliseconds(20));
            }
        }
    });
    const auto ran = run({"watch", name, "--for", "5s", "--json", "--no-samples", "--chemistry",
                          "nmc", "--series", "1", "--rated-ah", "3"});
    printer.request_stop();
    ASSERT_EQ(ran.status, 0) << ran.err;
    const auto all = lines(ran.out);
    ASSERT_FALSE(all.empty());
    EXPECT_GT(all.back()["source"]["rows_read"].get<int>(), 300);
    ::close(keep);
    ::close(master);
}

}  // namespace
