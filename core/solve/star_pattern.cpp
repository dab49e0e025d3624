#include "core/solve/star_pattern.h"

#include "core/solve/point_tree.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <set>

namespace pathmark::solve {
namespace {

/// Three points in the order of their opposite sides, the longest first.
struct Triangle {
    std::array<std::size_t, 3> corner{};
    double ratio1 = 0.0; ///< middle side over longest
    double ratio2 = 0.0; ///< shortest over longest
    double longest = 0.0;
    bool leftHanded = false;
};

Triangle makeTriangle(std::span<const Point> points, std::array<std::size_t, 3> index) {
    std::array<std::pair<double, std::size_t>, 3> sides;
    for (std::size_t i = 0; i < 3; ++i) {
        const Point& a = points[index[(i + 1) % 3]];
        const Point& b = points[index[(i + 2) % 3]];
        sides[i] = {-std::hypot(a.x - b.x, a.y - b.y), index[i]};
    }
    std::sort(sides.begin(), sides.end());
    Triangle t;
    t.corner = {sides[0].second, sides[1].second, sides[2].second};
    t.longest = -sides[0].first;
    t.ratio1 = sides[1].first / sides[0].first;
    t.ratio2 = sides[2].first / sides[0].first;
    const Point& a = points[t.corner[0]];
    const Point& b = points[t.corner[1]];
    const Point& c = points[t.corner[2]];
    t.leftHanded = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x) < 0.0;
    return t;
}

/// Triangles of every point with pairs of its nearest neighbours, those too symmetric left out.
std::vector<Triangle> makeTriangles(std::span<const Point> points, int neighbours) {
    std::set<std::array<std::size_t, 3>> seen;
    std::vector<Triangle> triangles;
    const BasicPointTree<Point> tree(points);
    for (std::size_t i = 0; i < points.size(); ++i) {
        const auto near = tree.nearest(points[i], static_cast<std::size_t>(neighbours) + 1);
        for (std::size_t j = 1; j < near.size(); ++j) {
            for (std::size_t k = j + 1; k < near.size(); ++k) {
                std::array<std::size_t, 3> key{i, near[j], near[k]};
                std::sort(key.begin(), key.end());
                if (!seen.insert(key).second) {
                    continue;
                }
                const Triangle t = makeTriangle(points, key);
                // Nearly equal sides could be taken for each other; a flat triangle tells nothing.
                if (t.longest > 0.0 && t.ratio1 < 0.98 && t.ratio2 < 0.98 * t.ratio1 &&
                    t.ratio2 > 0.1) {
                    triangles.push_back(t);
                }
            }
        }
    }
    return triangles;
}

/// The similarity that takes two points onto two others.
Similarity fromPairs(Point p0, Point p1, Point q0, Point q1, bool flipped) {
    if (flipped) {
        p0.y = -p0.y;
        p1.y = -p1.y;
    }
    const double dx = p1.x - p0.x;
    const double dy = p1.y - p0.y;
    const double ex = q1.x - q0.x;
    const double ey = q1.y - q0.y;
    const double square = dx * dx + dy * dy;
    Similarity s;
    s.flipped = flipped;
    s.cosine = (ex * dx + ey * dy) / square;
    s.sine = (ey * dx - ex * dy) / square;
    s.offsetX = q0.x - (s.cosine * p0.x - s.sine * p0.y);
    s.offsetY = q0.y - (s.sine * p0.x + s.cosine * p0.y);
    return s;
}

/// How well a proposal lays all sources over the stars.
class Judge {
  public:
    Judge(std::span<const Point> pixels,
          std::span<const Point> plane,
          double planeRadius,
          double matchRadius)
        : pixels_(mixed(pixels)), tree_(plane), planeRadius_(planeRadius),
          matchRadius_(matchRadius),
          chance_(std::min(0.5,
                           static_cast<double>(plane.size()) * matchRadius * matchRadius /
                               (planeRadius * planeRadius))) {}

    [[nodiscard]] PatternMatch judge(const Similarity& transform) const {
        PatternMatch match;
        match.transform = transform;
        std::set<std::size_t> taken;
        for (const Point& pixel : pixels_) {
            const Point place = transform.apply(pixel);
            if (std::hypot(place.x, place.y) > planeRadius_) {
                continue;
            }
            ++match.tested;
            const auto star = tree_.nearestWithin(place, matchRadius_);
            if (star && taken.insert(*star).second) {
                ++match.matched;
            }
            // Too few by now, bright and faint ones mixed: this is not it.
            if (match.tested == 24 && match.matched < 3) {
                break;
            }
        }
        // The three stars that made the proposal meet by construction.
        match.falseAlarmLog10 = binomialTailLog10(match.matched - 3, match.tested - 3, chance_);
        return match;
    }

  private:
    /// The same points in an order that has bright and faint ones in every stretch of it.
    static std::vector<Point> mixed(std::span<const Point> points) {
        std::size_t step = std::max<std::size_t>(1, points.size() * 5 / 8);
        while (std::gcd(step, points.size()) != 1) {
            ++step;
        }
        std::vector<Point> result;
        for (std::size_t i = 0; i < points.size(); ++i) {
            result.push_back(points[i * step % points.size()]);
        }
        return result;
    }

    std::vector<Point> pixels_;
    BasicPointTree<Point> tree_;
    double planeRadius_;
    double matchRadius_;
    double chance_;
};

} // namespace

double binomialTailLog10(int hits, int trials, double p) {
    if (hits <= 0 || trials <= 0) {
        return 0.0;
    }
    // Terms fall fast beyond the mean, so the sum is done in logarithms from the first one on.
    double sum = 0.0;
    double first = 0.0;
    for (int k = hits; k <= trials; ++k) {
        const double term = std::lgamma(trials + 1.0) - std::lgamma(k + 1.0) -
                            std::lgamma(trials - k + 1.0) + k * std::log(p) +
                            (trials - k) * std::log1p(-p);
        if (k == hits) {
            first = term;
        }
        sum += std::exp(term - first);
    }
    return std::min(0.0, (first + std::log(sum)) / std::log(10.0));
}

std::optional<PatternMatch> matchPattern(std::span<const Point> pixels,
                                         std::span<const Point> plane,
                                         double planeRadius,
                                         const PatternOptions& options) {
    if (pixels.size() < 4 || plane.size() < 4) {
        return std::nullopt;
    }
    const auto own = makeTriangles(pixels, options.neighbours);
    const auto known = makeTriangles(plane, options.neighbours);
    if (own.empty() || known.empty()) {
        return std::nullopt;
    }
    std::vector<Point> ratios;
    ratios.reserve(known.size());
    for (const Triangle& t : known) {
        ratios.push_back({t.ratio1, t.ratio2});
    }
    const BasicPointTree<Point> ratioTree(ratios);
    const Judge judge(pixels, plane, planeRadius, options.matchRadius);
    PatternMatch best;
    double proposals = 0.0;
    for (const Triangle& t : own) {
        for (const std::size_t index : ratioTree.within({t.ratio1, t.ratio2}, options.sidesAgree)) {
            const Triangle& star = known[index];
            const double scale = star.longest / t.longest;
            if (scale < options.scaleLow || scale > options.scaleHigh) {
                continue;
            }
            proposals += 1.0;
            const auto transform = fromPairs(pixels[t.corner[1]],
                                             pixels[t.corner[2]],
                                             plane[star.corner[1]],
                                             plane[star.corner[2]],
                                             t.leftHanded != star.leftHanded);
            const PatternMatch match = judge.judge(transform);
            if (match.falseAlarmLog10 < best.falseAlarmLog10) {
                best = match;
            }
        }
        // Plainly found: no need to hear the rest.
        if (best.falseAlarmLog10 + std::log10(proposals + 1.0) < 2.0 * options.falseAlarmLog10) {
            break;
        }
    }
    best.falseAlarmLog10 += std::log10(proposals + 1.0);
    if (best.matched < 5 || best.falseAlarmLog10 > options.falseAlarmLog10) {
        return std::nullopt;
    }
    return best;
}

} // namespace pathmark::solve
