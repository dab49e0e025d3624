#include "core/measure/search_area.h"

#include "core/base/normal.h"

#include <algorithm>
#include <cmath>

namespace pathmark::measure {
namespace {

constexpr double kSigmas = 3.0;
/// Farther off there is too much else that could be taken for the body.
constexpr double kFarthestArcsec = 60.0;

double halfAxis(double leastArcsec, double errorArcsec) {
    return std::max(leastArcsec, std::min(kFarthestArcsec, kSigmas * errorArcsec));
}

} // namespace

SearchArea::SearchArea(double leastArcsec, const std::optional<PlaceError>& error)
    : least_(leastArcsec), major_(leastArcsec), minor_(leastArcsec) {
    if (error) {
        const Angle along = Angle::degrees(error->positionAngleDegrees);
        major_ = halfAxis(leastArcsec, error->majorArcsec);
        minor_ = halfAxis(leastArcsec, error->minorArcsec);
        sin_ = std::sin(along.radians());
        cos_ = std::cos(along.radians());
    }
}

double SearchArea::distance(PlanePos fromPrediction) const {
    const double xi = fromPrediction.xi / kRadiansPerArcsec;
    const double eta = fromPrediction.eta / kRadiansPerArcsec;
    return std::hypot((xi * sin_ + eta * cos_) / major_, (xi * cos_ - eta * sin_) / minor_);
}

double SearchArea::threshold(double atLeast) const {
    const double times = major_ * minor_ / (least_ * least_);
    return std::max(atLeast, -normalQuantile(normalShareBelow(-atLeast) / times));
}

} // namespace pathmark::measure
