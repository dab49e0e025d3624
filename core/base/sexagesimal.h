#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"

#include <string>
#include <string_view>

namespace pathmark {

/// How a plain number that stands for a right ascension is to be read.
enum class PlainNumber { Degrees, Hours };

/// Reads an angle: one number, or two to three fields separated by blanks, colons or unit letters.
///
/// Units    Fields are hours (`hours` = true) or degrees; a single number follows `plain`.
/// Errors   base.bad_angle  not a number, or minutes or seconds of 60 and more
Result<Angle> parseSexagesimal(std::string_view text, bool hours, PlainNumber plain);

/// "11 06 34.56": hours to `decimals` of a second, rounded, carried and wrapped at 24 h.
std::string toHours(Angle angle, int decimals, char separator = ' ');

/// "+06 24 53.2": degrees with sign to `decimals` of an arcsecond, rounded and carried.
std::string toDegrees(Angle angle, int decimals, char separator = ' ');

} // namespace pathmark
