#pragma once

#include "core/night/light_curves.h"
#include "core/night/recipe.h"

#include <optional>
#include <string>

namespace pathmark::night {

/// Whose light curves they are; what is empty is left out, but for the two that the format asks for.
struct CurveOrigin {
    std::string contact;     ///< a person's name
    std::string contactInfo; ///< an address
    std::string observers;   ///< separated by "; "
    std::string telescope;
    std::string detector;
    std::optional<frame::Site> site;
};

CurveOrigin originOf(const Recipe& recipe);

/// Light curves as the exchange format for those of minor planets has them: one block for each target, band and session, points without
/// flags. A session ends where nothing was seen for eight hours.
///
/// Units    days (Julian, UTC, middle of the exposure, not corrected for light time), magnitudes as they are seen, degrees
/// Source   ALCDEF standard, version 2.3.
std::string alcdefText(const LightCurves& curves, const CurveOrigin& origin);

} // namespace pathmark::night
