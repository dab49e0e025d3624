#include "core/night/found_trail.h"

#include "core/measure/trail_fit.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
Result<FoundTrail> aimAtTrail(const measure::Picture& picture,
                              frame::PixelPos place,
                              double exposureSeconds,
                              measure::Target& target) {
    const double scale = picture.wcs.scaleArcsec();
    const auto fit = measure::fitTrail(
        picture, place, measure::searchArcsecOn(picture) / scale, target.neighbours);
    if (!fit) {
        return fail(fit.error());
    }
    const auto at = [&](double share) {
        return picture.wcs.toSky(
            {fit->middle.x + share * fit->way.x, fit->middle.y + share * fit->way.y});
    };
    const PlanePos way = toTangentPlane(at(-0.5), at(0.5));
    const double minutes = std::max(1e-6, exposureSeconds / 60.0);
    target.predicted = at(0.0);
    target.seenAt = target.predicted;
    target.xiRateArcsecPerMin = Angle::radians(way.xi).arcsec() / minutes;
    target.etaRateArcsecPerMin = Angle::radians(way.eta).arcsec() / minutes;
    target.trailSeconds = exposureSeconds;
    return FoundTrail{Angle::radians(std::hypot(way.xi, way.eta)).arcsec(),
                      fit->lengthError * scale,
                      normalised(Angle::radians(std::atan2(way.xi, way.eta))),
                      Angle::radians(fit->angleError)};
}

} // namespace pathmark::night
