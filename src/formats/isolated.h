// Work on a file with a library that may fall over on damaged input: done in a child process with
// bounded memory and time, so that a crash there is an error here.
#pragma once

#include <functional>
#include <stop_token>
#include <string>

#include "quantity/error.h"

namespace nk {

/// Runs `work` in a forked child and hands its text back. The child touches nothing but memory and
/// temporary files. Errors: the work's own; Unreadable when the child crashed, took over 900 MiB of
/// memory more than the process had (for files over 50 MB: 18 times the file), or more processor
/// time than 8 s and a second a megabyte; Cancelled, within a twentieth of a second. POSIX; glibc
/// keeps malloc usable in a child of a process with several threads.
Expected<std::string> inChild(const std::function<Expected<std::string>()>& work,
                              const std::string& name, const char* accepted, std::size_t fileBytes,
                              const std::stop_token& stop);

}  // namespace nk
