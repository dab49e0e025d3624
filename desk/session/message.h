#pragma once

#include "core/base/error.h"

#include <QString>

namespace pathmark::desk {

/// An error as the line below the Sky says it.
inline QString message(const Error& error) {
    return QString::fromStdString(toMessage(error));
}

} // namespace pathmark::desk
