#pragma once

#include "core/base/time.h"
#include "core/frame/fits_header.h"

#include <optional>
#include <string>

namespace pathmark::frame {

struct ExposureTime {
    Utc middle;
    std::string reason; ///< e.g. "DATE-OBS is the start; half of 60 s added"
};

/// The middle of the exposure from whichever time keywords there are.
///
/// Model    A keyword that states the middle is believed first (DATE-AVG, MJD-AVG), then the start
///          (DATE-OBS with its time in the same or a second keyword, DATE-BEG, MJD-OBS, JD), then the
///          end (DATE-END).
/// Errors   nullopt where no keyword gives a date with a time of day.
std::optional<ExposureTime> findMidExposure(const Header& header, double exposureSeconds);

} // namespace pathmark::frame
