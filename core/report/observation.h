#pragma once

#include "core/base/angle.h"
#include "core/base/time.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::report {

/// One position as it is reported.
struct Observation {
    std::string body;     ///< readable designation: "(2912345)", "2027 RK17", "C/2031 A1"
    bool ownName = false; ///< `body` is the observer's own name of something unknown
    Utc time;             ///< middle of the exposure or of the stack
    SkyPos sky;
    double raErrorArcsec = 0.0; ///< on the sky
    double decErrorArcsec = 0.0;
    std::optional<double> magnitude;
    double magnitudeError = 0.0;
    std::string band;      ///< one letter
    std::string catalogue; ///< ADES name of the star catalogue, e.g. "Gaia3"
    int usedStars = 0;
    double exposureSeconds = 0.0;
    int stackedFrames = 1;
    std::string remark;
};

/// Who observed, and with what.
struct ReportHead {
    std::string stationCode; ///< three characters
    std::string observatory;
    std::string submitter;
    std::vector<std::string> observers;
    std::vector<std::string> measurers;
    std::string telescopeDesign; ///< e.g. "Reflector"
    std::string aperture;        ///< metres
    std::string detector;        ///< "CCD" or "CMO"
    std::string pixelScale;      ///< arcsec per pixel
};

} // namespace pathmark::report
