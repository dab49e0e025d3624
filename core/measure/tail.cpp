#include "core/measure/tail.h"

#include "core/base/robust.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <vector>

namespace pathmark::measure {
namespace {

constexpr int kTailSectors = 72;
constexpr int kTailRings = 8;
constexpr int kHalfReach = 9; ///< sectors to either side that can be of one tail: 45 degrees
constexpr double kLeastSigma = 5.0;
constexpr double kFullCircle = 2.0 * std::numbers::pi;

/// What a sector has above the mean of its rings, and its error.
struct TailSector {
    double light = 0.0;
    double variance = 0.0;
};

std::array<TailSector, kTailSectors>
sectorsAbout(const frame::Image& light, frame::PixelPos nucleus, double extent, double noise) {
    const double inner = 0.3 * extent;
    std::vector<std::vector<double>> cells(static_cast<std::size_t>(kTailSectors * kTailRings));
    const int reach = static_cast<int>(std::ceil(extent));
    const int cx = static_cast<int>(std::lround(nucleus.x));
    const int cy = static_cast<int>(std::lround(nucleus.y));
    for (int y = std::max(0, cy - reach); y <= std::min(light.height() - 1, cy + reach); ++y) {
        for (int x = std::max(0, cx - reach); x <= std::min(light.width() - 1, cx + reach); ++x) {
            const double r = std::hypot(x - nucleus.x, y - nucleus.y);
            if (r < inner || r >= extent || !std::isfinite(light.at(x, y))) {
                continue;
            }
            const double angle = std::atan2(y - nucleus.y, x - nucleus.x);
            const int sector =
                static_cast<int>((angle / kFullCircle + 1.0) * kTailSectors) % kTailSectors;
            const int ring = static_cast<int>((r - inner) / (extent - inner) * kTailRings);
            cells[static_cast<std::size_t>(ring * kTailSectors + sector)].push_back(
                static_cast<double>(light.at(x, y)));
        }
    }
    std::array<TailSector, kTailSectors> sectors{};
    for (int ring = 0; ring < kTailRings; ++ring) {
        std::vector<double> medians;
        std::array<double, kTailSectors> levels{};
        std::array<double, kTailSectors> counts{};
        for (int s = 0; s < kTailSectors; ++s) {
            auto& cell = cells[static_cast<std::size_t>(ring * kTailSectors + s)];
            const auto i = static_cast<std::size_t>(s);
            counts[i] = static_cast<double>(cell.size());
            if (!cell.empty()) {
                levels[i] = medianInPlace(std::span(cell));
                medians.push_back(levels[i]);
            }
        }
        if (medians.empty()) {
            continue;
        }
        const double whole = medianInPlace(std::span(medians));
        for (std::size_t i = 0; i < kTailSectors; ++i) {
            if (counts[i] > 0.0) {
                sectors[i].light += counts[i] * (levels[i] - whole);
                // The error of a median is 1.25 times that of a mean.
                sectors[i].variance +=
                    counts[i] * 1.57 * (noise * noise + std::max(0.0, levels[i]));
            }
        }
    }
    return sectors;
}

} // namespace

std::optional<TailDirection>
tailDirection(const frame::Image& light, frame::PixelPos nucleus, double extent, double noise) {
    const auto sectors = sectorsAbout(light, nucleus, extent, noise);
    const auto at = [&](int s) -> const TailSector& {
        return sectors[static_cast<std::size_t>((s + kTailSectors) % kTailSectors)];
    };
    // Over five sectors: a star in one of them is no tail.
    int best = 0;
    double most = 0.0;
    double sigma = 1.0;
    for (int s = 0; s < kTailSectors; ++s) {
        double sum = 0.0;
        double variance = 0.0;
        for (int k = -2; k <= 2; ++k) {
            sum += at(s + k).light;
            variance += at(s + k).variance;
        }
        if (sum > most) {
            most = sum;
            best = s;
            sigma = std::sqrt(variance);
        }
    }
    if (!(most > kLeastSigma * sigma)) {
        return std::nullopt;
    }
    double sum = 0.0;
    double first = 0.0;
    double second = 0.0;
    double variance = 0.0;
    for (int k = -kHalfReach; k <= kHalfReach; ++k) {
        const TailSector& sector = at(best + k);
        if (sector.light > 2.0 * std::sqrt(sector.variance)) {
            sum += sector.light;
            first += k * sector.light;
            second += static_cast<double>(k * k) * sector.light;
            variance += static_cast<double>(k * k) * sector.variance;
        }
    }
    if (!(sum > 0.0)) {
        return std::nullopt;
    }
    const double step = kFullCircle / kTailSectors;
    const double mean = first / sum;
    // By noise, and no better than the tail's own width among its sectors lets it be known.
    const double width = std::sqrt(std::max(0.0, second / sum - mean * mean));
    return TailDirection{(best + 0.5 + mean) * step,
                         step * std::hypot(std::sqrt(variance) / sum, 0.1 * width, 0.1)};
}

void leaveOutStars(const Picture& picture, std::span<const StarNearby> stars, frame::Image& light) {
    const detect::PointSpread spread(picture.shape, picture.starTrailX, picture.starTrailY);
    for (const StarNearby& star : stars) {
        const double reach = star.flux ? spread.lightRadius(*star.flux, 0.5 * picture.noise) : 0.0;
        if (!(reach > spread.trailHalf())) {
            continue;
        }
        const int x0 = static_cast<int>(std::lround(star.pixel.x));
        const int y0 = static_cast<int>(std::lround(star.pixel.y));
        const int far = static_cast<int>(std::ceil(reach));
        for (int y = y0 - far; y <= y0 + far; ++y) {
            for (int x = x0 - far; x <= x0 + far; ++x) {
                if (light.contains(x, y) &&
                    std::hypot(x - star.pixel.x, y - star.pixel.y) <= reach) {
                    light.at(x, y) = frame::kNoValue;
                }
            }
        }
    }
}

} // namespace pathmark::measure
