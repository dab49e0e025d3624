#include "core/measure/coma_profile.h"

#include "core/base/clones.h"
#include "core/base/expects.h"
#include "core/base/parallel.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::measure {
namespace {

constexpr int kNodes = 4; // a pixel

/// Weights of four nodes for a place t between the inner two, and their slopes: Keys 1981, IEEE Trans. ASSP 29, 1153.
struct CubicWeights {
    std::array<double, 4> value{};
    std::array<double, 4> slope{};

    explicit CubicWeights(double t)
        : value{-0.5 * t + t * t - 0.5 * t * t * t,
                1.0 - 2.5 * t * t + 1.5 * t * t * t,
                0.5 * t + 2.0 * t * t - 1.5 * t * t * t,
                -0.5 * t * t + 0.5 * t * t * t},
          slope{-0.5 + 2.0 * t - 1.5 * t * t,
                -5.0 * t + 4.5 * t * t,
                0.5 + 4.0 * t - 4.5 * t * t,
                -t + 1.5 * t * t} {}
};

PATHMARK_CLONES
void addScaled(const double* in, double weight, double* out, int count) {
    for (int k = 0; k < count; ++k) {
        out[k] += weight * in[k];
    }
}

/// Means of rho^-slope over the cells of a grid of `step` pixels, rows and columns from -reach to +reach.
std::vector<double> comaCells(double slope, int reach, double step) {
    const int side = 2 * reach + 1;
    std::vector<double> cells(static_cast<std::size_t>(side) * static_cast<std::size_t>(side));
    constexpr int fine = 5; // of the cells near the nucleus
    for (int j = -reach; j <= reach; ++j) {
        for (int i = -reach; i <= reach; ++i) {
            double mean = 0.0;
            if (i == 0 && j == 0) {
                mean = std::pow(step, -slope) * meanOverNucleus(slope);
            } else if (std::max(std::abs(i), std::abs(j)) <= 3) {
                for (int q = 0; q < fine; ++q) {
                    for (int p = 0; p < fine; ++p) {
                        mean += std::pow(step * std::hypot(i + (p + 0.5) / fine - 0.5,
                                                           j + (q + 0.5) / fine - 0.5),
                                         -slope) /
                                (fine * fine);
                    }
                }
            } else {
                mean = std::pow(step * std::hypot(i, j), -slope);
            }
            cells[static_cast<std::size_t>((j + reach) * side + i + reach)] = mean;
        }
    }
    return cells;
}

} // namespace

double meanOverNucleus(double slope) {
    PATHMARK_EXPECTS(slope > 0.0 && slope < 2.0);
    // The square is its middle ninth, which is the same again on a third of the scale, and a ring on which the function is smooth:
    // I = ring + 3^(slope - 2) I.
    constexpr int fine = 40; // of a ninth's side, midpoints
    double ring = 0.0;
    for (int j = 0; j < 3 * fine; ++j) {
        for (int i = 0; i < 3 * fine; ++i) {
            const double x = (i + 0.5) / (3.0 * fine) - 0.5;
            const double y = (j + 0.5) / (3.0 * fine) - 0.5;
            if (std::max(std::abs(x), std::abs(y)) > 1.0 / 6.0) {
                ring += std::pow(std::hypot(x, y), -slope);
            }
        }
    }
    ring /= 9.0 * fine * fine;
    return ring / (1.0 - std::pow(3.0, slope - 2.0));
}

ComaProfile::ComaProfile(const detect::PointSpread& spread, double slope, int half) {
    const double step = 1.0 / kNodes;
    const int inner =
        half * kNodes + 2; // nodes on either side of the middle, two for the interpolation
    // What of a point's light lies farther out is too smooth to move a cusp.
    const int reach =
        std::min(spread.radius(),
                 static_cast<int>(std::ceil(2.5 * spread.fwhm() + spread.trailHalf()))) *
        kNodes;
    side_ = 2 * inner + 1;
    first_ = -inner * step;
    const int comaReach = inner + reach;
    const int comaSide = 2 * comaReach + 1;
    const std::vector<double> coma = comaCells(slope, comaReach, step);
    const int spreadSide = 2 * reach + 1;
    std::vector<double> point(static_cast<std::size_t>(spreadSide) *
                              static_cast<std::size_t>(spreadSide));
    double sum = 0.0;
    for (int j = -reach; j <= reach; ++j) {
        for (int i = -reach; i <= reach; ++i) {
            const double value = spread.at(i * step, j * step).value * step * step;
            point[static_cast<std::size_t>((j + reach) * spreadSide + i + reach)] = value;
            sum += value;
        }
    }
    table_.assign(static_cast<std::size_t>(side_) * static_cast<std::size_t>(side_), 0.0);
    parallelFor(static_cast<std::size_t>(side_), [&](std::size_t row) {
        double* out = &table_[row * static_cast<std::size_t>(side_)];
        for (int j = 0; j < spreadSide; ++j) {
            for (int i = 0; i < spreadSide; ++i) {
                // Light beyond the table's radius is taken to lie as the rest does.
                const double weight = point[static_cast<std::size_t>(j * spreadSide + i)] / sum;
                if (weight < 1e-9) {
                    continue;
                }
                const double* in =
                    &coma[(row + static_cast<std::size_t>(j)) * static_cast<std::size_t>(comaSide) +
                          static_cast<std::size_t>(i)];
                addScaled(in, weight, out, side_);
            }
        }
    });
}

ComaProfile::Sample ComaProfile::at(double dx, double dy) const {
    const double fx = (dx - first_) * kNodes;
    const double fy = (dy - first_) * kNodes;
    const int ix = std::clamp(static_cast<int>(std::floor(fx)), 1, side_ - 3);
    const int iy = std::clamp(static_cast<int>(std::floor(fy)), 1, side_ - 3);
    const CubicWeights x(fx - ix);
    const CubicWeights y(fy - iy);
    Sample sample;
    for (int j = 0; j < 4; ++j) {
        double value = 0.0;
        double slope = 0.0;
        const double* row = &table_[static_cast<std::size_t>((iy + j - 1) * side_ + ix - 1)];
        for (std::size_t i = 0; i < 4; ++i) {
            value += x.value[i] * row[i];
            slope += x.slope[i] * row[i];
        }
        const auto k = static_cast<std::size_t>(j);
        sample.value += y.value[k] * value;
        sample.slopeX += y.value[k] * slope * kNodes;
        sample.slopeY += y.slope[k] * value * kNodes;
    }
    return sample;
}

} // namespace pathmark::measure
