// A file that is written whole or not at all: under another name first, renamed when it is on the
// disk.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "quantity/error.h"

namespace nk {

class FileOut {
  public:
    /// Begins a file. `replace`: one of that name may be there and is replaced at the end. It is
    /// never one of `kept`, by whatever name. Errors: there already, no permission.
    static Expected<FileOut> begin(const std::filesystem::path& path, bool replace,
                                   const std::vector<std::filesystem::path>& kept = {});
    FileOut(FileOut&& other) noexcept;
    FileOut& operator=(FileOut&&) = delete;
    FileOut(const FileOut&) = delete;
    /// Takes back what was written unless it was finished.
    ~FileOut();

    /// False when the disk refused; finish() says why.
    bool write(std::string_view bytes);
    /// Syncs and renames. Errors: full disk, permission, somebody else made a file of that name
    /// meanwhile.
    Expected<void> finish();

  private:
    FileOut(std::filesystem::path path, std::filesystem::path part, int file, bool replace)
        : path_(std::move(path)), part_(std::move(part)), file_(file), replace_(replace) {}

    std::filesystem::path path_, part_;
    int file_ = -1;
    int problem_ = 0;  ///< errno of the first failure
    bool replace_ = false;
};

/// The same in one step.
Expected<void> writeFile(const std::filesystem::path& path, std::string_view bytes, bool replace,
                         const std::vector<std::filesystem::path>& kept = {});

}  // namespace nk
