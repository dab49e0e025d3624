#pragma once

#include "core/night/steps/night_run.h"

#include <filesystem>

namespace pathmark::night {

/// Where the frames' own stars lie as a catalogue, below the results, and its name.
inline constexpr const char* kOwnStarsFolder = "own-stars";
inline constexpr const char* kOwnStars = "own";

/// For a night without a star catalogue: makes one of the frames' own stars, so that the frames can be laid on each other.
///
/// Model    The first light of a series that shows stars is laid on the fields that are there already; where it fits none, its stars become
///          a field of their own, around the pointing of its header (else around an arbitrary place), at the scale of its header (else
///          1 arcsec a pixel), north up. Sources that the last light of the series covers and does not show there move, or are none, and are
///          left out. Magnitudes are 25 - 2.5 log10(electrons a second).
/// Errors   night.no_lights where no light shows stars; those of passFrames
Result<bool> makeOwnStars(CalibrationRun& run);

} // namespace pathmark::night
