#include "core/detect/moffat.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::detect {

Moffat Moffat::round(double fwhm, double beta) {
    const double alpha = 0.5 * fwhm / std::sqrt(std::pow(2.0, 1.0 / beta) - 1.0);
    const double a = 1.0 / (alpha * alpha);
    return {a, 0.0, a, beta};
}

double Moffat::value(double dx, double dy) const {
    const double r2 = a * dx * dx + 2.0 * b * dx * dy + c * dy * dy;
    return (beta - 1.0) / std::numbers::pi * std::sqrt(a * c - b * b) * std::pow(1.0 + r2, -beta);
}

double Moffat::fwhm() const {
    const double alpha = std::pow(a * c - b * b, -0.25);
    return 2.0 * alpha * std::sqrt(std::pow(2.0, 1.0 / beta) - 1.0);
}

double Moffat::lightRadius(double flux, double level) const {
    const double core = std::pow(a * c - b * b, -0.25);
    const double times = std::max(1.0, flux * value(0.0, 0.0) / level);
    return core * std::sqrt(std::pow(times, 1.0 / beta) - 1.0);
}

double Moffat::elongation() const {
    const double mean = 0.5 * (a + c);
    const double difference = std::hypot(0.5 * (a - c), b);
    return std::sqrt((mean + difference) / (mean - difference));
}

Moffat MoffatForm::profile() const {
    const double size = std::exp(-2.0 * logSize);
    const double shear = std::hypot(g1, g2);
    const double ch = std::cosh(2.0 * shear);
    const double sh = shear > 0.0 ? std::sinh(2.0 * shear) / shear : 2.0;
    return {size * (ch - sh * g1), -size * sh * g2, size * (ch + sh * g1), 1.0 + std::exp(logBeta)};
}

std::optional<DrawnOut> drawnOut(const Moffat& shape) {
    if (shape.elongation() < 1.03) {
        return std::nullopt;
    }
    const double mean = 0.5 * (shape.a + shape.c);
    const double half = std::hypot(0.5 * (shape.a - shape.c), shape.b);
    const double unit = 2.0 * std::sqrt(std::pow(2.0, 1.0 / shape.beta) - 1.0);
    const double broad = unit / std::sqrt(mean - half); // FWHM along the longer axis
    const double narrow = unit / std::sqrt(mean + half);
    // A trail of length L adds L^2 / 12 to the variance: (0.68 L)^2 to the square of the width of a Gaussian where it is short, and L
    // itself is the width where it is long. Between them four fifths.
    const double length = std::sqrt(broad * broad - narrow * narrow) / 0.8;
    // The longer axis is that of the smaller eigenvalue.
    const double angle = 0.5 * std::atan2(-2.0 * shape.b, shape.c - shape.a);
    return DrawnOut{
        Moffat::round(narrow, shape.beta), length * std::cos(angle), length * std::sin(angle)};
}

MoffatForm MoffatForm::of(const Moffat& shape) {
    const double size = std::sqrt(shape.a * shape.c - shape.b * shape.b);
    const double x = 0.5 * (shape.c - shape.a) / size;
    const double y = -shape.b / size;
    const double sh = std::hypot(x, y);
    const double factor = sh > 0.0 ? 0.5 * std::asinh(sh) / sh : 0.5;
    return {-0.5 * std::log(size), x * factor, y * factor, std::log(shape.beta - 1.0)};
}

} // namespace pathmark::detect
