#include "core/measure/ring_profile.h"

#include "core/base/robust.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <span>
#include <utility>

namespace pathmark::measure {
namespace {

constexpr std::size_t kSectors = 12;

// Rings are two pixels wide near the centre and a twentieth of their radius far out.
double placeOf(double distance) {
    return 20.0 * std::log1p(distance / 40.0);
}

double edgeOf(double place) {
    return 40.0 * std::expm1(place / 20.0);
}

int ringAt(double distance) {
    return static_cast<int>(placeOf(distance));
}

} // namespace

RingProfile::RingProfile(const Picture& picture,
                         const frame::Image& light,
                         frame::PixelPos centre,
                         double reach)
    : reach_(reach), rings_(static_cast<std::size_t>(ringAt(reach)) + 1) {
    std::vector<std::vector<float>> values(rings_.size());
    std::vector<std::vector<std::vector<float>>> sectors(rings_.size(),
                                                         std::vector<std::vector<float>>(kSectors));
    const int half = static_cast<int>(std::ceil(reach));
    const int cx = static_cast<int>(std::lround(centre.x));
    const int cy = static_cast<int>(std::lround(centre.y));
    for (int y = cy - half; y <= cy + half; ++y) {
        for (int x = cx - half; x <= cx + half; ++x) {
            const double distance = std::hypot(x - centre.x, y - centre.y);
            if (distance > reach || !light.contains(x, y) || !std::isfinite(light.at(x, y))) {
                continue;
            }
            const auto ring = static_cast<std::size_t>(ringAt(distance));
            const double turn =
                std::atan2(y - centre.y, x - centre.x) / (2.0 * std::numbers::pi) + 0.5;
            const auto sector = std::min<std::size_t>(
                kSectors - 1, static_cast<std::size_t>(turn * static_cast<double>(kSectors)));
            const auto value =
                static_cast<float>(static_cast<double>(light.at(x, y)) / responseAt(picture, x, y));
            values[ring].push_back(value);
            sectors[ring][sector].push_back(value);
        }
    }
    for (std::size_t k = 0; k < rings_.size(); ++k) {
        if (!values[k].empty()) {
            rings_[k].mean = clippedMoments(values[k], 2.5).centre;
        }
        for (std::size_t turn = 0; turn < kSectors; ++turn) {
            auto& sector = sectors[k][turn];
            if (sector.size() >= 8) {
                const double median = medianInPlace(std::span(sector));
                rings_[k].sectors.push_back({turn, median, static_cast<double>(sector.size())});
            }
        }
    }
}

double RingProfile::at(double distance) const {
    const double place = placeOf(distance) - 0.5;
    const auto first = static_cast<std::size_t>(std::max(0.0, place));
    if (first + 1 >= rings_.size()) {
        return rings_.back().mean;
    }
    const double t = std::clamp(place - static_cast<double>(first), 0.0, 1.0);
    return (1.0 - t) * rings_[first].mean + t * rings_[first + 1].mean;
}

RingProfile::Level RingProfile::rimLevel(double from) const {
    std::array<double, kSectors> sums{};
    std::array<double, kSectors> counts{};
    for (std::size_t k = static_cast<std::size_t>(ringAt(from)) + 1; k < rings_.size(); ++k) {
        for (const Sector& sector : rings_[k].sectors) {
            sums[sector.turn] += sector.pixels * sector.median;
            counts[sector.turn] += sector.pixels;
        }
    }
    std::vector<double> levels;
    for (std::size_t turn = 0; turn < kSectors; ++turn) {
        if (counts[turn] > 0.0) {
            levels.push_back(sums[turn] / counts[turn]);
        }
    }
    if (levels.size() < 3) {
        return {};
    }
    const double count = static_cast<double>(levels.size());
    const RobustMoments all = medianAndDeviation(std::move(levels));
    // A median of n is as sure as a mean of 2 n / pi.
    return {all.centre, 1.2533 * all.sigma / std::sqrt(count)};
}

double RingProfile::extent(double noise) const {
    std::size_t last = 0;
    for (std::size_t k = 0; k < rings_.size() && k <= last + 2; ++k) {
        const bool stands = std::any_of(
            rings_[k].sectors.begin(), rings_[k].sectors.end(), [&](const auto& sector) {
                const double sigma =
                    std::hypot(1.25 / std::sqrt(sector.pixels), 2.0 * kSkyDoubt) * noise;
                return sector.median > 4.0 * sigma;
            });
        // Near the centre a sector has hardly a pixel.
        const bool isSmall = rings_[k].sectors.empty() && rings_[k].mean > 3.0 * noise;
        last = stands || isSmall ? k : last;
    }
    return std::min(reach_, edgeOf(static_cast<double>(last) + 1.0));
}

} // namespace pathmark::measure
