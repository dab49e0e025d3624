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

/// The shape as size and two shears, which keeps it positive definite whatever the step.
Moffat shapeOf(const Parameters& p) {
    const double size = std::exp(-2.0 * p[4]);
    const double shear = std::hypot(p[5], p[6]);
    const double ch = std::cosh(shear);
    const double sh = shear > 0.0 ? std::sinh(shear) / shear : 1.0;
    return {size * (ch - sh * p[5]), -size * sh * p[6], size * (ch + sh * p[5]), 1.0 + std::exp(p[7])};
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

double modelAt(const Parameters& p, double x, double y) {
    return p[2] * shapeOf(p).pixelMean(x - p[0], y - p[1]) + p[3];
}

struct Window {
    int x0, x1, y0, y1;
};

/// Chi-square, and with `normal` the linearised equations by central differences.
double accumulate(const frame::Image& image,
                  const Window& w,
                  double noise,
                  const Parameters& p,
                  int freeCount,
                  Normal* normal,
                  Parameters* gradient,
                  int& used) {
    double chi = 0.0;
    used = 0;
    if (normal != nullptr) {
        normal->setZero();
        gradient->setZero();
    }
    std::array<Parameters, kParameters> up;
    std::array<Parameters, kParameters> down;
    std::array<double, kParameters> step{};
    for (int k = 0; k < freeCount; ++k) {
        const auto index = static_cast<std::size_t>(k);
        step[index] = k == 2 ? std::max(1e-4 * std::abs(p[2]), 1e-3) : 1e-4;
        up[index] = p;
        down[index] = p;
        up[index][k] += step[index];
        down[index][k] -= step[index];
    }
    for (int y = w.y0; y <= w.y1; ++y) {
        for (int x = w.x0; x <= w.x1; ++x) {
            const auto v = static_cast<double>(image.at(x, y));
            if (!std::isfinite(v)) {
                continue;
            }
            const double model = modelAt(p, x, y);
            const double weight = 1.0 / (noise * noise + std::max(model - p[3], 0.0));
            const double residual = v - model;
            chi += weight * residual * residual;
            ++used;
            if (normal == nullptr) {
                continue;
            }
            Parameters slope = Parameters::Zero();
            for (int k = 0; k < freeCount; ++k) {
                const auto index = static_cast<std::size_t>(k);
                slope[k] =
                    (modelAt(up[index], x, y) - modelAt(down[index], x, y)) / (2.0 * step[index]);
            }
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
    static constexpr std::array<double, 3> node{-0.3872983346207417, 0.0, 0.3872983346207417};
    static constexpr std::array<double, 3> weight{5.0 / 18.0, 8.0 / 18.0, 5.0 / 18.0};
    double sum = 0.0;
    for (std::size_t j = 0; j < 3; ++j) {
        for (std::size_t i = 0; i < 3; ++i) {
            sum += weight[i] * weight[j] * value(dx + node[i], dy + node[j]);
        }
    }
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
    double chi = accumulate(image, w, noise, p, freeCount, &normal, &gradient, used);
    if (used < 2 * kParameters) {
        return fail(ErrorId::MeasureFitFailed, "Too few good pixels.");
    }
    for (int round = 0; round < 40; ++round) {
        Normal damped = normal;
        damped.diagonal() += lambda * normal.diagonal();
        const auto n = static_cast<Eigen::Index>(freeCount);
        const Eigen::VectorXd step =
            damped.topLeftCorner(n, n).ldlt().solve(gradient.head(n));
        Parameters next = p;
        next.head(n) += step;
        const double nextChi = accumulate(image, w, noise, next, freeCount, nullptr, nullptr, used);
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
        chi = accumulate(image, w, noise, p, freeCount, &normal, &gradient, used);
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
