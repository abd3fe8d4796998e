// How the bench book talks to SQLite: every call runs inside guarded(), which turns the library's
// exceptions into one plain error and promises that nothing was changed.
#pragma once

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <exception>
#include <new>
#include <stdexcept>
#include <string>

#include "quantity/error.h"
#include "quantity/phrase.h"

namespace nk {

/// Thrown inside a transaction to roll it back with a message of our own.
struct Refused {
    Error error;
};

/// The reason in plain words: "the disk is full" rather than a code.
std::string plainReason(const SQLite::Exception& e);

/// Runs `work` and turns what it throws into an Error at `where`.
template <class Work>
auto guarded(const std::string& where, const std::string& what, Work work) -> decltype(work()) {
    const auto failed = [&](const std::string& reason) {
        return tl::unexpected<Error>(Error{
            ErrorKind::Storage, phrase("{}: {}. Nothing was changed.", what, reason), where, ""});
    };
    try {
        return work();
    } catch (const Refused& refused) {
        return tl::unexpected<Error>(refused.error);
    } catch (const SQLite::Exception& e) {
        return failed(plainReason(e));
    } catch (const std::bad_alloc&) {
        return failed(phrase("not enough memory"));
    } catch (const std::logic_error&) {
        // Sizes that cannot be, values of the wrong kind: a damaged book, never a crash.
        return failed(phrase("the book is damaged"));
    } catch (const std::runtime_error& e) {
        return failed(e.what());  // said by this program
    } catch (const std::exception&) {
        return failed(phrase("the book is damaged"));
    }
}

}  // namespace nk
