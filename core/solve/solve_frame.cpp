#include "core/solve/solve_frame.h"

#include "core/base/robust.h"
#include "core/solve/point_tree.h"
#include "core/solve/star_pattern.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::solve {
namespace {

using catalog::Star;
using detect::Detection;
using detect::Source;

constexpr std::uint32_t kNotForMatching = detect::kSharp | detect::kExtended;

/// Indices of sources that look like stars, the brightest first.
std::vector<std::size_t> starlike(const Detection& detection) {
    std::vector<std::size_t> indices;
    for (std::size_t i = 0; i < detection.sources.size(); ++i) {
        if ((detection.sources[i].flags & kNotForMatching) == 0) {
            indices.push_back(i);
        }
    }
    return indices;
}

/// A first solution from the pattern, or why there is none.
Result<PatternMatch> findPattern(const Detection& detection,
                                 const std::vector<std::size_t>& stars,
                                 int width,
                                 int height,
                                 const std::vector<Star>& field,
                                 const SolveHint& hint) {
    const double halfDiagonal = 0.5 * std::hypot(width, height);
    const double scale = std::sqrt(hint.scaleLow * hint.scaleHigh) * kRadiansPerArcsec;
    const double planeRadius =
        std::tan(hint.radius.radians()) + halfDiagonal * hint.scaleHigh * kRadiansPerArcsec;
    // As many stars per area in the catalogue as there are sources in the frame.
    const double frameArea = width * static_cast<double>(height) * scale * scale;
    const double fieldArea = std::numbers::pi * planeRadius * planeRadius;
    // Few bright sources first: fast. Where most of those are no stars, longer lists still hold enough true ones.
    for (const auto& [sources, richer] :
         {std::pair{60U, 1.3}, {60U, 2.2}, {120U, 1.4}, {60U, 0.7}, {250U, 1.3}}) {
        std::vector<Point> pixels;
        for (const std::size_t i : stars) {
            if (pixels.size() >= sources) {
                break;
            }
            // The middle of the frame is the origin, so that offsets stay small.
            pixels.push_back({detection.sources[i].x - 0.5 * (width - 1),
                              detection.sources[i].y - 0.5 * (height - 1)});
        }
        const auto wanted = static_cast<std::size_t>(
            std::max(20.0, richer * static_cast<double>(pixels.size()) * fieldArea / frameArea));
        std::vector<Point> plane;
        for (const Star& star : field) {
            if (plane.size() >= std::min<std::size_t>(wanted, 6000)) {
                break;
            }
            const PlanePos p = toTangentPlane(hint.centre, star.place);
            if (std::hypot(p.xi, p.eta) < planeRadius) {
                plane.push_back({p.xi, p.eta});
            }
        }
        PatternOptions options;
        options.scaleLow = hint.scaleLow * kRadiansPerArcsec;
        options.scaleHigh = hint.scaleHigh * kRadiansPerArcsec;
        options.matchRadius = scale * std::max(3.0, 0.004 * halfDiagonal);
        if (const auto match = matchPattern(pixels, plane, planeRadius, options)) {
            return *match;
        }
    }
    return fail(
        ErrorId::SolveNoMatch,
        fmt::format("{} star-like sources match no pattern of the catalogue within {:.2f} degrees "
                    "of RA {:.4f} Dec {:+.4f} at {:.2f} to {:.2f} arcsec per pixel. Check the "
                    "pointing and the optics, or give a wider hint.",
                    stars.size(),
                    hint.radius.degrees(),
                    hint.centre.longitude.degrees(),
                    hint.centre.latitude.degrees(),
                    hint.scaleLow,
                    hint.scaleHigh));
}

/// A WCS that is a similarity only.
frame::Wcs toWcs(const Similarity& s, const SkyPos& tangentPoint, int width, int height) {
    frame::Wcs wcs;
    wcs.referenceSky = fromTangentPlane(tangentPoint, {s.offsetX, s.offsetY});
    wcs.referencePixel = {0.5 * (width - 1), 0.5 * (height - 1)};
    const double sign = s.flipped ? -1.0 : 1.0;
    wcs.cd = {s.cosine, -s.sine * sign, s.sine, s.cosine * sign};
    return wcs;
}

/// Source-star pairs that lie within `radius` pixels of each other, one to one.
std::vector<MatchedStar> pairUp(const Detection& detection,
                                const std::vector<std::size_t>& stars,
                                const std::vector<Star>& field,
                                const frame::Wcs& wcs,
                                int width,
                                int height,
                                double radius) {
    std::vector<Point> places;
    std::vector<std::size_t> starOf;
    for (std::size_t i = 0; i < field.size(); ++i) {
        const auto pixel = wcs.toPixel(field[i].place);
        if (pixel && pixel->x > -50.0 && pixel->y > -50.0 && pixel->x < width + 50.0 &&
            pixel->y < height + 50.0) {
            places.push_back({pixel->x, pixel->y});
            starOf.push_back(i);
        }
    }
    std::vector<MatchedStar> matched;
    if (places.empty()) {
        return matched;
    }
    const BasicPointTree<Point> tree(places);
    std::vector<bool> taken(places.size(), false);
    for (const std::size_t source : stars) {
        const Source& s = detection.sources[source];
        const auto near = tree.within({s.x, s.y}, radius);
        // Two stars within reach: not clear which one it is, unless one is much nearer.
        std::optional<std::size_t> best;
        double bestDistance = 1e9;
        double second = 1e9;
        for (const std::size_t candidate : near) {
            const double distance =
                std::hypot(places[candidate].x - s.x, places[candidate].y - s.y);
            if (distance < bestDistance) {
                second = bestDistance;
                bestDistance = distance;
                best = candidate;
            } else {
                second = std::min(second, distance);
            }
        }
        if (best && !taken[*best] && second > 2.0 * bestDistance) {
            taken[*best] = true;
            matched.push_back({source, field[starOf[*best]], false});
        }
    }
    return matched;
}

std::vector<StarPair>
toPairs(const Detection& detection, const std::vector<MatchedStar>& matched, double scaleArcsec) {
    std::vector<StarPair> pairs;
    for (const MatchedStar& match : matched) {
        const Source& s = detection.sources[match.source];
        double sigma =
            std::hypot(0.5 * (s.xError + s.yError), match.star.errorArcsec / scaleArcsec);
        // No centroid is better than this: pixels are not perfect.
        sigma = std::hypot(sigma, 0.005);
        if ((s.flags & (detect::kSaturated | detect::kBlended | detect::kPoorFit)) != 0) {
            sigma = std::hypot(3.0 * sigma, 0.1);
        }
        pairs.push_back({{s.x, s.y}, match.star.place, sigma});
    }
    return pairs;
}

/// From a rough WCS to the full solution: all sources against all stars, the degree growing.
Result<Solution> fitInSteps(const Detection& detection,
                            const std::vector<std::size_t>& stars,
                            const std::vector<Star>& field,
                            frame::Wcs wcs,
                            int width,
                            int height,
                            double radius) {
    Result<WcsFit> fit = fail(ErrorId::SolveNoMatch, "");
    std::vector<MatchedStar> matched;
    const double spacing = std::sqrt(width * static_cast<double>(height) /
                                     static_cast<double>(std::max<std::size_t>(field.size(), 1)));
    // The brightest first: their places are the least ambiguous while the solution is still rough.
    for (const auto& [share, order] : {std::pair{0.1, 1}, {0.3, 2}, {1.0, 3}, {1.0, 4}, {1.0, 4}}) {
        const auto count =
            std::min(stars.size(),
                     std::max<std::size_t>(
                         static_cast<std::size_t>(share * static_cast<double>(stars.size())), 60));
        const std::vector<std::size_t> some(stars.begin(),
                                            stars.begin() + static_cast<std::ptrdiff_t>(count));
        matched = pairUp(detection, some, field, wcs, width, height, radius);
        fit = fitWcs(toPairs(detection, matched, wcs.scaleArcsec()), width, height, order);
        if (!fit) {
            return fail(
                ErrorId::SolveNoMatch,
                "A pattern was found, but too few stars agree with it. Check that the catalogue "
                "goes as deep as the frame.");
        }
        wcs = fit->wcs;
        const double rmsPixels = fit->rmsArcsec / wcs.scaleArcsec();
        radius = std::clamp(5.0 * rmsPixels, std::min({1.2, 0.3 * spacing, radius}), radius);
    }
    Solution solution;
    solution.wcs = fit->wcs;
    solution.order = fit->order;
    solution.rmsArcsec = fit->rmsArcsec;
    solution.chiSquare = fit->chiSquare;
    solution.usedStars = fit->used;
    solution.placeErrorPixels = fit->placeErrorPixels;
    for (std::size_t i = 0; i < matched.size(); ++i) {
        matched[i].usedInFit = fit->kept[i];
    }
    solution.matched = std::move(matched);
    return solution;
}

} // namespace

Result<Solution> solveFrame(const Detection& detection,
                            int width,
                            int height,
                            const Utc& date,
                            const SolveHint& hint,
                            const catalog::StarStore& store) {
    const auto stars = starlike(detection);
    if (stars.size() < 5) {
        return fail(
            ErrorId::SolveTooFewStars,
            fmt::format("Only {} star-like sources; a solution needs at least 5. The frame may "
                        "be clouded or out of focus.",
                        stars.size()));
    }
    const double halfDiagonal = 0.5 * std::hypot(width, height);
    const Angle reach = hint.radius + Angle::arcsec(1.1 * halfDiagonal * hint.scaleHigh);
    auto field = store.field(hint.centre, reach, date);
    if (!field) {
        return fail(field.error());
    }
    auto pattern = findPattern(detection, stars, width, height, *field, hint);
    if (!pattern) {
        return fail(pattern.error());
    }
    const frame::Wcs rough = toWcs(pattern->transform, hint.centre, width, height);
    auto solution = fitInSteps(
        detection, stars, *field, rough, width, height, std::max(4.0, 0.005 * halfDiagonal));
    if (solution) {
        solution->falseAlarmLog10 = pattern->falseAlarmLog10;
    }
    return solution;
}

Result<Solution> refineSolution(const Detection& detection,
                                int width,
                                int height,
                                const Utc& date,
                                const frame::Wcs& nearly,
                                double radiusPixels,
                                const catalog::StarStore& store) {
    const frame::PixelPos middle{0.5 * (width - 1), 0.5 * (height - 1)};
    const double halfDiagonal = 0.5 * std::hypot(width, height);
    auto field = store.field(
        nearly.toSky(middle), Angle::arcsec(1.05 * halfDiagonal * nearly.scaleArcsec()), date);
    if (!field) {
        return fail(field.error());
    }
    return fitInSteps(detection, starlike(detection), *field, nearly, width, height, radiusPixels);
}

} // namespace pathmark::solve
