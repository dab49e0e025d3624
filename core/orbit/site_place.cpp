#include "core/orbit/site_place.h"

#include <erfa.h>
#include <erfam.h>

namespace pathmark::orbit {

Vec3 sitePlace(const frame::Site& site, const Utc& time) {
    double fixed[3];
    eraGd2gc(
        ERFA_WGS84, site.longitude.radians(), site.latitude.radians(), site.altitudeMetres, fixed);
    // TT and TDB differ by 2 ms at most: nothing to precession and nutation.
    const Tdb tdb = toTdb(time);
    double turn[3][3];
    eraC2t06a(tdb.day(), tdb.fraction(), time.day(), time.fraction(), 0.0, 0.0, turn);
    double celestial[3];
    eraTrxp(turn, fixed, celestial);
    constexpr double metresPerAu = 149597870700.0;
    return {celestial[0] / metresPerAu, celestial[1] / metresPerAu, celestial[2] / metresPerAu};
}

} // namespace pathmark::orbit
