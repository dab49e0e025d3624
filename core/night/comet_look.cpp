#include "core/night/comet_look.h"

#include "core/measure/dust.h"
#include "core/night/measure_file.h"
#include "core/orbit/place/ephemeris.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::night {
namespace {

constexpr double kStep = 1.15; ///< from circle to circle

/// The direction on the sky from one place to another, east of north.
Angle directionOf(const SkyPos& from, const SkyPos& to) {
    const double east = to.longitude.radians() - from.longitude.radians();
    const double a = from.latitude.radians();
    const double b = to.latitude.radians();
    return normalised(Angle::radians(
        std::atan2(std::sin(east) * std::cos(b),
                   std::cos(a) * std::sin(b) - std::sin(a) * std::cos(b) * std::cos(east))));
}

std::optional<CometGeometry>
geometryOf(const OrbitSources& sources, const BodyId& body, const Utc& time) {
    const auto known = sources.catalog.find(body.text());
    if (!known) {
        return std::nullopt;
    }
    const auto motion = orbit::Ephemeris::make(sources.catalog.elements(*known),
                                               sources.tables.planets,
                                               time.plusSeconds(-60.0),
                                               time.plusSeconds(60.0));
    const auto observer =
        orbit::observerAt(sources.tables.planets, sources.recipe.site, time, sources.tables.turn);
    if (!motion || !observer) {
        return std::nullopt;
    }
    const auto place = motion->at(*observer);
    CometGeometry geometry{place.sunDistanceAu, place.distanceAu, place.phase, {}, {}};
    const Vec3 way = observer->sunPlace - observer->place;
    const SkyPos sun{normalised(Angle::radians(std::atan2(way[1], way[0]))),
                     Angle::radians(std::asin(way[2] / norm(way)))};
    geometry.antiSolar = normalised(directionOf(place.sky, sun) + Angle::radians(std::numbers::pi));
    geometry.behind =
        normalised(Angle::radians(std::atan2(-place.aheadOnOrbit.xi, -place.aheadOnOrbit.eta)));
    return geometry;
}

/// Radii that rise evenly in their logarithm.
std::vector<double> radiiFrom(double first, double last) {
    const auto count =
        static_cast<int>(std::ceil(std::log(std::max(1.0, last / first)) / std::log(kStep)));
    std::vector<double> radii;
    radii.reserve(static_cast<std::size_t>(count));
    for (int k = 0; k < count; ++k) {
        radii.push_back(first * std::pow(kStep, k));
    }
    return radii;
}

std::vector<CometCircle> circlesOf(const measure::CometMeasured& comet,
                                   catalog::Band band,
                                   const std::optional<CometGeometry>& geometry) {
    std::vector<CometCircle> circles;
    double fluxBefore = 0.0;
    double areaBefore = 0.0;
    for (const measure::CometAperture& aperture : comet.apertures) {
        CometCircle circle{
            aperture.radiusArcsec, aperture.magnitude, aperture.magnitudeError, {}, {}, {}, 0.0};
        const double area = std::numbers::pi * aperture.radiusArcsec * aperture.radiusArcsec;
        const double inRing = aperture.flux - fluxBefore;
        if (aperture.magnitude && inRing > 0.0 && area > areaBefore) {
            circle.surface = *aperture.magnitude -
                             2.5 * std::log10(inRing / aperture.flux / (area - areaBefore));
        }
        if (aperture.magnitude && geometry) {
            circle.afrho = measure::afrhoCentimetres(*aperture.magnitudeWithoutSeeing(),
                                                     band,
                                                     aperture.radiusArcsec,
                                                     {geometry->sunAu, geometry->earthAu});
            circle.afrhoError = *circle.afrho * aperture.magnitudeError / 1.0857;
            if (const auto share = measure::dustPhase(geometry->phase)) {
                circle.a0frho = *circle.afrho / *share;
            }
        }
        fluxBefore = aperture.flux;
        areaBefore = area;
        circles.push_back(circle);
    }
    return circles;
}

} // namespace

double CometGeometry::kilometres(double arcsec) const {
    return earthAu * orbit::kKilometresPerAu * std::tan(Angle::arcsec(arcsec).radians());
}

Result<CometLook> lookAtComet(const CometWish& wish, const NightSources& sources) {
    const auto file = MeasurableFile::open(wish.light.calibrated, {}, {}, sources.stars.get());
    if (!file) {
        return fail(file.error());
    }
    const double inner = file->fwhmArcsec();
    measure::Target target;
    target.predicted = wish.place;
    target.searchArcsec = file->searchArcsec();
    measure::CometOptions options = sources.orbits->recipe.measure.comet;
    // How far the coma reaches is not known before: circles to the end of the frame, and those that it fills are taken.
    const int longest = std::max(wish.light.width, wish.light.height);
    options.aperturesArcsec = radiiFrom(inner, longest * wish.light.wcs->scaleArcsec());
    auto comet = file->measureComet(target, options);
    if (!comet) {
        return fail(comet.error());
    }
    std::erase_if(comet->measured.apertures, [&](const measure::CometAperture& circle) {
        return circle.radiusArcsec > std::max(2.0 * inner, comet->measured.extentArcsec);
    });
    CometLook look;
    look.nucleus = comet->measured.nucleus;
    look.slope = comet->measured.slope;
    look.extentArcsec = comet->measured.extentArcsec;
    look.tail = comet->tail;
    look.geometry = geometryOf(*sources.orbits, wish.body, wish.light.middle);
    look.band = file->photometry() ? file->photometry()->band : catalog::Band::G;
    look.fwhmArcsec = file->fwhmArcsec();
    look.circles = circlesOf(comet->measured, look.band, look.geometry);
    return look;
}

} // namespace pathmark::night
