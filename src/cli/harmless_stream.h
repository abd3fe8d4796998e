// What the command line prints goes through here: names from files cannot act on the terminal.
#pragma once

#include <ostream>
#include <streambuf>
#include <string>
#include <string_view>

namespace nk {

/// A stream that hands on whole lines as harmless text (quantity/harmless.h); JSON, which begins
/// with a brace, keeps its values and gets escapes. What is left is handed on when it is flushed or
/// goes.
class HarmlessStream : public std::ostream {
  public:
    explicit HarmlessStream(std::ostream& target)
        : std::ostream(&buffer_), buffer_(target, *this) {}
    ~HarmlessStream() override { buffer_.pubsync(); }
    /// Hands on what is harmless already (a JsonWriter's pieces) as it stands, after what waits.
    void pass(std::string_view text) { buffer_.pass(text); }

  private:
    class Buffer : public std::streambuf {
      public:
        Buffer(std::ostream& target, std::ostream& owner) : target_(target), owner_(owner) {}

        void pass(std::string_view text);

      protected:
        int_type overflow(int_type c) override;
        std::streamsize xsputn(const char* text, std::streamsize count) override;
        int sync() override;

      private:
        void handOn(std::size_t count);

        std::ostream& target_;
        std::ostream& owner_;
        std::string waiting_;
        bool begun_ = false, json_ = false;
    };
    Buffer buffer_;
};

/// To any stream, without a second look where it is a HarmlessStream.
void writeHarmless(std::ostream& out, std::string_view text);

}  // namespace nk
