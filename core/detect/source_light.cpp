#include "core/detect/source_light.h"

#include <algorithm>
#include <cmath>

namespace pathmark::detect {

double seenRadius(const PointSpreadField& spread, double flux, double noise) {
    constexpr double unseen = 0.1; // of the noise: no edge to a filter
    constexpr double farthest = 60.0;
    return std::min(farthest, spread.middle().lightRadius(flux, unseen * noise));
}

SourceLight::SourceLight(const PointSpreadField& spread)
    : spread_(spread), patch_(spread.radius() - 2) {}

void SourceLight::add(const Source& source, int reach, int firstRow, frame::Image& rows) {
    const int cx = static_cast<int>(std::lround(source.x));
    const int cy = static_cast<int>(std::lround(source.y));
    const int inner = patch_.half;
    const int farthest = spread_.middle().trailHalf() > 1.0 ? inner : std::max(inner, reach);
    const Moffat& shape = spread_.middle().shape();
    const auto flux = static_cast<float>(source.flux);
    spread_.patch(source.x, source.y, cx, cy, patch_);
    for (int y = std::max(firstRow, cy - farthest);
         y <= std::min(firstRow + rows.height() - 1, cy + farthest);
         ++y) {
        const auto row = rows.row(y - firstRow);
        const bool crossesTable = std::abs(y - cy) <= inner;
        for (int x = std::max(0, cx - farthest); x <= std::min(rows.width() - 1, cx + farthest);
             ++x) {
            const bool isInner = crossesTable && std::abs(x - cx) <= inner;
            row[static_cast<std::size_t>(x)] +=
                isInner ? flux * patch_.value[patch_.index(x - cx, y - cy)]
                        : static_cast<float>(source.flux * shape.value(x - source.x, y - source.y));
        }
    }
}

} // namespace pathmark::detect
