#include "app/job/job.h"

namespace nk {

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
