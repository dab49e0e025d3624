#include "core/solve/star_residuals.h"

#include "core/base/names.h"
#include "core/solve/fit_steps.h"

#include <algorithm>
#include <array>
#include <optional>
#include <unordered_map>

namespace pathmark::solve {
namespace {

using detect::Source;

constexpr std::array kStatusNames{
    std::pair{MatchStatus::Used, "used"},
    std::pair{MatchStatus::Rejected, "rejected"},
    std::pair{MatchStatus::Unclear, "unclear"},
    std::pair{MatchStatus::SourceOnly, "no star"},
    std::pair{MatchStatus::StarOnly, "no source"},
};

void setSource(StarResidual& star, const Source& source) {
    star.pixel = {source.x, source.y};
    star.snr = source.snr;
    star.flags = source.flags;
}

void setStar(StarResidual& accounted, const catalog::Star& star) {
    accounted.sky = star.place;
    accounted.magG = star.magG;
    accounted.colour = star.colour;
    accounted.sourceId = star.sourceId;
}

/// The source of a placed star, if it has one.
struct Pairing {
    std::optional<std::size_t> source;
    MatchStatus status = MatchStatus::StarOnly;
    double pull = 0.0; ///< see MatchedStar
};

StarResidual pairedStar(const Source& source,
                        const catalog::Star& star,
                        const Pairing& pairing,
                        const frame::Wcs& wcs) {
    StarResidual result;
    result.status = pairing.status;
    setSource(result, source);
    setStar(result, star);
    result.sigmaArcsec =
        std::hypot(pairError(source, star, wcs.scaleArcsec()), pairing.pull) * wcs.scaleArcsec();
    if (const auto place = wcs.toPixel(star.place)) {
        result.dxPixels = source.x - place->x;
        result.dyPixels = source.y - place->y;
    }
    const PlanePos off = toTangentPlane(star.place, wcs.toSky(result.pixel));
    result.raArcsec = off.xi / kRadiansPerArcsec;
    result.decArcsec = off.eta / kRadiansPerArcsec;
    return result;
}

/// The pairs of the solution, and those that lie together without being clear, the brightest sources first.
std::vector<Pairing> pairAll(const detect::Detection& detection,
                             const Solution& solution,
                             std::span<const catalog::Star> field,
                             const PlacedStars& placed) {
    std::unordered_map<std::int64_t, const MatchedStar*> byStar;
    std::vector<bool> taken(detection.sources.size(), false);
    for (const MatchedStar& match : solution.matched) {
        byStar[match.star.sourceId] = &match;
        taken[match.source] = true;
    }
    std::vector<Pairing> pairs(placed.count());
    for (std::size_t i = 0; i < placed.count(); ++i) {
        const auto match = byStar.find(field[placed.star(i)].sourceId);
        if (match != byStar.end()) {
            pairs[i] = {match->second->source,
                        match->second->usedInFit ? MatchStatus::Used : MatchStatus::Rejected,
                        match->second->pull};
        }
    }
    const double reach = std::max(2.0, detection.fwhm);
    for (std::size_t i = 0; i < taken.size(); ++i) {
        std::optional<std::size_t> nearest;
        double least = reach * reach;
        const Source& source = detection.sources[i];
        placed.forNear({source.x, source.y}, reach, [&](std::size_t star, double square) {
            if (!taken[i] && !pairs[star].source && square < least) {
                least = square;
                nearest = star;
            }
        });
        if (nearest) {
            pairs[*nearest] = {i, MatchStatus::Unclear, 0.0};
        }
    }
    return pairs;
}

} // namespace

const char* name(MatchStatus status) {
    return nameIn(kStatusNames, status);
}

std::vector<StarResidual> starResiduals(const detect::Detection& detection,
                                        const Solution& solution,
                                        std::span<const catalog::Star> field,
                                        FrameSize size) {
    const PlacedStars placed(field, solution.wcs, size, 0.0);
    const std::vector<Pairing> pairs = pairAll(detection, solution, field, placed);
    std::vector<bool> paired(detection.sources.size(), false);
    std::vector<StarResidual> stars;
    for (std::size_t i = 0; i < placed.count(); ++i) {
        const catalog::Star& star = field[placed.star(i)];
        if (pairs[i].source) {
            paired[*pairs[i].source] = true;
            stars.push_back(
                pairedStar(detection.sources[*pairs[i].source], star, pairs[i], solution.wcs));
            continue;
        }
        StarResidual alone;
        alone.status = MatchStatus::StarOnly;
        alone.pixel = placed.place(i);
        setStar(alone, star);
        stars.push_back(alone);
    }
    for (std::size_t i = 0; i < detection.sources.size(); ++i) {
        if (!paired[i]) {
            StarResidual alone;
            alone.status = MatchStatus::SourceOnly;
            setSource(alone, detection.sources[i]);
            alone.sky = solution.wcs.toSky(alone.pixel);
            stars.push_back(alone);
        }
    }
    return stars;
}

double matchedDepth(const Solution& solution) {
    std::vector<double> magnitudes;
    for (const MatchedStar& match : solution.matched) {
        magnitudes.push_back(match.star.magG);
    }
    if (magnitudes.empty()) {
        return 0.0;
    }
    const auto at = magnitudes.begin() +
                    static_cast<std::ptrdiff_t>(0.9 * static_cast<double>(magnitudes.size() - 1));
    std::nth_element(magnitudes.begin(), at, magnitudes.end());
    return *at;
}

} // namespace pathmark::solve
