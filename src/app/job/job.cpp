#include "app/job/job.h"

namespace nk {

Job::~Job() {
    // Nobody waits for what is said now; workers that were put aside are joined with them.
    ++request_;
    if (running_) --underWay_;
    thread_.request_stop();
    for (Retired& r : retired_) r.thread.request_stop();
}

void Job::retire() {
    std::erase_if(retired_, [](const Retired& r) { return r.ended->load(); });
    if (!thread_.joinable()) return;
    thread_.request_stop();
    ++request_;
    retired_.push_back({std::move(thread_), ended_});
}

Error Job::outOfMemory() {
    return {ErrorKind::Unreadable,
            phrase("There is not enough memory for this. Nothing was changed."), "", ""};
}

Error Job::unexpected() {
    return {ErrorKind::Unreadable,
            phrase("The program met something it does not expect and stopped this work. Nothing "
                   "was changed."),
            "", ""};
}

}  // namespace nk
