#include "core/detect/point_spread.h"

#include "core/base/expects.h"
#include "core/detect/star_kernels.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::detect {
namespace {

constexpr int kPerPixel = 8;
constexpr int kMargin = 2; // nodes around the table for the interpolation

/// Catmull-Rom weights and their slopes at t in [0, 1).
struct Cubic {
    std::array<float, 4> weight;
    std::array<float, 4> slope;
};

Cubic cubicAt(double t) {
    const double t2 = t * t;
    const double t3 = t2 * t;
    const auto f = [](double v) { return static_cast<float>(v); };
    return {{f(-0.5 * t3 + t2 - 0.5 * t),
             f(1.5 * t3 - 2.5 * t2 + 1.0),
             f(-1.5 * t3 + 2.0 * t2 + 0.5 * t),
             f(0.5 * t3 - 0.5 * t2)},
            {f(kPerPixel * (-1.5 * t2 + 2.0 * t - 0.5)),
             f(kPerPixel * (4.5 * t2 - 5.0 * t)),
             f(kPerPixel * (-4.5 * t2 + 4.0 * t + 0.5)),
             f(kPerPixel * (1.5 * t2 - t))}};
}

/// Where along an axis of the table a distance from the point lies.
struct Place {
    int node; ///< the second of the four
    Cubic cubic;
};

Place placeAt(double distance, int centre) {
    const double f = distance * kPerPixel + centre;
    const double below = std::floor(f);
    return {static_cast<int>(below), cubicAt(f - below)};
}

/// (1 + r2)^-beta from a table over r2 / (1 + r2), 3e-6 of the peak: the logarithm and the exponential of
/// every node would cost more than all the rest.
class PowerTable {
  public:
    explicit PowerTable(double beta) {
        for (std::size_t i = 0; i < kNodes; ++i) {
            values_[i] = std::exp(beta * logarithms()[i]);
        }
    }

    [[nodiscard]] double at(double r2) const {
        const double f = r2 / (1.0 + r2) * kNodes;
        const auto i = static_cast<std::size_t>(f);
        return values_[i] + (f - static_cast<double>(i)) * (values_[i + 1] - values_[i]);
    }

  private:
    static constexpr std::size_t kNodes = 1024;

    /// Of 1 - t at the nodes: the same for every beta.
    static const std::array<double, kNodes>& logarithms() {
        static const auto made = [] {
            std::array<double, kNodes> values{};
            for (std::size_t i = 0; i < kNodes; ++i) {
                values[i] = std::log1p(-static_cast<double>(i) / kNodes);
            }
            return values;
        }();
        return made;
    }

    std::array<double, kNodes + 2> values_{}; // the last two: 0
};

/// Point values on the nodes, smeared along the trail.
std::vector<double> pointValues(const Moffat& shape, int wide, double trailX, double trailY) {
    const PowerTable power(shape.beta);
    const double peak = shape.value(0.0, 0.0);
    const double trail = std::hypot(trailX, trailY);
    const int steps =
        trail > 0.01
            ? std::max(2, static_cast<int>(std::ceil(6.0 * trail / std::max(1.0, shape.fwhm()))))
            : 1;
    const int centre = wide / 2;
    const auto size = static_cast<std::size_t>(wide) * static_cast<std::size_t>(wide);
    std::vector<double> values(size, 0.0);
    std::vector<double> alongX;
    std::vector<double> alongY;
    for (int k = 0; k < steps; ++k) {
        alongX.push_back(((k + 0.5) / steps - 0.5) * trailX);
        alongY.push_back(((k + 0.5) / steps - 0.5) * trailY);
    }
    const double scale = peak / steps;
    // Point symmetry: the other half is the same backwards.
    std::size_t at = 0;
    for (int j = 0; j <= centre; ++j) {
        for (int i = 0; i < wide; ++i, ++at) {
            double sum = 0.0;
            for (std::size_t k = 0; k < alongX.size(); ++k) {
                const double x = static_cast<double>(i - centre) / kPerPixel - alongX[k];
                const double y = static_cast<double>(j - centre) / kPerPixel - alongY[k];
                sum += power.at(shape.a * x * x + 2.0 * shape.b * x * y + shape.c * y * y);
            }
            values[at] = scale * sum;
            values[size - 1 - at] = values[at];
        }
    }
    return values;
}

} // namespace

SpreadPatch::SpreadPatch(int reach)
    : half(reach), stride((2 * reach + 1 + kLanes - 1) / kLanes * kLanes) {
    const auto size = static_cast<std::size_t>(2 * reach + 1) * static_cast<std::size_t>(stride);
    value.resize(size);
    slopeX.resize(size);
    slopeY.resize(size);
}

PointSpread::PointSpread(const Moffat& shape, double trailX, double trailY, int radius)
    : shape_(shape), trailX_(trailX), trailY_(trailY),
      radius_(radius > 0
                  ? radius
                  : static_cast<int>(std::ceil(std::max(4.0, 3.5 * shape.fwhm()) + trailHalf()))),
      side_(2 * radius_ * kPerPixel + 1 + 2 * kMargin), rows_(side_ / kPerPixel + 1),
      // Rows of a window are read in whole lanes: room for what lies beyond.
      columns_(side_ / kPerPixel + 1) {
    const int wide = side_ + kPerPixel;
    const std::vector<double> values = pointValues(shape, wide, trailX, trailY);
    const auto row = [](const std::vector<double>& in, int width, int j) {
        return in.data() + static_cast<std::ptrdiff_t>(width) * j;
    };
    std::vector<double> across(static_cast<std::size_t>(wide) * static_cast<std::size_t>(side_));
    for (int j = 0; j < wide; ++j) {
        integrateAcross(
            row(values, wide, j), across.data() + static_cast<std::ptrdiff_t>(side_) * j, side_);
    }
    table_.assign(static_cast<std::size_t>(kPerPixel * kPerPixel) *
                          static_cast<std::size_t>(rows_ * columns_) +
                      kLanes,
                  0.0F);
    std::vector<double> integrals(static_cast<std::size_t>(side_));
    for (int j = 0; j < side_; ++j) {
        integrateDown(row(across, side_, j), side_, integrals.data(), side_);
        for (int phase = 0; phase < kPerPixel; ++phase) {
            float* out = &table_[place(phase, j)];
            for (int i = phase; i < side_; i += kPerPixel) {
                *out++ = static_cast<float>(integrals[static_cast<std::size_t>(i)]);
            }
        }
    }
    for (int y = -radius_; y <= radius_; ++y) {
        for (int x = -radius_; x <= radius_; ++x) {
            const auto v = static_cast<double>(
                table_[place(side_ / 2 + x * kPerPixel, side_ / 2 + y * kPerPixel)]);
            squareSum_ += v * v;
        }
    }
}

PointSpread::Sample PointSpread::at(double dx, double dy) const {
    if (std::abs(dx) >= radius_ || std::abs(dy) >= radius_) {
        return {};
    }
    const Place px = placeAt(dx, side_ / 2);
    const Place py = placeAt(dy, side_ / 2);
    Sample sample;
    for (int j = 0; j < 4; ++j) {
        const auto n = static_cast<std::size_t>(j);
        double value = 0.0;
        double slope = 0.0;
        for (int i = 0; i < 4; ++i) {
            const auto m = static_cast<std::size_t>(i);
            const auto v = static_cast<double>(table_[place(px.node - 1 + i, py.node - 1 + j)]);
            value += static_cast<double>(px.cubic.weight[m]) * v;
            slope += static_cast<double>(px.cubic.slope[m]) * v;
        }
        sample.value += static_cast<double>(py.cubic.weight[n]) * value;
        sample.slopeX += static_cast<double>(py.cubic.weight[n]) * slope;
        sample.slopeY += static_cast<double>(py.cubic.slope[n]) * value;
    }
    return sample;
}

double PointSpread::lightRadius(double flux, double level) const {
    return shape_.lightRadius(flux, level) + trailHalf();
}

void PointSpread::addPatch(double x, double y, float weight, SpreadPatch& patch) const {
    PATHMARK_EXPECTS(patch.half + 2 <= radius_ && std::abs(x) <= 2.0 && std::abs(y) <= 2.0);
    const Place px = placeAt(-patch.half - x, side_ / 2);
    const Place py = placeAt(-patch.half - y, side_ / 2);
    NodeWeights weights{px.cubic.weight, px.cubic.slope, py.cubic.weight, py.cubic.slope};
    for (std::size_t k = 0; k < 4; ++k) {
        weights.y[k] *= weight;
        weights.slopeY[k] *= weight;
    }
    NodeRows nodes;
    nodes.rowStep = columns_;
    for (int n = 0; n < 4; ++n) {
        for (int m = 0; m < 4; ++m) {
            nodes.row[static_cast<std::size_t>(n)][static_cast<std::size_t>(m)] =
                &table_[place(px.node - 1 + m, py.node - 1 + n)];
        }
    }
    addInterpolated(nodes,
                    weights,
                    2 * patch.half + 1,
                    patch.stride,
                    patch.value.data(),
                    patch.slopeX.data(),
                    patch.slopeY.data());
}

} // namespace pathmark::detect
