#include "core/measure/aperture.h"

#include <algorithm>
#include <cmath>

namespace pathmark::measure {
namespace {

/// The area of a circle about the origin over the rectangle from the origin to (x, y), its sign that of x y.
double areaToCorner(double x, double y, double radius) {
    const double sign = (x < 0.0) == (y < 0.0) ? 1.0 : -1.0;
    const double a = std::min(std::abs(x), radius);
    const double b = std::min(std::abs(y), radius);
    if (a * a + b * b <= radius * radius) {
        return sign * a * b;
    }
    // Below b as far as the circle is above it, below the circle from there on.
    const auto under = [&](double u) {
        return 0.5 * (u * std::sqrt(std::max(0.0, radius * radius - u * u)) +
                      radius * radius * std::asin(std::min(1.0, u / radius)));
    };
    const double crossing = std::sqrt(radius * radius - b * b);
    return sign * (b * crossing + under(a) - under(crossing));
}

} // namespace

double shareInside(double dx, double dy, double radius) {
    const double left = dx - 0.5;
    const double right = dx + 0.5;
    const double below = dy - 0.5;
    const double above = dy + 0.5;
    const double area = areaToCorner(right, above, radius) - areaToCorner(left, above, radius) -
                        areaToCorner(right, below, radius) + areaToCorner(left, below, radius);
    return std::clamp(area, 0.0, 1.0);
}

} // namespace pathmark::measure
