// The memory of a command's answer: given back piece by piece it would take as long again as
// writing it.
#pragma once

#include <memory>
#include <type_traits>
#include <utility>
#include <vector>

namespace nk {

/// True in a process that runs one command and ends; main says so.
inline bool& endsAfterCommand() {
    static bool ends = false;
    return ends;
}

/// Keeps `value` until the process ends, where it ends after this command; gives it back at once
/// elsewhere.
template <class T>
void keepToExit(T&& value) {
    static_assert(!std::is_lvalue_reference_v<T>);
    if (!endsAfterCommand()) {
        const T given = std::forward<T>(value);
        return;
    }
    static auto* const kept = new std::vector<std::shared_ptr<void>>;  // ends with the process
    kept->push_back(std::make_shared<T>(std::forward<T>(value)));
}

}  // namespace nk
