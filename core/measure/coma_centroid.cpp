#include "core/measure/coma_centroid.h"

#include "core/base/expects.h"
#include "core/base/names.h"

#include <queue>

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::measure {
namespace {

using frame::PixelPos;

constexpr Names<ComaCentroid, 4> kNames{{{ComaCentroid::Cusp, "coma"},
                                         {ComaCentroid::Peak, "peak"},
                                         {ComaCentroid::Symmetry, "symmetry"},
                                         {ComaCentroid::Isophote, "isophote"}}};

/// The contour of an isophotal centroid, in parts of the peak.
constexpr double kContour = 0.25;
/// No centroid goes farther from the nucleus than this, in widths of a star.
constexpr double kFarthestWidths = 3.0;

struct GridPoint {
    int x = 0;
    int y = 0;
};

GridPoint nearest(PixelPos at) {
    return {static_cast<int>(std::lround(at.x)), static_cast<int>(std::lround(at.y))};
}

tl::unexpected<Error> noCentroid() {
    return fail(ErrorId::MeasureFitFailed,
                "The comet's light has no such centre near its nucleus; take that of the coma.");
}

/// Sums of a straight-line fit in two unknowns.
struct Normal {
    double xx = 0.0;
    double xy = 0.0;
    double yx = 0.0;
    double yy = 0.0;

    [[nodiscard]] double determinant() const { return xx * yy - xy * yx; }

    /// The inverse times a vector.
    [[nodiscard]] PixelPos solved(PixelPos right) const {
        const double d = determinant();
        return {(yy * right.x - xy * right.y) / d, (xx * right.y - yx * right.x) / d};
    }
};

/// The light of a comet, and the same as a star's filter sees it.
class FilteredComa {
  public:
    explicit FilteredComa(const ComaLight& coma)
        : coma_(coma),
          half_(std::max(
              1, static_cast<int>(std::ceil(1.5 * coma.spread.fwhm() + coma.spread.trailHalf())))) {
        for (int j = -half_; j <= half_; ++j) {
            for (int i = -half_; i <= half_; ++i) {
                filter_.push_back(coma.spread.at(i, j).value);
            }
        }
    }

    [[nodiscard]] bool isKnown(int x, int y) const {
        return coma_.light.contains(x, y) && std::isfinite(coma_.light.at(x, y));
    }

    [[nodiscard]] double light(int x, int y) const {
        return static_cast<double>(coma_.light.at(x, y));
    }

    [[nodiscard]] double variance(int x, int y) const {
        return coma_.noise * coma_.noise + coma_.lightVariance * std::max(0.0, light(x, y));
    }

    /// The mean of the light under the filter.
    [[nodiscard]] double at(int x, int y) const {
        double sum = 0.0;
        double share = 0.0;
        auto p = filter_.begin();
        for (int j = -half_; j <= half_; ++j) {
            for (int i = -half_; i <= half_; ++i, ++p) {
                if (isKnown(x + i, y + j)) {
                    sum += *p * light(x + i, y + j);
                    share += *p;
                }
            }
        }
        return sum / share; // NaN where nothing is known
    }

    /// What the noise of the pixels does to the slopes that peakOf() takes from nine values of at(): their covariance.
    [[nodiscard]] Normal slopeNoise(int x, int y) const {
        Normal noise;
        double share = 0.0;
        for (int j = -half_ - 1; j <= half_ + 1; ++j) {
            for (int i = -half_ - 1; i <= half_ + 1; ++i) {
                if (!isKnown(x + i, y + j)) {
                    continue;
                }
                double alongX = 0.0;
                double alongY = 0.0;
                for (int k = -1; k <= 1; ++k) {
                    alongX += filterAt(i - 1, j - k) - filterAt(i + 1, j - k);
                    alongY += filterAt(i - k, j - 1) - filterAt(i - k, j + 1);
                }
                const double own = variance(x + i, y + j) / 36.0;
                noise.xx += own * alongX * alongX;
                noise.xy += own * alongX * alongY;
                noise.yy += own * alongY * alongY;
                share += filterAt(i, j);
            }
        }
        const double unit = 1.0 / (share * share);
        return {noise.xx * unit, noise.xy * unit, noise.xy * unit, noise.yy * unit};
    }

    /// The highest pixel of the filtered light on the way uphill; nothing where that leaves what is known.
    [[nodiscard]] std::optional<GridPoint> uphillFrom(GridPoint from, double farthest) const {
        GridPoint here = from;
        for (;;) {
            GridPoint best = here;
            double most = at(here.x, here.y);
            for (int j = -1; j <= 1; ++j) {
                for (int i = -1; i <= 1; ++i) {
                    if (const double v = at(here.x + i, here.y + j); v > most) {
                        most = v;
                        best = {here.x + i, here.y + j};
                    }
                }
            }
            if (!std::isfinite(most) || std::hypot(best.x - from.x, best.y - from.y) > farthest) {
                return std::nullopt;
            }
            if (best.x == here.x && best.y == here.y) {
                return here;
            }
            here = best;
        }
    }

  private:
    [[nodiscard]] double filterAt(int i, int j) const {
        if (std::abs(i) > half_ || std::abs(j) > half_) {
            return 0.0;
        }
        return filter_[static_cast<std::size_t>((j + half_) * (2 * half_ + 1) + i + half_)];
    }

    const ComaLight& coma_;
    int half_;
    std::vector<double> filter_; ///< row after row
};

FittedPlace placeOf(PixelPos at, const Normal& covariance) {
    return {at, std::sqrt(covariance.xx), std::sqrt(covariance.yy), covariance.xy};
}

/// Propagates a covariance through the inverse of a matrix: inverse * noise * its transpose.
Normal through(const Normal& inverseOf, const Normal& noise) {
    const PixelPos a = inverseOf.solved({noise.xx, noise.yx});
    const PixelPos b = inverseOf.solved({noise.xy, noise.yy});
    const PixelPos first = inverseOf.solved({a.x, b.x});
    const PixelPos second = inverseOf.solved({a.y, b.y});
    return {first.x, first.y, second.x, second.y};
}

Result<FittedPlace> peakOf(const FilteredComa& coma, GridPoint top) {
    double v[3][3];
    for (int j = 0; j < 3; ++j) {
        for (int i = 0; i < 3; ++i) {
            v[j][i] = coma.at(top.x + i - 1, top.y + j - 1);
        }
    }
    // Least squares of a paraboloid through nine points.
    PixelPos slope{};
    Normal bend;
    for (int k = 0; k < 3; ++k) {
        slope.x += (v[k][2] - v[k][0]) / 6.0;
        slope.y += (v[2][k] - v[0][k]) / 6.0;
        bend.xx += (v[k][0] - 2.0 * v[k][1] + v[k][2]) / 3.0;
        bend.yy += (v[0][k] - 2.0 * v[1][k] + v[2][k]) / 3.0;
    }
    bend.xy = bend.yx = 0.25 * (v[2][2] - v[2][0] - v[0][2] + v[0][0]);
    const PixelPos step = bend.solved({-slope.x, -slope.y});
    // A saddle, or a ridge, has no highest point.
    if (!(bend.determinant() > 0.0) || bend.xx >= 0.0 || std::hypot(step.x, step.y) > 1.5) {
        return noCentroid();
    }
    return placeOf({top.x + step.x, top.y + step.y}, through(bend, coma.slopeNoise(top.x, top.y)));
}

/// One step of the least squares of opposite pixels, from a centre on the grid of half pixels.
Result<FittedPlace> symmetryAbout(const FilteredComa& coma, PixelPos centre, double radius) {
    const int twiceX = static_cast<int>(std::lround(2.0 * centre.x));
    const int twiceY = static_cast<int>(std::lround(2.0 * centre.y));
    const PixelPos grid{0.5 * twiceX, 0.5 * twiceY};
    const int reach = static_cast<int>(std::ceil(radius));
    Normal sums;  // slopes of the filter's light times those of the pixels' own
    Normal noise; // of the right side
    PixelPos right{};
    for (int y = static_cast<int>(std::floor(grid.y)) - reach; 2 * y <= twiceY; ++y) {
        for (int x = static_cast<int>(std::floor(grid.x)) - reach; x <= grid.x + reach; ++x) {
            const int ox = twiceX - x;
            const int oy = twiceY - y;
            const bool isOwnHalf = 2 * y < twiceY || 2 * x < twiceX;
            if (!isOwnHalf || std::hypot(x - grid.x, y - grid.y) > radius || !coma.isKnown(x, y) ||
                !coma.isKnown(ox, oy)) {
                continue;
            }
            // How the difference of the two grows as the centre moves: by the slopes of both.
            const auto slopes = [&](const auto& value) {
                return PixelPos{0.5 * (value(ox + 1, oy) - value(ox - 1, oy)) -
                                    0.5 * (value(x + 1, y) - value(x - 1, y)),
                                0.5 * (value(ox, oy + 1) - value(ox, oy - 1)) -
                                    0.5 * (value(x, y + 1) - value(x, y - 1))};
            };
            const PixelPos smooth = slopes([&](int i, int j) { return coma.at(i, j); });
            const PixelPos own = slopes([&](int i, int j) {
                return coma.isKnown(i, j) ? coma.light(i, j) : coma.at(i, j);
            });
            const double difference = coma.light(x, y) - coma.light(ox, oy);
            const double variance = coma.variance(x, y) + coma.variance(ox, oy);
            sums.xx += smooth.x * own.x / variance;
            sums.xy += smooth.x * own.y / variance;
            sums.yx += smooth.y * own.x / variance;
            sums.yy += smooth.y * own.y / variance;
            noise.xx += smooth.x * smooth.x / variance;
            noise.xy += smooth.x * smooth.y / variance;
            noise.yy += smooth.y * smooth.y / variance;
            right.x += smooth.x * difference / variance;
            right.y += smooth.y * difference / variance;
        }
    }
    noise.yx = noise.xy;
    const PixelPos step = sums.solved(right);
    if (!(sums.determinant() > 0.0) || !std::isfinite(step.x + step.y)) {
        return noCentroid();
    }
    return placeOf({grid.x + step.x, grid.y + step.y}, through(sums, noise));
}

Result<FittedPlace>
symmetryOf(const FilteredComa& coma, PixelPos start, double radius, double farthest) {
    PixelPos centre = start;
    for (int round = 0; round < 20; ++round) {
        auto found = symmetryAbout(coma, centre, radius);
        if (!found || std::hypot(found->pixel.x - start.x, found->pixel.y - start.y) > farthest) {
            return noCentroid();
        }
        const PixelPos step{found->pixel.x - centre.x, found->pixel.y - centre.y};
        if (std::abs(step.x) <= 0.3 && std::abs(step.y) <= 0.3 && round > 0) {
            return found;
        }
        // Half a pixel at most: the slopes are those of where one stands.
        centre.x += std::clamp(step.x, -0.5, 0.5);
        centre.y += std::clamp(step.y, -0.5, 0.5);
        centre = {0.5 * std::round(2.0 * centre.x), 0.5 * std::round(2.0 * centre.y)};
    }
    return noCentroid();
}

/// The pixels about the top whose filtered light is above the contour, as far as they hang together.
std::vector<GridPoint>
insideContour(const FilteredComa& coma, GridPoint top, double radius, double level) {
    const int reach = static_cast<int>(std::ceil(radius));
    const int side = 2 * reach + 1;
    std::vector<char> seen(static_cast<std::size_t>(side) * static_cast<std::size_t>(side), 0);
    std::queue<GridPoint> open;
    std::vector<GridPoint> inside;
    const auto visit = [&](GridPoint p) {
        const int i = p.x - top.x + reach;
        const int j = p.y - top.y + reach;
        if (i < 0 || j < 0 || i >= side || j >= side) {
            return;
        }
        char& mark = seen[static_cast<std::size_t>(j) * static_cast<std::size_t>(side) +
                          static_cast<std::size_t>(i)];
        if (mark == 0 && coma.isKnown(p.x, p.y) && coma.at(p.x, p.y) > level) {
            open.push(p);
        }
        mark = 1;
    };
    visit(top);
    while (!open.empty()) {
        const GridPoint p = open.front();
        open.pop();
        inside.push_back(p);
        visit({p.x + 1, p.y});
        visit({p.x - 1, p.y});
        visit({p.x, p.y + 1});
        visit({p.x, p.y - 1});
    }
    return inside;
}

Result<FittedPlace> isophoteOf(const FilteredComa& coma, GridPoint top, double radius) {
    const double level = kContour * coma.at(top.x, top.y);
    const auto inside = insideContour(coma, top, radius, level);
    // Only what stands above the contour counts: a pixel that noise lifts over it, or not, then has no weight.
    double sum = 0.0;
    PixelPos first{};
    for (const GridPoint& p : inside) {
        const double above = coma.light(p.x, p.y) - level;
        sum += above;
        first.x += above * (p.x - top.x);
        first.y += above * (p.y - top.y);
    }
    if (!(sum > 0.0)) {
        return noCentroid();
    }
    const PixelPos centre{first.x / sum, first.y / sum};
    Normal covariance;
    for (const GridPoint& p : inside) {
        const double dx = (p.x - top.x - centre.x) / sum;
        const double dy = (p.y - top.y - centre.y) / sum;
        covariance.xx += coma.variance(p.x, p.y) * dx * dx;
        covariance.xy += coma.variance(p.x, p.y) * dx * dy;
        covariance.yy += coma.variance(p.x, p.y) * dy * dy;
    }
    return placeOf({top.x + centre.x, top.y + centre.y}, covariance);
}

} // namespace

const char* name(ComaCentroid which) {
    return nameIn(kNames, which);
}

std::optional<ComaCentroid> comaCentroidNamed(std::string_view name) {
    return valueNamed(kNames, name);
}

Result<FittedPlace>
comaCentroid(ComaCentroid which, const ComaLight& coma, PixelPos start, double radius) {
    PATHMARK_EXPECTS(which != ComaCentroid::Cusp);
    const FilteredComa filtered(coma);
    const double farthest = kFarthestWidths * coma.spread.fwhm() + coma.spread.trailHalf();
    if (which == ComaCentroid::Symmetry) {
        return symmetryOf(filtered, start, radius, farthest);
    }
    const auto top = filtered.uphillFrom(nearest(start), farthest);
    if (!top) {
        return noCentroid();
    }
    return which == ComaCentroid::Peak ? peakOf(filtered, *top)
                                       : isophoteOf(filtered, *top, radius);
}

} // namespace pathmark::measure
