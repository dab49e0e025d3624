#pragma once

#include "core/night/body_orbit.h"
#include "core/night/report/reported_night.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::night {

/// Where something new may be at a time to come.
struct ComingPlace {
    orbit::MotionBounds bounds;
    Angle height;    ///< above the horizon of the site
    Angle sunHeight; ///< likewise of the Sun
};

/// All that an observer asks of a body that no list knows, together.
struct NewBodyLook {
    std::string name;
    std::size_t lines = 0;
    double arcHours = 0.0;
    Utc at; ///< the middle of its lines; what follows is then
    SkyPos sky;
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    std::optional<double> magnitude;
    Angle fromSun; ///< its distance from the Sun on the sky
    std::optional<orbit::CloudRanges>
        ranges;                         ///< of all orbits that agree; absent: one stands for them
    std::optional<orbit::OrbitFit> fit; ///< the one orbit that stands for all, where there is
    std::optional<orbit::ElementErrors> errors;
    std::size_t orbits = 0;        ///< of the cloud
    std::string known;             ///< which known body it may be; empty: none
    std::size_t knownInFrames = 0; ///< known bodies that its frames were held against
    std::vector<ComingPlace> coming;
};

/// When the coming places begin, how far they go, and how close they lie.
struct ComingHours {
    Utc from;
    double hours = 24.0;
    double stepHours = 1.0;
};

/// By all of its lines that are not dropped.
///
/// Errors   night.unknown_id  there is no such candidate; those of judgeBody
Result<NewBodyLook> lookAtNewBody(const OrbitSources& sources,
                                  const ReportedNight& night,
                                  const BodyId& body,
                                  const ComingHours& hours,
                                  const std::stop_token& stop = {});

/// The coming places as lines of text, to be copied; the first says what the columns are.
std::string comingText(const NewBodyLook& look);

} // namespace pathmark::night
