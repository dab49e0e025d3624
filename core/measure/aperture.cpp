#include "core/measure/aperture.h"

#include <cmath>

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

} // namespace pathmark::measure
