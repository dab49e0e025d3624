#include "core/detect/trail.h"

#include "core/base/robust.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <set>

namespace pathmark::detect {
namespace {

constexpr std::size_t kPatches = 60;
constexpr std::size_t kLargest = 20000; // pixels; larger ones are no stars

/// Light that hangs together, and its moments.
struct Patch {
    double x = 0.0;
    double y = 0.0;
    double light = 0.0;
    double xx = 0.0;
    double yy = 0.0;
    double xy = 0.0;
    bool usable = false;

    [[nodiscard]] double mean() const { return 0.5 * (xx + yy); }

    [[nodiscard]] double difference() const { return std::hypot(0.5 * (xx - yy), xy); }

    [[nodiscard]] double major() const { return mean() + difference(); }

    [[nodiscard]] double minor() const { return std::max(0.05, mean() - difference()); }

    /// Direction of the long axis, from -90 to 90 degrees.
    [[nodiscard]] double angle() const { return 0.5 * std::atan2(2.0 * xy, xx - yy); }
};

/// Fills outward from a pixel over what exceeds 3 sigma; marks what it takes.
Patch fill(const frame::Image& image,
           const Background& sky,
           int x,
           int y,
           std::set<std::pair<int, int>>& taken) {
    const float level = sky.level(x, y);
    const float limit = 3.0F * sky.noise(x, y);
    std::vector<std::pair<int, int>> open{{x, y}};
    Patch patch;
    bool touchesEdge = false;
    std::size_t size = 0;
    double sx = 0.0;
    double sy = 0.0;
    while (!open.empty() && size < kLargest) {
        const auto [px, py] = open.back();
        open.pop_back();
        if (!image.contains(px, py)) {
            touchesEdge = true;
            continue;
        }
        const float v = image.at(px, py) - level;
        if (!(v > limit) || !taken.insert({px, py}).second) {
            continue;
        }
        ++size;
        const auto light = static_cast<double>(v);
        const double dx = px - x;
        const double dy = py - y;
        patch.light += light;
        sx += light * dx;
        sy += light * dy;
        patch.xx += light * dx * dx;
        patch.yy += light * dy * dy;
        patch.xy += light * dx * dy;
        for (const auto& [i, j] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
            open.emplace_back(px + i, py + j);
        }
    }
    if (size < 6 || size >= kLargest || touchesEdge) {
        return patch;
    }
    const double mx = sx / patch.light;
    const double my = sy / patch.light;
    patch.xx = patch.xx / patch.light - mx * mx;
    patch.yy = patch.yy / patch.light - my * my;
    patch.xy = patch.xy / patch.light - mx * my;
    patch.x = x + mx;
    patch.y = y + my;
    patch.usable = true;
    return patch;
}

std::vector<Patch>
collect(const frame::Image& image, const Background& sky, std::span<const Peak> peaks) {
    std::set<std::pair<int, int>> taken;
    std::vector<Patch> patches;
    for (const Peak& peak : peaks) {
        if (patches.size() >= kPatches || peak.snr < 10.0F) {
            break;
        }
        if (taken.contains({peak.x, peak.y})) {
            continue;
        }
        const Patch patch = fill(image, sky, peak.x, peak.y, taken);
        if (patch.usable) {
            patches.push_back(patch);
        }
    }
    return patches;
}

double medianOf(const std::vector<Patch>& patches, double (Patch::*value)() const) {
    std::vector<double> values;
    values.reserve(patches.size());
    for (const Patch& patch : patches) {
        values.push_back((patch.*value)());
    }
    return medianInPlace(std::span(values));
}

} // namespace

std::optional<CommonTrail>
findCommonTrail(const frame::Image& image, const Background& sky, std::span<const Peak> peaks) {
    auto patches = collect(image, sky, peaks);
    if (patches.size() < 3) {
        return std::nullopt;
    }
    const double major = medianOf(patches, &Patch::major);
    const double minor = medianOf(patches, &Patch::minor);
    // Directions count twice their angle: those of a line have no arrow.
    double c = 0.0;
    double s = 0.0;
    for (const Patch& patch : patches) {
        c += std::cos(2.0 * patch.angle());
        s += std::sin(2.0 * patch.angle());
    }
    const double direction = 0.5 * std::atan2(s, c);
    const double limit = 10.0 * std::numbers::pi / 180.0;
    const auto agrees = [&](const Patch& patch) {
        return std::abs(std::remainder(patch.angle() - direction, std::numbers::pi)) < limit &&
               patch.major() < 4.0 * major;
    };
    const auto together = std::count_if(patches.begin(), patches.end(), agrees);
    if (std::sqrt(major / minor) < 1.8 || 2 * static_cast<std::size_t>(together) < patches.size() ||
        together < 3) {
        return std::nullopt;
    }
    std::erase_if(patches, [&](const Patch& patch) { return !agrees(patch); });
    CommonTrail trail;
    const double length = std::sqrt(12.0 * std::max(0.1, medianOf(patches, &Patch::major) - minor));
    trail.x = length * std::cos(direction);
    trail.y = length * std::sin(direction);
    trail.fwhm = 2.3548 * std::sqrt(minor);
    for (const Patch& patch : patches) {
        const int x = static_cast<int>(std::lround(patch.x));
        const int y = static_cast<int>(std::lround(patch.y));
        trail.middles.push_back(
            {x, y, static_cast<float>(patch.light / static_cast<double>(sky.noise(x, y)))});
    }
    return trail;
}

} // namespace pathmark::detect
