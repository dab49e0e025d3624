#include "core/night/shifted_sources.h"

#include "core/base/robust.h"

#include <algorithm>

namespace pathmark::night {
namespace {

constexpr double kNearDegrees = 0.5; ///< about the place that is asked for
constexpr double kLeastShiftedSnr = 8.0;

/// The source of a frame that stands where another one is, and how it differs; none where nothing is there.
const LightStar* standingAt(const MeasurableFile& file, const SkyPos& sky, double reachArcsec) {
    for (const auto& source : file.sources()) {
        if (separation(source.sky, sky).arcsec() < reachArcsec) {
            return &source;
        }
    }
    return nullptr;
}

bool shows(const MeasurableFile& file, const SkyPos& sky) {
    constexpr double margin = 5.0;
    const auto pixel = file.wcs().toPixel(sky);
    return pixel && pixel->x > margin && pixel->y > margin &&
           pixel->x < file.info().width - margin && pixel->y < file.info().height - margin;
}

} // namespace

Shifted
shiftedSources(const MeasurableFile& here, const MeasurableFile& there, const SkyPos& near) {
    Shifted found;
    std::vector<double> ratios;
    const double same = std::max(here.fwhmArcsec(), there.fwhmArcsec());
    for (const auto& source : here.sources()) {
        if (source.flux < kLeastShiftedSnr * source.error || !shows(there, source.sky) ||
            separation(source.sky, near).degrees() > kNearDegrees) {
            continue;
        }
        if (const auto* other = standingAt(there, source.sky, same)) {
            ratios.push_back(other->flux / source.flux);
        } else {
            found.sources.push_back(source);
        }
    }
    if (!ratios.empty()) {
        found.ratio = medianInPlace(std::span(ratios));
    }
    return found;
}

} // namespace pathmark::night
