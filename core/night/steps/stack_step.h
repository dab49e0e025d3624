#pragma once

#include "core/base/result.h"
#include "core/detect/moffat.h"
#include "core/frame/wcs.h"
#include "core/night/records.h"
#include "core/orbit/place/ephemeris.h"
#include "core/solve/photometric_match.h"

#include <cstdint>
#include <filesystem>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace pathmark::night {

struct NightRun;

/// A stack of part of a series on the stars, with what is needed to measure on it.
struct StarStack {
    std::string key;
    std::vector<std::size_t> lights; ///< indices into the run's lights
    std::filesystem::path path;
    frame::Wcs wcs;
    int width = 0;
    int height = 0;
    Utc middle;
    double spanSeconds = 0.0; ///< from the first frame's opening to the last one's closing
    detect::Moffat shape;
    double noise = 0.0;
    double solutionErrorPixels = 0.0;
    int usedStars = 0;
    std::optional<solve::PhotometricMatch> photometry;
    double exposureSeconds = 0.0;
};

/// A stack on one body's motion.
struct BodyStack {
    std::string key;
    BodyId body;
    StarStack frame; ///< the same frames on the stars
    std::filesystem::path path;
    Utc middle;         ///< when the body was exposed, under a rolling shutter by its rows
    frame::Wcs wcs;     ///< sky at that time
    orbit::Place place; ///< predicted at that time
    std::optional<SkyPos> shownAt = {}; ///< where the observer's motion has the body then
    std::set<std::int64_t> starsLeftOut =
        {};                   ///< of the catalogue, wherever they would touch the body
    std::string starsIn = {}; ///< why there are stars in the body's light; empty: there are none
};

/// Makes the stacks of the plan. A stack that cannot be made goes to the run's failures; the others are made.
///
/// Errors   base.cancelled, base.disk_full, base.cannot_write, night.*
Result<bool> stackStep(NightRun& run);

} // namespace pathmark::night
