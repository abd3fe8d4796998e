// A log that another program keeps writing: what is new is read, not the whole anew.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "importer.h"
#include "recording/live_row.h"

namespace nk {

/// How much of a log is read together.
struct GrowingSizes {
    std::size_t whole = std::size_t{256} << 10;  ///< bytes up to which all of it is read anew
    std::size_t head = std::size_t{32} << 10;    ///< that tell how it is to be read
    std::size_t piece = std::size_t{16} << 20;   ///< of what is new, read at once
    std::size_t most = std::size_t{256} << 20;   ///< a larger log is not followed any further
    std::size_t overlap = 40;                    ///< lines that are read again, to find the place
};

/// Small logs are read whole each time. Of a larger text table its head, the last lines that were
/// known and the fresh ones are read: the reader sees the same titles and first rows, and the
/// lines that it has read before tell how their times go on. Where these do not come out as they
/// did, and for logs that are no text, all of it is read each time.
class GrowingLog {
  public:
    /// Bytes [from, to) of it.
    using Bytes = std::function<Expected<std::string>(std::size_t from, std::size_t to)>;

    GrowingLog(std::string name, ReadOptions options, const GrowingSizes& sizes = {});

    /// The rows that are new among its first `size` bytes. `over`: its last line counts without an
    /// end. `began_s`: its beginning where it tells none, since 1970. Errors: those of the reader
    /// and of `bytes`, a log that has grown beyond what is followed; nothing is lost by them, it
    /// can be asked again.
    Expected<std::vector<LiveRow>> take(const Bytes& bytes, std::size_t size, bool over,
                                        double began_s);
    /// Another log stands in its place: all is new.
    void forget();
    /// The last take found fewer rows than were known, or read them otherwise: it gave all anew.
    bool beganAnew() const { return beganAnew_; }
    /// It began anew on the bytes that it knew, read otherwise: what was given before is given
    /// again. Else another log stands there, and what was given before is nowhere else any more.
    bool readOtherwise() const { return beganAnew_ && sameBytes_; }
    /// Every take reads all of it.
    bool readsAll() const { return all_; }
    std::size_t rows() const { return rows_; }
    /// Sum of what was read, for tests of the cost.
    double bytesRead() const { return bytesRead_; }

    struct Told {
        double time_s, voltage_V, current_A;
    };

  private:
    Expected<std::vector<LiveRow>> whole(const Bytes& bytes, std::size_t size, bool over,
                                         double began_s);
    Expected<std::vector<LiveRow>> fresh(const Bytes& bytes, std::size_t size, bool over,
                                         bool& failed);

    std::string name_;
    ReadOptions options_, pinned_;                ///< as given; with what all of it told
    SignConvention sign_ = SignConvention::Auto;  ///< as all of it was read last
    GrowingSizes sizes_;
    bool all_ = false, beganAnew_ = false, sameBytes_ = false;
    std::size_t rows_ = 0, done_ = 0;
    double zero_s_ = 0;        ///< of the times, since 1970
    std::string head_, tail_;  ///< whole lines
    Told first_{}, last_{};
    double bytesRead_ = 0;
};

}  // namespace nk
