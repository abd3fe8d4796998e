// Work on many things that know nothing of each other, shared by two threads.
#pragma once

#include <exception>
#include <iterator>
#include <thread>
#include <utility>
#include <vector>

#include "quantity/phrase.h"

namespace nk {

/// part(from, to) for the halves of 0 … count, the second half on a thread of its own when there
/// are at least `many` things and a processor for it. Words come in the language of the caller.
/// What a half throws is thrown here, when both have ended.
template <class Part>
void inTwo(std::size_t count, std::size_t many, const Part& part) {
    if (count < many || std::thread::hardware_concurrency() < 2) return part(0, count);
    std::exception_ptr failure;
    {
        const Presentation words = presentation();
        const std::jthread other([&] {
            const Presenting same(words);
            try {
                part(count / 2, count);
            } catch (...) {
                failure = std::current_exception();
            }
        });
        part(0, count / 2);
    }
    if (failure) std::rethrow_exception(failure);
}

/// a() and b(), the second on a thread of its own where it is `worth` one, as above.
template <class A, class B>
void atOnce(bool worth, const A& a, const B& b) {
    inTwo(2, worth ? 2 : 3, [&](std::size_t from, std::size_t to) {
        if (from == 0) a();
        if (to == 2) b();
    });
}

/// What fill(k, list) appends for every k of 0 … count, in that order.
template <class T, class Fill>
void collectInTwo(std::size_t count, std::size_t many, std::vector<T>& out, const Fill& fill) {
    std::vector<T> later;
    inTwo(count, many, [&](std::size_t from, std::size_t to) {
        std::vector<T>& list = from == 0 ? out : later;
        for (std::size_t k = from; k < to; ++k) fill(k, list);
    });
    out.insert(out.end(), std::make_move_iterator(later.begin()),
               std::make_move_iterator(later.end()));
}

}  // namespace nk
