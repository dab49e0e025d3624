#include "simulate/exposure.h"

#include "simulate/noise_hash.h"

#include <algorithm>
#include <cmath>

namespace pathmark::simulate {
namespace {

/// Where the telescope looks at a time: an offset in arcsec from the series' place, dither included.
Optics lookAt(const Scenario& scenario,
              const SeriesScenario& s,
              const CameraScenario& camera,
              double east,
              double north,
              double turn) {
    Optics optics;
    const Vec3 target = unitVector(s.raDegrees, s.decDegrees);
    const auto [eastward, northward] = axesAt(target);
    const Vec3 aim = target + (east * kRadiansPerDegree / 3600.0) * eastward +
                     (north * kRadiansPerDegree / 3600.0) * northward;
    optics.axis = (1.0 / norm(aim)) * aim;
    optics.arcsecPerPixel =
        206.26480624709636 * camera.pixelMicrometres / scenario.site.focalMillimetres;
    // The camera keeps its direction in space; near a pole that of north turns under it.
    const double angle = (s.rotationDegrees + turn) * kRadiansPerDegree;
    const Vec3 up = std::cos(angle) * northward + std::sin(angle) * eastward;
    const auto [aimEast, aimNorth] = axesAt(optics.axis);
    optics.rotationDegrees = std::atan2(dot(up, aimEast), dot(up, aimNorth)) / kRadiansPerDegree;
    optics.mirrored = s.mirrored;
    optics.middleX = 0.5 * (camera.width - 1);
    optics.middleY = 0.5 * (camera.height - 1);
    const double corner = std::hypot(optics.middleX, optics.middleY);
    optics.cubic = s.distortionPixels / (corner * corner * corner);
    return optics;
}

double transparencyOf(const SeriesScenario& s, const NoiseHash& hash, int i) {
    const double wave = s.cloud * std::max(0.0, std::sin(6.0 * i / std::max(1, s.count)));
    const double dim = i + 1 == s.dimFrame ? s.dimMag : 0.0;
    return std::pow(10.0, -0.4 * (wave + dim)) *
           (1.0 + 0.006 * hash.normal(static_cast<std::uint64_t>(i) + 50, 0));
}

} // namespace

const CameraScenario& cameraOf(const Scenario& scenario, const SeriesScenario& series) {
    return *std::find_if(scenario.cameras.begin(), scenario.cameras.end(), [&](const auto& c) {
        return c.name == series.camera;
    });
}

double Exposure::electronsOf(const CameraScenario& camera, double magnitude, double colour) const {
    const double natural = magnitude + camera.colourTerm * (colour - 0.8);
    return seconds * transparency * std::pow(10.0, 0.4 * (camera.zeroPoint - natural));
}

Exposure exposureOf(const Scenario& scenario, std::size_t series, int i) {
    const SeriesScenario& s = scenario.series[series];
    const CameraScenario& camera = cameraOf(scenario, s);
    const NoiseHash hash = NoiseHash(scenario.seed).child(3000 + series);
    const auto n = static_cast<std::uint64_t>(i);
    Exposure e;
    e.seconds = s.exposureSeconds;
    e.start = s.start.plusSeconds(i * s.cadenceSeconds + 0.317 * hash.uniform(n, 3));
    e.middle = e.start.plusSeconds(0.5 * s.exposureSeconds);
    const double angle = s.followAngleDegrees * kRadiansPerDegree;
    const bool isShaken = i + 1 == s.shakenFrame;
    // `share`: of the exposure, from -0.5 to 0.5
    const auto at = [&](double share) {
        const Utc time = e.middle.plusSeconds(share * s.exposureSeconds);
        const double minutes = time.secondsSince(s.start) / 60.0;
        const double drift = s.driftArcsecPerHour * minutes / 60.0;
        const double followed = s.followArcsecPerMinute * minutes;
        const double shake = isShaken ? s.shakeArcsec * share : 0.0;
        const double east =
            s.ditherArcsec * hash.normal(n, 0) + drift + followed * std::sin(angle) + 0.8 * shake;
        const double north = s.ditherArcsec * hash.normal(n, 1) - 0.4 * drift +
                             followed * std::cos(angle) + 0.6 * shake;
        const double turn = 0.03 * hash.normal(n, 2) + s.turnDegreesPerHour * minutes / 60.0;
        return lookAt(scenario, s, camera, east, north, turn);
    };
    e.opticsFirst = at(-0.5);
    e.optics = at(0.0);
    e.opticsLast = at(0.5);
    const RaDec axis = toRaDec(e.optics.axis);
    const double offset = s.pointingErrorArcsec / 3600.0;
    const double cosine = std::max(0.01, std::cos(axis.decDegrees * kRadiansPerDegree));
    e.pointingRa = axis.raDegrees + offset / cosine;
    e.pointingRa -= 360.0 * std::floor(e.pointingRa / 360.0);
    e.pointingDec = std::clamp(axis.decDegrees - 0.5 * offset, -90.0, 90.0);
    e.transparency = transparencyOf(s, hash, i);
    e.blur.fwhm = s.fwhmArcsec / e.optics.arcsecPerPixel * (1.0 + 0.05 * hash.normal(n + 60, 0));
    e.blur.ellipticity = s.ellipticity;
    e.blur.angleDegrees = 30.0 + 5.0 * hash.normal(n + 70, 0);
    return e;
}

} // namespace pathmark::simulate
