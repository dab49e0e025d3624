#include "core/detect/moffat.h"

#include <Eigen/Dense>

#include <array>
#include <cmath>
#include <numbers>

namespace pathmark::detect {
namespace {

constexpr int kParameters = 8; // x, y, flux, sky, log axis, shear g1, shear g2, log(beta - 1)
using Parameters = Eigen::Matrix<double, kParameters, 1>;
using Normal = Eigen::Matrix<double, kParameters, kParameters>;

// Gauss-Legendre points on [-1/2, 1/2].
constexpr std::array<double, 3> kNode{-0.3872983346207417, 0.0, 0.3872983346207417};
constexpr std::array<double, 3> kWeight{5.0 / 18.0, 8.0 / 18.0, 5.0 / 18.0};

/// The shape as size and two shears, which keeps it positive definite whatever the step.
Moffat shapeOf(const Parameters& p) {
    const double size = std::exp(-2.0 * p[4]);
    const double shear = std::hypot(p[5], p[6]);
    const double ch = std::cosh(shear);
    const double sh = shear > 0.0 ? std::sinh(shear) / shear : 1.0;
    return {
        size * (ch - sh * p[5]), -size * sh * p[6], size * (ch + sh * p[5]), 1.0 + std::exp(p[7])};
}

Parameters parametersOf(const Moffat& shape) {
    Parameters p = Parameters::Zero();
    const double size = std::sqrt(shape.a * shape.c - shape.b * shape.b);
    p[4] = -0.5 * std::log(size);
    const double g1 = 0.5 * (shape.c - shape.a) / size;
    const double g2 = -shape.b / size;
    const double sh = std::hypot(g1, g2);
    const double factor = sh > 0.0 ? std::asinh(sh) / sh : 1.0;
    p[5] = g1 * factor;
    p[6] = g2 * factor;
    p[7] = std::log(shape.beta - 1.0);
    return p;
}

/// d(a, b, c, beta) / d(size, shear, shear, log beta) by central differences: once per round, not per pixel.
using ShapeJacobian = Eigen::Matrix<double, 4, 4>;

ShapeJacobian shapeJacobian(const Parameters& p) {
    constexpr double step = 1e-5;
    ShapeJacobian jacobian;
    for (int k = 0; k < 4; ++k) {
        Parameters up = p;
        Parameters down = p;
        up[4 + k] += step;
        down[4 + k] -= step;
        const Moffat high = shapeOf(up);
        const Moffat low = shapeOf(down);
        jacobian.col(k) << (high.a - low.a), (high.b - low.b), (high.c - low.c),
            (high.beta - low.beta);
        jacobian.col(k) /= 2.0 * step;
    }
    return jacobian;
}

struct Window {
    int x0, x1, y0, y1;
};

/// Chi-square, and with `normal` the linearised equations.
double accumulate(const frame::Image& image,
                  const Window& w,
                  double noise,
                  const Parameters& p,
                  Normal* normal,
                  Parameters* gradient,
                  int& used) {
    double chi = 0.0;
    used = 0;
    ShapeJacobian jacobian = ShapeJacobian::Zero();
    if (normal != nullptr) {
        normal->setZero();
        gradient->setZero();
        jacobian = shapeJacobian(p);
    }
    const Moffat shape = shapeOf(p);
    for (int y = w.y0; y <= w.y1; ++y) {
        for (int x = w.x0; x <= w.x1; ++x) {
            const auto v = static_cast<double>(image.at(x, y));
            if (!std::isfinite(v)) {
                continue;
            }
            const auto s = shape.pixelMeanSlopes(x - p[0], y - p[1]);
            const double light = p[2] * s.value;
            const double weight = 1.0 / (noise * noise + std::max(light, 0.0));
            const double residual = v - light - p[3];
            chi += weight * residual * residual;
            ++used;
            if (normal == nullptr) {
                continue;
            }
            Parameters slope;
            slope.head<4>() << -p[2] * s.dx, -p[2] * s.dy, s.value, 1.0;
            slope.tail<4>() =
                p[2] * (jacobian.transpose() * Eigen::Vector4d(s.a, s.b, s.c, s.beta));
            *normal += weight * slope * slope.transpose();
            *gradient += weight * residual * slope;
        }
    }
    return chi;
}

} // namespace

Moffat Moffat::round(double fwhm, double beta) {
    const double alpha = 0.5 * fwhm / std::sqrt(std::pow(2.0, 1.0 / beta) - 1.0);
    const double a = 1.0 / (alpha * alpha);
    return {a, 0.0, a, beta};
}

double Moffat::value(double dx, double dy) const {
    const double r2 = a * dx * dx + 2.0 * b * dx * dy + c * dy * dy;
    return (beta - 1.0) / std::numbers::pi * std::sqrt(a * c - b * b) * std::pow(1.0 + r2, -beta);
}

double Moffat::pixelMean(double dx, double dy) const {
    double sum = 0.0;
    for (std::size_t j = 0; j < 3; ++j) {
        for (std::size_t i = 0; i < 3; ++i) {
            sum += kWeight[i] * kWeight[j] * value(dx + kNode[i], dy + kNode[j]);
        }
    }
    return sum;
}

Moffat::Slopes Moffat::pixelMeanSlopes(double dx, double dy) const {
    const double determinant = a * c - b * b;
    const double norm = (beta - 1.0) / std::numbers::pi * std::sqrt(determinant);
    Slopes sum;
    for (std::size_t j = 0; j < 3; ++j) {
        for (std::size_t i = 0; i < 3; ++i) {
            const double x = dx + kNode[i];
            const double y = dy + kNode[j];
            const double base = 1.0 + a * x * x + 2.0 * b * x * y + c * y * y;
            const double logBase = std::log(base);
            const double value = kWeight[i] * kWeight[j] * norm * std::exp(-beta * logBase);
            const double inner = -beta * value / base; // d value / d base
            sum.value += value;
            sum.dx += inner * 2.0 * (a * x + b * y);
            sum.dy += inner * 2.0 * (b * x + c * y);
            sum.a += inner * x * x;
            sum.b += inner * 2.0 * x * y;
            sum.c += inner * y * y;
            sum.beta -= value * logBase;
        }
    }
    sum.a += sum.value * 0.5 * c / determinant;
    sum.b -= sum.value * b / determinant;
    sum.c += sum.value * 0.5 * a / determinant;
    sum.beta += sum.value / (beta - 1.0);
    return sum;
}

double Moffat::fwhm() const {
    const double alpha = std::pow(a * c - b * b, -0.25);
    return 2.0 * alpha * std::sqrt(std::pow(2.0, 1.0 / beta) - 1.0);
}

double Moffat::elongation() const {
    const double mean = 0.5 * (a + c);
    const double difference = std::hypot(0.5 * (a - c), b);
    return std::sqrt((mean + difference) / (mean - difference));
}

Result<MoffatFit> fitMoffat(const frame::Image& image,
                            double x,
                            double y,
                            double noise,
                            const Moffat& start,
                            bool freeBeta) {
    const int radius = std::max(4, static_cast<int>(std::ceil(2.2 * start.fwhm())));
    const int cx = static_cast<int>(std::lround(x));
    const int cy = static_cast<int>(std::lround(y));
    const Window w{cx - radius, cx + radius, cy - radius, cy + radius};
    if (!image.contains(w.x0, w.y0) || !image.contains(w.x1, w.y1)) {
        return fail(ErrorId::MeasureFitFailed, "The star is too near the edge.");
    }
    Parameters p = parametersOf(start);
    p[0] = x;
    p[1] = y;
    p[2] = std::max(1.0, static_cast<double>(image.at(cx, cy)) / start.pixelMean(0.0, 0.0));
    const int freeCount = freeBeta ? kParameters : kParameters - 1;
    double lambda = 1e-3;
    int used = 0;
    Normal normal;
    Parameters gradient;
    double chi = accumulate(image, w, noise, p, &normal, &gradient, used);
    if (used < 2 * kParameters) {
        return fail(ErrorId::MeasureFitFailed, "Too few good pixels.");
    }
    for (int round = 0; round < 40; ++round) {
        Normal damped = normal;
        damped.diagonal() += lambda * normal.diagonal();
        const auto n = static_cast<Eigen::Index>(freeCount);
        const Eigen::VectorXd step = damped.topLeftCorner(n, n).ldlt().solve(gradient.head(n));
        Parameters next = p;
        next.head(n) += step;
        const double nextChi = accumulate(image, w, noise, next, nullptr, nullptr, used);
        if (!(nextChi < chi)) {
            lambda *= 8.0;
            if (lambda > 1e8) {
                break;
            }
            continue;
        }
        const bool settled = chi - nextChi < 1e-3;
        p = next;
        lambda = std::max(lambda / 8.0, 1e-9);
        chi = accumulate(image, w, noise, p, &normal, &gradient, used);
        if (settled) {
            break;
        }
    }
    const Moffat shape = shapeOf(p);
    if (!std::isfinite(chi) || std::hypot(p[0] - x, p[1] - y) > 2.0 || !(shape.fwhm() > 0.3) ||
        shape.fwhm() > 4.0 * radius || shape.beta > 20.0) {
        return fail(ErrorId::MeasureFitFailed, "The fit did not settle.");
    }
    return MoffatFit{shape, chi / (used - freeCount)};
}

} // namespace pathmark::detect
