#include "core/solve/pair_up.h"

#include <algorithm>
#include <limits>
#include <optional>
#include <set>

namespace pathmark::solve {

PlacedStars::PlacedStars(std::span<const catalog::Star> field,
                         const frame::Wcs& wcs,
                         FrameSize size,
                         double margin) {
    for (std::size_t i = 0; i < field.size(); ++i) {
        const auto pixel = wcs.toPixel(field[i].place);
        if (pixel && pixel->x > -margin && pixel->y > -margin && pixel->x < size.width + margin &&
            pixel->y < size.height + margin) {
            places_.push_back(*pixel);
            stars_.push_back(i);
        }
    }
    constexpr double cell = 32.0;
    grid_.emplace(places_, cell, -margin, -margin, size.width + margin, size.height + margin);
}

std::vector<MatchedStar> pairUp(const detect::Detection& detection,
                                std::span<const std::size_t> sources,
                                std::span<const catalog::Star> field,
                                const PlacedStars& placed,
                                double radius) {
    std::vector<MatchedStar> matched;
    std::vector<bool> taken(placed.count(), false);
    for (const std::size_t source : sources) {
        const detect::Source& s = detection.sources[source];
        std::optional<std::size_t> best;
        double least = std::numeric_limits<double>::max();
        double second = std::numeric_limits<double>::max();
        placed.forNear({s.x, s.y}, radius, [&](std::size_t star, double square) {
            if (square < least) {
                second = least;
                least = square;
                best = star;
            } else {
                second = std::min(second, square);
            }
        });
        // Two stars within reach: not clear which one it is, unless one is much nearer.
        if (best && !taken[*best] && second > 4.0 * least) {
            taken[*best] = true;
            matched.push_back({source, field[placed.star(*best)], false});
        }
    }
    return matched;
}

void findLightBeside(std::span<MatchedStar> matched,
                     std::span<const catalog::Star> field,
                     const PlacedStars& placed,
                     const frame::Wcs& wcs,
                     double width) {
    constexpr double reach = 2.0; // widths
    std::set<std::int64_t> apart;
    for (const MatchedStar& match : matched) {
        apart.insert(match.star.sourceId);
    }
    for (MatchedStar& match : matched) {
        const auto at = wcs.toPixel(match.star.place);
        if (!at) {
            continue;
        }
        match.beside = 0.0;
        match.pull = 0.0;
        placed.forNear(*at, reach * width, [&](std::size_t near, double square) {
            const catalog::Star& other = field[placed.star(near)];
            if (other.sourceId == match.star.sourceId) {
                return;
            }
            const double light = std::pow(10.0, 0.4 * (match.star.magG - other.magG));
            if (square <= width * width) {
                match.beside += light;
            }
            if (!apart.contains(other.sourceId)) {
                match.pull += light * std::sqrt(square) * std::exp2(-square / (width * width));
            }
        });
    }
}

} // namespace pathmark::solve
