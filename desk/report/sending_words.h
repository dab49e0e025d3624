#pragma once

#include "core/night/report/sending_record.h"

#include <QString>

namespace pathmark::desk {

/// How far a report, or a line of it, has come, by shape and word.
QString stateWords(night::SendingState state);

} // namespace pathmark::desk
