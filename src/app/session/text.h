// Small things all parts of the window need.
#pragma once

#include <QDateTime>
#include <QString>

#include "quantity/error.h"
#include "quantity/harmless.h"

namespace nk {

/// An error as one line for a person.
inline QString text(const Error& e) {
    return QString::fromStdString(harmless(e.text(), 2000, true));
}

/// Seconds since 1970.
inline double now_s() {
    return static_cast<double>(QDateTime::currentMSecsSinceEpoch()) / 1000;
}

}  // namespace nk
