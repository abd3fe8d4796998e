#include <iostream>

#include "cli/commands.h"

int main(int argc, char** argv) {
    std::ios::sync_with_stdio(false);
    return nk::runCommandLine({argv + 1, argv + argc}, std::cout, std::cerr);
}
