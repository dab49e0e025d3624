#include "core/solve/fit_steps.h"

#include "core/base/robust.h"
#include "core/frame/wcs_polynomial.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace pathmark::solve {
namespace {

using detect::Detection;
using detect::Source;

/// Of so many bright sources: where most are wider than a star, the stars are, and the shape that they were held against is wrong.
constexpr std::size_t kJudgedByWidth = 60;
constexpr double kMargin = 50.0;
constexpr double kMostUnlike = 2.5;        ///< magnitudes
constexpr std::size_t kLeastToCompare = 6; ///< pairs

/// How many of the sources a step uses, and the degree it may fit.
struct Step {
    double share;
    int order;
};

// The brightest first: their places are the least ambiguous while the solution is still rough. Straight at first: a pattern
// in one corner is right about its surroundings only, and a curve through what is paired by chance elsewhere stays bent.
constexpr std::array<Step, 6> kSteps{{{0.1, 1}, {0.1, 1}, {0.1, 3}, {0.3, 3}, {1.0, 3}, {1.0, 5}}};
constexpr std::size_t kWitnessed = 100;
constexpr std::size_t kLeastOfStep = 60;

std::vector<StarPair>
toPairs(const Detection& detection, const std::vector<MatchedStar>& matched, double scaleArcsec) {
    std::vector<StarPair> pairs;
    pairs.reserve(matched.size());
    for (const MatchedStar& match : matched) {
        const Source& s = detection.sources[match.source];
        pairs.push_back({{s.x, s.y},
                         match.star.place,
                         std::hypot(pairError(s, match.star, scaleArcsec), match.pull),
                         match.star.colour});
    }
    return pairs;
}

/// Takes out pairs whose source is as bright as no filter or colour makes the star: a body that stands on a faint one, a hit.
void dropStrangers(const Detection& detection, std::vector<MatchedStar>& matched) {
    const auto zeroOf = [&](const MatchedStar& match) {
        return match.star.magG +
               2.5 * std::log10(std::max(1e-9, detection.sources[match.source].flux));
    };
    std::vector<double> zeros;
    zeros.reserve(matched.size());
    for (const MatchedStar& match : matched) {
        zeros.push_back(zeroOf(match));
    }
    if (zeros.size() < kLeastToCompare) {
        return;
    }
    const double usual = medianInPlace(std::span(zeros));
    std::erase_if(matched, [&](const MatchedStar& match) {
        // What is cut off in a saturated star is not known.
        return (detection.sources[match.source].flags & detect::kSaturated) == 0 &&
               std::abs(zeroOf(match) - usual) > kMostUnlike;
    });
}

/// The share of the brightest sources that have a star, or of the brightest stars on the frame that have a source, the
/// larger one: hits and shallow catalogues spoil the one, clouds and saturation the other.
double coveredShare(const std::vector<MatchedStar>& matched,
                    std::span<const std::size_t> sources,
                    std::span<const catalog::Star> field,
                    const PlacedStars& placed,
                    FrameSize size) {
    std::set<std::size_t> withStar;
    std::set<std::int64_t> withSource;
    for (const MatchedStar& match : matched) {
        withStar.insert(match.source);
        withSource.insert(match.star.sourceId);
    }
    const auto bright = sources.first(std::min(kWitnessed, sources.size()));
    const auto starred = std::count_if(
        bright.begin(), bright.end(), [&](std::size_t i) { return withStar.contains(i); });
    std::vector<const catalog::Star*> stars;
    for (std::size_t i = 0; i < placed.count(); ++i) {
        const auto p = placed.place(i);
        if (p.x > 0.0 && p.y > 0.0 && p.x < size.width - 1.0 && p.y < size.height - 1.0) {
            stars.push_back(&field[placed.star(i)]);
        }
    }
    const std::size_t first = std::min(kWitnessed, stars.size());
    std::partial_sort(stars.begin(),
                      stars.begin() + static_cast<std::ptrdiff_t>(first),
                      stars.end(),
                      [](const auto* a, const auto* b) { return a->magG < b->magG; });
    const auto sourced =
        std::count_if(stars.begin(),
                      stars.begin() + static_cast<std::ptrdiff_t>(first),
                      [&](const auto* star) { return withSource.contains(star->sourceId); });
    const auto share = [](auto part, std::size_t whole) {
        return static_cast<double>(part) / static_cast<double>(std::max<std::size_t>(1, whole));
    };
    return std::max(share(starred, bright.size()), share(sourced, first));
}

/// Makes a fit to the matched stars the solution's.
void take(Solution& solution, const WcsFit& fit) {
    solution.wcs = fit.wcs;
    solution.order = fit.order;
    solution.rmsArcsec = fit.rmsArcsec;
    solution.chiSquare = fit.chiSquare;
    solution.usedStars = fit.used;
    solution.placeErrorPixels = fit.placeErrorPixels;
    solution.error = fit.error;
    solution.colourShift = fit.colourShift;
    for (std::size_t i = 0; i < solution.matched.size(); ++i) {
        solution.matched[i].usedInFit = fit.kept[i];
    }
}

} // namespace

double pairError(const Source& source, const catalog::Star& star, double scaleArcsec) {
    constexpr std::uint32_t doubtful =
        detect::kSaturated | detect::kBlended | detect::kPoorFit | detect::kEdge | detect::kDefect;
    // No centroid is better than this: pixels are not perfect.
    constexpr double leastPixels = 0.005;
    const double sigma = std::hypot(
        0.5 * (source.xError + source.yError), star.errorArcsec / scaleArcsec, leastPixels);
    return (source.flags & doubtful) != 0 ? std::hypot(3.0 * sigma, 0.1) : sigma;
}

std::vector<std::size_t> starlike(const Detection& detection) {
    std::vector<std::size_t> indices; // of those that are no sharper than a star
    std::vector<std::size_t> narrow;
    std::size_t wideAmongBright = 0;
    for (std::size_t i = 0; i < detection.sources.size(); ++i) {
        const std::uint32_t flags = detection.sources[i].flags;
        if ((flags & detect::kSharp) != 0) {
            continue;
        }
        indices.push_back(i);
        if ((flags & detect::kExtended) == 0) {
            narrow.push_back(i);
        } else if (indices.size() <= kJudgedByWidth) {
            ++wideAmongBright;
        }
    }
    return 2 * wideAmongBright > std::min(kJudgedByWidth, indices.size()) ? indices : narrow;
}

Result<Solution> fitInSteps(const Detection& detection,
                            std::span<const std::size_t> sources,
                            std::span<const catalog::Star> field,
                            frame::Wcs wcs,
                            FrameSize size,
                            double radius) {
    Result<WcsFit> fit = fail(ErrorId::SolveNoMatch, "");
    std::vector<MatchedStar> matched;
    double covered = 0.0;
    double spacing = 1e3;
    for (const auto& [share, order] : kSteps) {
        const auto count =
            std::min(sources.size(),
                     std::max(static_cast<std::size_t>(share * static_cast<double>(sources.size())),
                              kLeastOfStep));
        const PlacedStars placed(field, wcs, size, kMargin);
        spacing = std::sqrt(size.width * static_cast<double>(size.height) /
                            static_cast<double>(std::max<std::size_t>(placed.count(), 1)));
        matched = pairUp(detection, sources.first(count), field, placed, radius);
        dropStrangers(detection, matched);
        fit =
            fitWcs(toPairs(detection, matched, wcs.scaleArcsec()), size.width, size.height, order);
        if (!fit) {
            return fail(
                ErrorId::SolveNoMatch,
                "A pattern was found, but too few stars agree with it. Check that the catalogue "
                "goes as deep as the frame.");
        }
        covered = coveredShare(matched, sources.first(count), field, placed, size);
        wcs = fit->wcs;
        const double rmsPixels = fit->rmsArcsec / wcs.scaleArcsec();
        radius = std::clamp(5.0 * rmsPixels, std::min({1.2, 0.3 * spacing, radius}), radius);
    }
    Solution solution;
    solution.covered = covered;
    solution.matched = std::move(matched);
    take(solution, *fit);
    return solution;
}

void complete(Solution& solution,
              const Detection& detection,
              std::span<const catalog::Star> field,
              FrameSize size) {
    findLightBeside(solution.matched,
                    field,
                    PlacedStars(field, solution.wcs, size, kMargin),
                    solution.wcs,
                    detection.spread.middle().fwhm());
    const bool isBlended = std::any_of(solution.matched.begin(),
                                       solution.matched.end(),
                                       [](const auto& match) { return match.pull > 0.0; });
    if (isBlended) {
        const auto pairs = toPairs(detection, solution.matched, solution.wcs.scaleArcsec());
        if (const auto fit = fitWcs(pairs, size.width, size.height, kSteps.back().order)) {
            take(solution, *fit);
        }
    }
    frame::addInverse(solution.wcs, size.width, size.height);
}

} // namespace pathmark::solve
