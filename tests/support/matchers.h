#pragma once

#include "core/base/angle.h"

#include <gmock/gmock.h>

namespace pathmark::test_support {

/// Within an angle of a direction, the wrap at 0 h and the poles included.
MATCHER_P2(IsNearDirection, expected, tolerance, "") {
    const Angle apart = separation(arg, expected);
    *result_listener << "which is " << apart.arcsec() << " arcsec away";
    return apart <= tolerance;
}

} // namespace pathmark::test_support
