// The command line in tests: run in the process, in a folder of its own.
#pragma once

#include <gtest/gtest.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>
#include <vector>

#include "cli/commands.h"

namespace nk::test {

struct Ran {
    int status;
    std::string out, err;
};

inline Ran run(std::vector<std::string> args) {
    std::ostringstream out, err;
    const int status = runCommandLine(std::move(args), out, err);
    return {status, out.str(), err.str()};
}

/// A folder for one test, gone afterwards.
class Command : public testing::Test {
  protected:
    void SetUp() override {
        folder_ = std::filesystem::temp_directory_path() /
                  ("nk-cli-" + std::to_string(::getpid()) + "-" +
                   testing::UnitTest::GetInstance()->current_test_info()->name());
        std::filesystem::remove_all(folder_);
        std::filesystem::create_directories(folder_);
    }
    void TearDown() override { std::filesystem::remove_all(folder_); }
    std::string write(const std::string& name, const std::string& text) {
        std::ofstream(folder_ / name, std::ios::binary) << text;
        return (folder_ / name).string();
    }
    std::filesystem::path folder_;
};

}  // namespace nk::test
