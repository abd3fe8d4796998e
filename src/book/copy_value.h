// A value of one book as a value of another, of the same kind.
#pragma once

#include <SQLiteCpp/SQLiteCpp.h>

#include <cstdint>

namespace nk {

inline void copyValue(const SQLite::Column& from, SQLite::Statement& to, int index) {
    if (from.isNull())
        to.bind(index);
    else if (from.isInteger())
        to.bind(index, static_cast<std::int64_t>(from.getInt64()));
    else if (from.isFloat())
        to.bind(index, from.getDouble());
    else if (from.isBlob())
        to.bind(index, from.getBlob(), from.getBytes());
    else
        to.bind(index, from.getString());
}

}  // namespace nk
