#include <csignal>
#include <iostream>

#include "cli/commands.h"
#include "cli/to_exit.h"

int main(int argc, char** argv) {
    // A limit on file sizes is an error that is said, not an end.
    std::signal(SIGXFSZ, SIG_IGN);
    std::ios::sync_with_stdio(false);
    nk::endsAfterCommand() = true;
    return nk::runCommandLine({argv + 1, argv + argc}, std::cout, std::cerr);
}
