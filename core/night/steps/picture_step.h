#pragma once

#include "core/night/steps/night_run.h"

namespace pathmark::night {

/// Joins stars and comet of the frames in a picture, for each comet that was seen: what has no colour, or is of a colour camera, or of
/// several filters, four frames of each at least. A picture that cannot be made is told of and missing, no more.
///
/// Errors   night.*, base.cancelled, base.disk_full
Result<bool> pictureStep(NightRun& run);

} // namespace pathmark::night
