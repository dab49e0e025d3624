#include "core/night/uncatalogued.h"

#include <algorithm>
#include <cmath>
#include <iterator>

namespace pathmark::night {
namespace {

constexpr double kSureSnr = 10.0;

} // namespace

std::vector<SourceRecord> surelyUncatalogued(std::span<const SourceRecord> sources) {
    std::vector<SourceRecord> sure;
    std::ranges::copy_if(sources, std::back_inserter(sure), [](const SourceRecord& source) {
        return !source.isStar && source.snr > kSureSnr && (source.flags & detect::kSharp) == 0;
    });
    return sure;
}

void addUncatalogued(std::span<const SourceRecord> sources,
                     double itselfPixels,
                     const std::function<bool(const frame::PixelPos&)>& isOwn,
                     std::vector<measure::StarNearby>& neighbours) {
    const std::vector<measure::StarNearby> catalogued = neighbours;
    for (const SourceRecord& source : surelyUncatalogued(sources)) {
        const bool isKnown = std::ranges::any_of(catalogued, [&](const measure::StarNearby& star) {
            return std::hypot(star.pixel.x - source.pixel.x, star.pixel.y - source.pixel.y) <
                   itselfPixels;
        });
        if (!isKnown && !isOwn(source.pixel)) {
            neighbours.push_back(
                {source.pixel, source.flux, std::max(measure::kStarError, 1.0 / source.snr)});
        }
    }
}

} // namespace pathmark::night
