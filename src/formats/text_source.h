// Where the text of a table comes from: memory, or a large file that is read piece by piece into a
// buffer of each thread, so that it never lies in memory whole.
#pragma once

#include <atomic>
#include <filesystem>
#include <string>
#include <string_view>

#include "quantity/error.h"

namespace nk {

class TextSource {
  public:
    virtual ~TextSource() = default;
    virtual std::size_t size() const = 0;
    /// The bytes [from, to). May use `buffer` and points into it then. Thread-safe. Empty when they
    /// cannot be read; failed() is true then.
    virtual std::string_view bytes(std::size_t from, std::size_t to, std::string& buffer) const = 0;
    virtual bool failed() const { return false; }
};

class MemoryText : public TextSource {
  public:
    explicit MemoryText(std::string_view text) : text_(text) {}
    std::size_t size() const override { return text_.size(); }
    std::string_view bytes(std::size_t from, std::size_t to, std::string&) const override {
        return text_.substr(from, to - from);
    }

  private:
    std::string_view text_;
};

/// A regular file read with pread. A file that shrinks meanwhile fails cleanly.
class FileText : public TextSource {
  public:
    /// Errors: cannot be opened.
    static Expected<FileText> open(const std::filesystem::path& path);
    /// Takes over an open file.
    static FileText take(int file, std::size_t size) { return {file, size}; }
    FileText(FileText&& other) noexcept;
    FileText& operator=(FileText&&) = delete;
    FileText(const FileText&) = delete;
    ~FileText() override;

    std::size_t size() const override { return size_; }
    std::string_view bytes(std::size_t from, std::size_t to, std::string& buffer) const override;
    bool failed() const override { return failed_.load(); }

  private:
    FileText(int file, std::size_t size) : file_(file), size_(size) {}
    int file_ = -1;
    std::size_t size_ = 0;
    mutable std::atomic<bool> failed_{false};
};

/// Offset behind the first line end at or after `from`; size() when there is none.
std::size_t lineStartAfter(const TextSource& source, std::size_t from);

}  // namespace nk
