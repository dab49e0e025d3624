#pragma once

#include "core/frame/fits_header.h"
#include "simulate/scenario.h"

#include <string>

namespace pathmark::simulate {

/// What a frame's header tells, before a dialect puts it into keywords.
struct FrameStory {
    std::string kind; ///< bias, dark, flat, flat-dark or light
    Utc start;
    double exposureSeconds = 0.0;
    double measuredTemperature = -10.0;
    std::string filter;
    std::string object;
    double raDegrees = 0.0; ///< as the mount believes
    double decDegrees = 0.0;
    bool pointing = false;
};

/// The header in the camera's dialect: "a" one start keyword and sexagesimal pointing; "b" date and time apart,
/// pointing in degrees, other names; "c" middle of the exposure, colons, filter by its long name.
frame::Header
makeHeader(const FrameStory& story, const CameraScenario& camera, const SiteScenario& site);

} // namespace pathmark::simulate
