// A folder of its own for a test, gone afterwards.
#pragma once

#include <stdlib.h>

#include <filesystem>
#include <string>

namespace nk::test {

class Folder {
  public:
    Folder() {
        std::string name = (std::filesystem::temp_directory_path() / "nk-test-XXXXXX").string();
        path_ = mkdtemp(name.data());
    }
    ~Folder() {
        std::error_code ec;
        std::filesystem::remove_all(path_, ec);
    }
    Folder(const Folder&) = delete;
    Folder& operator=(const Folder&) = delete;
    const std::filesystem::path& path() const { return path_; }

  private:
    std::filesystem::path path_;
};

}  // namespace nk::test
