// One error type for the whole core: what happened, where, and what would be accepted.
// Values, not exceptions: a function that can fail on input returns Expected<T>.
#pragma once

#include <string>
#include <tl/expected.hpp>

namespace nk {

enum class ErrorKind {
    NotFound,
    Unreadable,
    NotATable,
    ColumnsUnknown,  ///< a table, but its columns must be named by the user
    Unsupported,
    InvalidArgument,
    Cancelled,
    Storage,
    Foreign  ///< a bench book with something in it that this program cannot have written: its rows
             ///< can be copied
};

struct Error {
    ErrorKind kind = ErrorKind::InvalidArgument;
    std::string what;      ///< what happened, one plain sentence
    std::string where;     ///< file, file:line or option; may be empty
    std::string accepted;  ///< what would be accepted instead; may be empty
    /// Of a refusal for safety (safety/gate.h): what was asked for, which rule forbids it and where
    /// that rule is from; else empty.
    std::string act = {}, rule = {}, source = {};

    /// "where: what. Accepted: …" for a person.
    std::string text() const;
};

template <class T>
using Expected = tl::expected<T, Error>;

tl::unexpected<Error> fail(ErrorKind kind, std::string what, std::string where = {},
                           std::string accepted = {});

}  // namespace nk
