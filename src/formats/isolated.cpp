#include "isolated.h"

#include "quantity/phrase.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <ctime>
#include <memory>

namespace nk {

namespace {

constexpr rlim_t kMoreMemory = rlim_t{900} << 20;
constexpr rlim_t kSeconds = 8;

bool writeAll(int file, const char* data, std::size_t size) {
    while (size > 0) {
        const ssize_t n = ::write(file, data, size);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return false;
        data += n;
        size -= static_cast<std::size_t>(n);
    }
    return true;
}

/// Address space of this process now, bytes.
rlim_t mappedNow() {
    long pages = 0;
    const std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(
        std::fopen("/proc/self/statm", "r"), [](std::FILE* f) { return f ? std::fclose(f) : 0; });
    if (!file || std::fscanf(file.get(), "%ld", &pages) != 1) return RLIM_INFINITY - kMoreMemory;
    return static_cast<rlim_t>(pages) * static_cast<rlim_t>(::sysconf(_SC_PAGESIZE));
}

void limit([[maybe_unused]] rlim_t mapped, std::size_t fileBytes) {
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
    const rlim_t most = mapped + std::max<rlim_t>(kMoreMemory, 18 * fileBytes);
    const rlimit memory{most, most};
    ::setrlimit(RLIMIT_AS, &memory);
#endif
    const rlim_t seconds = kSeconds + (fileBytes >> 20);
    const rlimit time{seconds, seconds};
    ::setrlimit(RLIMIT_CPU, &time);
    const rlimit core{0, 0};
    ::setrlimit(RLIMIT_CORE, &core);
    for (const int number : {SIGABRT, SIGSEGV, SIGBUS, SIGFPE, SIGILL})
        std::signal(number, SIG_DFL);
    const int silence = ::open("/dev/null", O_WRONLY);
    if (silence >= 0) ::dup2(silence, STDERR_FILENO);
}

/// In the child: the work, its result as one mark and the text.
[[noreturn]] void child(const std::function<Expected<std::string>()>& work, int result,
                        rlim_t mapped, std::size_t fileBytes) {
    limit(mapped, fileBytes);
    bool good = false;
    try {
        const auto text = work();
        const std::string out =
            text ? "+" + *text
                 : std::string(1, static_cast<char>('a' + static_cast<int>(text.error().kind))) +
                       text.error().what;
        good = writeAll(result, out.data(), out.size());
    } catch (...) {
        good = false;  // out of memory: the parent says so
    }
    ::_exit(good ? 0 : 1);
}

}  // namespace

Expected<std::string> inChild(const std::function<Expected<std::string>()>& work,
                              const std::string& name, const char* accepted, std::size_t fileBytes,
                              const std::stop_token& stop) {
    const int result = ::memfd_create("nk-isolated", MFD_CLOEXEC);
    const rlim_t mapped = mappedNow();
    const pid_t pid = result >= 0 ? ::fork() : -1;
    if (pid < 0) {
        if (result >= 0) ::close(result);
        return fail(ErrorKind::Storage, phrase("There is no room for another process."), name,
                    phrase("a machine with some free memory."));
    }
    if (pid == 0) child(work, result, mapped, fileBytes);
    int status = 0;
    const auto ended = [&](int how) {
        pid_t got = 0;
        do got = ::waitpid(pid, &status, how);
        while (got < 0 && errno == EINTR);
        return got != 0;
    };
    timespec pause{0, 200'000};
    while (!ended(WNOHANG)) {
        if (stop.stop_requested()) {
            ::kill(pid, SIGKILL);
            ended(0);
            ::close(result);
            return fail(ErrorKind::Cancelled,
                        phrase("The import was cancelled; nothing was changed."), name);
        }
        ::nanosleep(&pause, nullptr);
        pause.tv_nsec = std::min(pause.tv_nsec * 2, 20'000'000L);
    }
    std::string text;
    const off_t size = ::lseek(result, 0, SEEK_END);
    if (WIFEXITED(status) && WEXITSTATUS(status) == 0 && size > 0) {
        text.resize(static_cast<std::size_t>(size));
        std::size_t got = 0;
        while (got < text.size()) {
            const ssize_t n =
                ::pread(result, text.data() + got, text.size() - got, static_cast<off_t>(got));
            if (n <= 0) break;
            got += static_cast<std::size_t>(n);
        }
        if (got != text.size()) text.clear();
    }
    ::close(result);
    if (text.empty())
        return fail(ErrorKind::Unreadable,
                    phrase("The file is damaged: its reader had to give up."), name, accepted);
    if (text.front() == '+') return text.substr(1);
    return fail(static_cast<ErrorKind>(text.front() - 'a'), text.substr(1), name, accepted);
}

}  // namespace nk
