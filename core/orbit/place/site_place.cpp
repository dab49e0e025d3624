#include "core/orbit/place/site_place.h"

#include "core/orbit/motion/planets.h"

#include <erfa.h>
#include <erfam.h>

namespace pathmark::orbit {
namespace {

constexpr double kMetresPerAu = 1000.0 * kKilometresPerAu;
constexpr double kEquatorMetres = 6378137.0;
constexpr double kTurnsPerDay = 1.00273781191135448; // of the Earth: Capitaine et al. 2003

void fixedPlace(const frame::Site& site, double fixed[3]) {
    if (!site.parallaxConstants) {
        eraGd2gc(ERFA_WGS84,
                 site.longitude.radians(),
                 site.latitude.radians(),
                 site.altitudeMetres,
                 fixed);
        return;
    }
    const auto& [rhoCos, rhoSin] = *site.parallaxConstants;
    fixed[0] = kEquatorMetres * rhoCos * std::cos(site.longitude.radians());
    fixed[1] = kEquatorMetres * rhoCos * std::sin(site.longitude.radians());
    fixed[2] = kEquatorMetres * rhoSin;
}

} // namespace

StateVector sitePlace(const frame::Site& site, const Utc& time, const EarthTurn& turn) {
    double fixed[3];
    fixedPlace(site, fixed);
    const EarthTurn::Day day = turn.at(time);
    // TT and TDB differ by 2 ms at most: nothing to precession and nutation.
    const Tdb tdb = toTdb(time);
    double matrix[3][3];
    eraC2t00b(tdb.day(),
              tdb.fraction(),
              time.day(),
              time.fraction() + day.ut1MinusUtc / kSecondsPerDay,
              day.poleX.radians(),
              day.poleY.radians(),
              matrix);
    constexpr double omega = 2.0 * ERFA_DPI * kTurnsPerDay;
    double moving[3] = {-omega * fixed[1], omega * fixed[0], 0.0};
    double place[3];
    double velocity[3];
    eraTrxp(matrix, fixed, place);
    eraTrxp(matrix, moving, velocity);
    StateVector state;
    for (std::size_t i = 0; i < 3; ++i) {
        state.position[i] = place[i] / kMetresPerAu;
        state.velocity[i] = velocity[i] / kMetresPerAu;
    }
    return state;
}

frame::Site geodetic(const frame::Site& site) {
    if (!site.parallaxConstants) {
        return site;
    }
    double fixed[3];
    fixedPlace(site, fixed);
    double longitude = 0.0;
    double latitude = 0.0;
    double altitude = 0.0;
    eraGc2gd(ERFA_WGS84, fixed, &longitude, &latitude, &altitude);
    frame::Site place = site;
    place.parallaxConstants.reset();
    place.longitude = Angle::radians(longitude);
    place.latitude = Angle::radians(latitude);
    place.altitudeMetres = altitude;
    return place;
}

} // namespace pathmark::orbit
