// narrow-knee-sim: the simulated instrument on a pseudo-terminal (docs/formats.md, man page).
#include <fcntl.h>
#include <poll.h>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <chrono>
#include <csignal>
#include <filesystem>
#include <iostream>

#include "cellmodel/simulated_instrument.h"
#include "quantity/number.h"

namespace {

volatile std::sig_atomic_t over = 0;
void ask(int /*signal*/) {
    over = 1;
}

/// Channel and fault of "2:hot", or "2:hot@120" from that second on.
struct Timed {
    int channel = 1;
    nk::SimulatedInstrument::Fault fault = nk::SimulatedInstrument::Fault::None;
    double at_s = 0;
    bool done = false;
};

nk::Expected<Timed> readFault(const std::string& text) {
    Timed out;
    const auto colon = text.find(':');
    const auto at = text.find('@');
    if (colon != 1 || text[0] < '1' || text[0] > '4')
        return nk::fail(nk::ErrorKind::InvalidArgument, "This is no fault: " + text, "--fault",
                        "2:hot or 2:hot@120.");
    out.channel = text[0] - '0';
    const auto fault = nk::SimulatedInstrument::faultOf(text.substr(2, at - 2));
    if (!fault) return tl::unexpected<nk::Error>(fault.error());
    out.fault = *fault;
    if (at != std::string::npos)
        out.at_s = nk::readNumber(std::string_view(text).substr(at + 1)).value_or(0);
    return out;
}

/// A pseudo-terminal and the line that is being typed into it.
struct Terminal {
    int master = -1, slave = -1;
    std::string name, line;

    bool open() {
        char path[128] = {};
        master = ::posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK);
        if (master < 0 || ::grantpt(master) != 0 || ::unlockpt(master) != 0 ||
            ::ptsname_r(master, path, sizeof path) != 0)
            return false;
        name = path;
        // Held open from this side too: a reader that goes away is no hang-up.
        slave = ::open(path, O_RDWR | O_NOCTTY);
        if (slave < 0) return false;
        termios raw{};
        ::tcgetattr(slave, &raw);
        ::cfmakeraw(&raw);
        return ::tcsetattr(slave, TCSANOW, &raw) == 0;
    }

    void serve(nk::SimulatedInstrument& instrument) {
        char buffer[4096];
        const ssize_t got = ::read(master, buffer, sizeof buffer);
        for (ssize_t k = 0; k < got; ++k) {
            if (buffer[k] != '\n') {
                constexpr std::size_t kLongest = 4096;
                if (line.size() < kLongest) line += buffer[k];
                continue;
            }
            std::string answer = instrument.answer(line);
            line.clear();
            if (answer.empty()) continue;
            answer += '\n';
            const char* at = answer.data();
            std::size_t left = answer.size();
            for (int tries = 0; left > 0 && tries < 100; ++tries) {
                const ssize_t put = ::write(master, at, left);
                if (put > 0)
                    at += put, left -= static_cast<std::size_t>(put);
                else
                    ::usleep(1000);
            }
        }
    }
};

bool linksToTerminal(const std::string& link) {
    std::error_code ec;
    return std::filesystem::read_symlink(link, ec).string().starts_with("/dev/pts/");
}

}  // namespace

int main(int argc, char** argv) {
    CLI::App app("A made-up bench instrument of four channels on a pseudo-terminal");
    double speed = 1;
    std::uint64_t seed = 1;
    int terminals = 1;
    std::string link;
    std::vector<std::string> faults;
    app.add_option("--speed", speed, "times real time")->check(CLI::Range(1.0, 600.0));
    app.add_option("--seed", seed, "of its noise");
    app.add_option("--terminals", terminals, "so many terminals of the one instrument")
        ->check(CLI::Range(1, 16));
    app.add_option("--link", link, "a symbolic link to the terminal, taken away at the end");
    app.add_option("--fault", faults,
                   "CHANNEL:KIND[@SECONDS], KIND one of drop_out, noise, clock, hot, never_stops, "
                   "garbage");
    CLI11_PARSE(app, argc, argv);
    std::vector<Timed> timed;
    for (const std::string& f : faults) {
        const auto read = readFault(f);
        if (!read) return std::cerr << read.error().text() << '\n', 2;
        timed.push_back(*read);
    }
    std::vector<Terminal> open;
    for (int k = 0; k < terminals; ++k) {
        Terminal t;
        if (!t.open()) return std::cerr << "No pseudo-terminal is to be had.\n", 1;
        open.push_back(std::move(t));
    }
    std::error_code ec;
    if (!link.empty()) {
        // Only a link of ours is replaced: one to a pseudo-terminal, never a file or link of
        // somebody's.
        if (std::filesystem::is_symlink(link, ec)) {
            if (!linksToTerminal(link)) {
                std::cerr << link
                          << ": this link is not of this program; it was not changed. Accepted: "
                             "another name.\n";
                return 1;
            }
            std::filesystem::remove(link, ec);
        }
        std::filesystem::create_symlink(open.front().name, link, ec);
        if (ec) return std::cerr << link << ": " << ec.message() << '\n', 1;
    }
    std::signal(SIGINT, ask);
    std::signal(SIGTERM, ask);
    std::signal(SIGPIPE, SIG_IGN);
    for (const Terminal& t : open) std::cout << t.name << std::endl;
    nk::SimulatedInstrument instrument(seed);
    instrument.setSpeed(speed);
    auto last = std::chrono::steady_clock::now();
    const pid_t parent = ::getppid();
    std::vector<pollfd> ready;
    for (const Terminal& t : open) ready.push_back({t.master, POLLIN, 0});
    while (over == 0) {
        if (::getppid() != parent) break;  // whoever started it is gone
        ::poll(ready.data(), ready.size(), 20);
        const auto now = std::chrono::steady_clock::now();
        instrument.advance(std::chrono::duration<double>(now - last).count() * instrument.speed());
        last = now;
        for (Timed& t : timed)
            if (!t.done && instrument.time_s() >= t.at_s) {
                instrument.setFault(t.channel, t.fault);
                t.done = true;
            }
        for (Terminal& t : open) t.serve(instrument);
    }
    // Taken away only while it is the one that was made here.
    if (!link.empty() && std::filesystem::read_symlink(link, ec) == open.front().name && !ec)
        std::filesystem::remove(link, ec);
    return 0;
}
