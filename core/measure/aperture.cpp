#include "core/measure/aperture.h"

#include "core/base/robust.h"

#include <cmath>
#include <numbers>
#include <vector>

namespace pathmark::measure {
double shareInside(double dx, double dy, double radius) {
    const double distance = std::hypot(dx, dy);
    if (distance < radius - 0.71) {
        return 1.0;
    }
    if (distance > radius + 0.71) {
        return 0.0;
    }
    constexpr int fine = 5;
    int inside = 0;
    for (int j = 0; j < fine; ++j) {
        for (int i = 0; i < fine; ++i) {
            const double x = dx + (i + 0.5) / fine - 0.5;
            const double y = dy + (j + 0.5) / fine - 0.5;
            inside += x * x + y * y <= radius * radius ? 1 : 0;
        }
    }
    return static_cast<double>(inside) / (fine * fine);
}

Result<ApertureFlux> apertureFlux(const frame::Image& image,
                                  frame::PixelPos centre,
                                  double radius,
                                  double ringInner,
                                  double ringOuter,
                                  double noise) {
    PATHMARK_EXPECTS(radius > 0.0 && radius < ringInner && ringInner < ringOuter);
    const int x0 = static_cast<int>(std::floor(centre.x - radius));
    const int y0 = static_cast<int>(std::floor(centre.y - radius));
    const int x1 = static_cast<int>(std::ceil(centre.x + radius));
    const int y1 = static_cast<int>(std::ceil(centre.y + radius));
    if (!image.contains(x0, y0) || !image.contains(x1, y1)) {
        return fail(ErrorId::MeasureOutside, "The aperture reaches over the edge of the frame.");
    }
    std::vector<float> ring;
    const int reach = static_cast<int>(std::ceil(ringOuter));
    const int cx = static_cast<int>(std::lround(centre.x));
    const int cy = static_cast<int>(std::lround(centre.y));
    for (int y = cy - reach; y <= cy + reach; ++y) {
        for (int x = cx - reach; x <= cx + reach; ++x) {
            const double distance = std::hypot(x - centre.x, y - centre.y);
            if (image.contains(x, y) && distance >= ringInner && distance <= ringOuter) {
                ring.push_back(image.at(x, y));
            }
        }
    }
    const RobustMoments level = clippedMoments(ring, 2.5);
    if (level.kept < 20) {
        return fail(ErrorId::MeasureOutside, "Too little of the sky ring lies on the frame.");
    }
    double sum = 0.0;
    double area = 0.0;
    double missing = 0.0;
    for (int y = y0; y <= y1; ++y) {
        for (int x = x0; x <= x1; ++x) {
            const double share = shareInside(x - centre.x, y - centre.y, radius);
            const auto value = static_cast<double>(image.at(x, y));
            if (std::isfinite(value)) {
                sum += share * (value - level.centre);
                area += share;
            } else {
                missing += share;
            }
        }
    }
    if (area <= missing) {
        return fail(ErrorId::MeasureOutside, "Most pixels of the aperture are defect.");
    }
    ApertureFlux result;
    result.flux = sum * (area + missing) / area;
    result.ringLevel = level.centre;
    const double levelVariance = level.sigma * level.sigma / level.kept;
    const double whole = area + missing;
    result.fluxError = std::sqrt(whole * noise * noise + std::max(0.0, result.flux) +
                                 whole * whole * levelVariance);
    return result;
}

} // namespace pathmark::measure
