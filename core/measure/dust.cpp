#include "core/measure/dust.h"

#include <cmath>

namespace pathmark::measure {
namespace {

constexpr double kAuCentimetres = 1.495978707e13;

} // namespace

double sunMagnitude(catalog::Band band) {
    switch (band) {
    case catalog::Band::B: return -26.13;
    case catalog::Band::V: return -26.76;
    case catalog::Band::R: return -27.15;
    case catalog::Band::I: return -27.47;
    case catalog::Band::SloanG: return -26.46;
    case catalog::Band::SloanR: return -26.92;
    case catalog::Band::SloanI: return -27.04;
    case catalog::Band::SloanZ: return -27.07;
    case catalog::Band::G: break;
    }
    return -26.90;
}

std::optional<double> dustPhase(Angle phase) {
    constexpr double farthest = 50.0;
    const double a = std::abs(phase.degrees());
    if (a > farthest) {
        return std::nullopt;
    }
    return std::pow(10.0, -0.01807 * a + 0.000177 * a * a);
}

double afrhoCentimetres(double magnitude,
                        catalog::Band band,
                        double radiusArcsec,
                        const CometDistance& distance) {
    const double delta = distance.earthAu * kAuCentimetres;
    const double rho = delta * std::tan(Angle::arcsec(radiusArcsec).radians());
    const double ratio = std::pow(10.0, 0.4 * (sunMagnitude(band) - magnitude));
    return 4.0 * delta * delta * distance.sunAu * distance.sunAu / rho * ratio;
}

} // namespace pathmark::measure
