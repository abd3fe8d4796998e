// Where a test run crashed: a crash that comes once in fifty runs must tell all it knows that once.
#pragma once

#include <execinfo.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <csignal>
#include <cstring>

namespace nk::tests {

/// Writes the name of the test and the callers of every frame to stderr, then lets the signal do
/// what it does by itself.
inline void tellCrash(int signal) {
    const auto say = [](const char* words) {
        [[maybe_unused]] const auto written = write(STDERR_FILENO, words, std::strlen(words));
    };
    say("\nCrash (");
    say(strsignal(signal));
    say(") in ");
    if (const auto* test = testing::UnitTest::GetInstance()->current_test_info()) {
        say(test->test_suite_name());
        say(".");
        say(test->name());
    } else {
        say("no test: before the first or after the last");
    }
    say("\n");
    void* frames[60];
    backtrace_symbols_fd(frames, backtrace(frames, 60), STDERR_FILENO);
    std::raise(signal);
}

/// For the whole run. The first call of backtrace() loads a library: better now than in a handler.
inline void tellCrashes() {
    void* frame[1];
    backtrace(frame, 1);
    // A stack that overflows has no room for its own report.
    static char room[1 << 16];
    stack_t own = {};
    own.ss_sp = room;
    own.ss_size = sizeof room;
    sigaltstack(&own, nullptr);
    struct sigaction act = {};
    act.sa_handler = tellCrash;
    act.sa_flags = static_cast<int>(SA_RESETHAND | SA_NODEFER | SA_ONSTACK);
    for (const int signal : {SIGSEGV, SIGBUS, SIGABRT, SIGFPE, SIGILL})
        sigaction(signal, &act, nullptr);
}

}  // namespace nk::tests
