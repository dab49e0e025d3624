#include "core/frame/wcs.h"

#include <cmath>

namespace pathmark::frame {

SipPolynomial::SipPolynomial(int order)
    : order_(order), terms_(static_cast<std::size_t>((order + 1) * (order + 1)), 0.0) {}

double SipPolynomial::value(double u, double v) const {
    double sum = 0.0;
    double up = 1.0;
    for (int p = 0; p <= order_; ++p) {
        double inner = 0.0;
        for (int q = order_ - p; q >= 0; --q) {
            inner = inner * v + (terms_.empty() ? 0.0 : coefficient(p, q));
        }
        sum += up * inner;
        up *= u;
    }
    return sum;
}

PlanePos Wcs::pixelToPlane(PixelPos pixel) const {
    const double u = pixel.x - referencePixel.x;
    const double v = pixel.y - referencePixel.y;
    const double du = u + a.value(u, v);
    const double dv = v + b.value(u, v);
    return {cd[0] * du + cd[1] * dv, cd[2] * du + cd[3] * dv};
}

SkyPos Wcs::toSky(PixelPos pixel) const {
    return fromTangentPlane(referenceSky, pixelToPlane(pixel));
}

PixelPos Wcs::planeToPixel(PlanePos plane) const {
    const double determinant = cd[0] * cd[3] - cd[1] * cd[2];
    const double targetU = (cd[3] * plane.xi - cd[1] * plane.eta) / determinant;
    const double targetV = (cd[0] * plane.eta - cd[2] * plane.xi) / determinant;
    // The distortion is a small contraction, so u = target - A(u) converges geometrically.
    double u = targetU;
    double v = targetV;
    for (int i = 0; i < 50; ++i) {
        const double nextU = targetU - a.value(u, v);
        const double nextV = targetV - b.value(u, v);
        const double step = std::abs(nextU - u) + std::abs(nextV - v);
        u = nextU;
        v = nextV;
        if (step < 1e-9) {
            break;
        }
    }
    return {u + referencePixel.x, v + referencePixel.y};
}

std::optional<PixelPos> Wcs::toPixel(const SkyPos& sky) const {
    const PlanePos plane = toTangentPlane(referenceSky, sky);
    if (!std::isfinite(plane.xi)) {
        return std::nullopt;
    }
    const PixelPos pixel = planeToPixel(plane);
    if (!std::isfinite(pixel.x) || !std::isfinite(pixel.y)) {
        return std::nullopt;
    }
    return pixel;
}

double Wcs::scaleArcsec() const {
    return Angle::radians(std::sqrt(std::abs(cd[0] * cd[3] - cd[1] * cd[2]))).arcsec();
}

Angle Wcs::rotation() const {
    return normalised(Angle::radians(std::atan2(cd[1], cd[3])));
}

bool Wcs::mirrored() const {
    return cd[0] * cd[3] - cd[1] * cd[2] > 0.0;
}

} // namespace pathmark::frame
