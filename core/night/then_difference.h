#pragma once

#include "core/night/then_picture.h"
#include "core/stack/matched_difference.h"

namespace pathmark::night {

/// What is left of a light when an older picture of its place is taken off, the sharper of the two brought to the stars of the broader;
/// in the light's electrons.
///
/// Errors   catalog.bad_survey  the picture is not linear in light; solve.too_few_stars, frame.* of the light's file
Result<stack::MatchedDifference>
thenDifference(const NightFile& night, const LightRecord& light, const ThenPicture& then);

} // namespace pathmark::night
