#include "core/detect/point_spread.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::detect {
namespace {

constexpr int kPerPixel = 8;
constexpr int kMargin = 2; // nodes around the table for the interpolation

/// Catmull-Rom weights and their slopes at t in [0, 1).
struct Cubic {
    std::array<double, 4> weight;
    std::array<double, 4> slope;
};

/// The profile integrated over a pixel around every node: point values on the nodes, then Simpson's rule along both
/// axes (eight intervals a pixel: 1e-6 of the peak for a FWHM of 1.5 pixels).
std::vector<double> pixelIntegrals(const Moffat& shape, int side) {
    const int half = kPerPixel / 2;
    const int wide = side + 2 * half;
    const int centre = wide / 2;
    const auto at = [](int i, int j, int width) {
        return static_cast<std::size_t>(j) * static_cast<std::size_t>(width) +
               static_cast<std::size_t>(i);
    };
    std::vector<double> values(at(0, wide, wide));
    for (int j = 0; j < wide; ++j) {
        // Point symmetry: the other half is the same backwards.
        for (int i = 0; i < wide && at(i, j, wide) <= values.size() / 2; ++i) {
            const double v = shape.value(static_cast<double>(i - centre) / kPerPixel,
                                         static_cast<double>(j - centre) / kPerPixel);
            values[at(i, j, wide)] = v;
            values[values.size() - 1 - at(i, j, wide)] = v;
        }
    }
    static constexpr std::array<double, kPerPixel + 1> weight{
        1.0 / 24, 4.0 / 24, 2.0 / 24, 4.0 / 24, 2.0 / 24, 4.0 / 24, 2.0 / 24, 4.0 / 24, 1.0 / 24};
    std::vector<double> across(at(0, wide, side));
    for (int j = 0; j < wide; ++j) {
        for (int i = 0; i < side; ++i) {
            double sum = 0.0;
            for (int k = 0; k <= kPerPixel; ++k) {
                sum += weight[static_cast<std::size_t>(k)] * values[at(i + k, j, wide)];
            }
            across[at(i, j, side)] = sum;
        }
    }
    std::vector<double> table(at(0, side, side), 0.0);
    for (int j = 0; j < side; ++j) {
        for (int k = 0; k <= kPerPixel; ++k) {
            for (int i = 0; i < side; ++i) {
                table[at(i, j, side)] +=
                    weight[static_cast<std::size_t>(k)] * across[at(i, j + k, side)];
            }
        }
    }
    return table;
}

Cubic cubicAt(double t) {
    const double t2 = t * t;
    const double t3 = t2 * t;
    return {
        {-0.5 * t3 + t2 - 0.5 * t,
         1.5 * t3 - 2.5 * t2 + 1.0,
         -1.5 * t3 + 2.0 * t2 + 0.5 * t,
         0.5 * t3 - 0.5 * t2},
        {-1.5 * t2 + 2.0 * t - 0.5, 4.5 * t2 - 5.0 * t, -4.5 * t2 + 4.0 * t + 0.5, 1.5 * t2 - t}};
}

} // namespace

PointSpread::PointSpread(const Moffat& shape, double trailX, double trailY) : shape_(shape) {
    const double trail = std::hypot(trailX, trailY);
    trailHalf_ = 0.5 * trail;
    radius_ = static_cast<int>(std::ceil(std::max(4.0, 3.5 * shape.fwhm()) + trailHalf_));
    side_ = 2 * radius_ * kPerPixel + 1 + 2 * kMargin;
    table_ = pixelIntegrals(shape, side_);
    if (trail > 0.01) {
        smear(trailX, trailY);
    }
    for (int y = -radius_; y <= radius_; ++y) {
        for (int x = -radius_; x <= radius_; ++x) {
            const double v = node(side_ / 2 + x * kPerPixel, side_ / 2 + y * kPerPixel);
            squareSum_ += v * v;
        }
    }
}

void PointSpread::smear(double trailX, double trailY) {
    const int steps = std::max(
        2, static_cast<int>(std::ceil(6.0 * 2.0 * trailHalf_ / std::max(1.0, shape_.fwhm()))));
    std::vector<double> smeared(table_.size(), 0.0);
    const int centre = side_ / 2;
    for (int j = 0; j < side_; ++j) {
        for (int i = 0; i < side_; ++i) {
            const double dx = static_cast<double>(i - centre) / kPerPixel;
            const double dy = static_cast<double>(j - centre) / kPerPixel;
            double sum = 0.0;
            for (int k = 0; k < steps; ++k) {
                const double along = (k + 0.5) / steps - 0.5;
                sum += at(dx - along * trailX, dy - along * trailY).value;
            }
            smeared[static_cast<std::size_t>(j) * static_cast<std::size_t>(side_) +
                    static_cast<std::size_t>(i)] = sum / steps;
        }
    }
    table_ = std::move(smeared);
}

PointSpread::Sample PointSpread::at(double dx, double dy) const {
    if (std::abs(dx) >= radius_ || std::abs(dy) >= radius_) {
        return {};
    }
    const int centre = side_ / 2;
    const double fx = dx * kPerPixel + centre;
    const double fy = dy * kPerPixel + centre;
    const int ix = static_cast<int>(std::floor(fx));
    const int iy = static_cast<int>(std::floor(fy));
    const Cubic cx = cubicAt(fx - ix);
    const Cubic cy = cubicAt(fy - iy);
    Sample sample;
    for (int j = 0; j < 4; ++j) {
        double value = 0.0;
        double slope = 0.0;
        for (int i = 0; i < 4; ++i) {
            const double v = node(ix - 1 + i, iy - 1 + j);
            value += cx.weight[static_cast<std::size_t>(i)] * v;
            slope += cx.slope[static_cast<std::size_t>(i)] * v;
        }
        sample.value += cy.weight[static_cast<std::size_t>(j)] * value;
        sample.slopeX += cy.weight[static_cast<std::size_t>(j)] * slope;
        sample.slopeY += cy.slope[static_cast<std::size_t>(j)] * value;
    }
    sample.slopeX *= kPerPixel;
    sample.slopeY *= kPerPixel;
    return sample;
}

} // namespace pathmark::detect
