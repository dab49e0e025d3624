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
    std::optional<double> correlation; ///< of both errors
    std::optional<double> magnitude;
    double magnitudeError = 0.0;
    std::string band;      ///< one letter
    std::string catalogue; ///< ADES name of the star catalogue, e.g. "Gaia3"
    int usedStars = 0;
    double exposureSeconds = 0.0;
    int stackedFrames = 1;
    std::optional<double> snr;
    std::optional<double> seeingArcsec; ///< FWHM of stars
    std::optional<double>
        apertureArcsec; ///< radius that light was summed in; absent: a profile was fitted
    std::optional<double> fitRmsArcsec;         ///< of the stars that carry the position
    std::optional<double> timeStepSeconds;      ///< the clock told no more
    std::optional<double> timeUncertainSeconds; ///< what it may be off by
    std::string id; ///< the observer's own of this line, up to 20 letters and digits
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
    std::string programme;       ///< code of one or two characters that the station has for it
};

} // namespace pathmark::report
