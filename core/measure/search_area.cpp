#include "core/measure/search_area.h"

#include <algorithm>
#include <cmath>

namespace pathmark::measure {
namespace {

constexpr double kSigmas = 3.0;
/// Farther off there is too much else that could be taken for the body.
constexpr double kFarthestArcsec = 60.0;

/// The share of a normal distribution beyond `sigmas`.
double tail(double sigmas) {
    return 0.5 * std::erfc(sigmas / std::sqrt(2.0));
}

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
    const double wanted = tail(atLeast) / times;
    double low = atLeast;
    double high = 40.0; // its tail is no longer a number
    for (int step = 0; step < 60; ++step) {
        const double middle = 0.5 * (low + high);
        (tail(middle) > wanted ? low : high) = middle;
    }
    return low;
}

} // namespace pathmark::measure
