#include "core/sweep/motion_zones.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace pathmark::sweep {
namespace {

constexpr double kNoTrail = 1.0;      ///< widths of a star that a trail may have and be none
constexpr double kTrailGrowth = 1.25; ///< of the longest in a zone over the shortest
constexpr double kTrailAside = 0.3; ///< widths by which ends of trails in a zone are apart at most
constexpr double kLeastWay = 1.5;   ///< widths that a body goes from first frame to last
constexpr double kTwoPi = 2.0 * std::numbers::pi;

/// A ring of speeds and a sector of directions in the plane of velocities.
struct Cell {
    double least = 0.0; ///< pixels
    double most = 0.0;
    double middle = 0.0; ///< direction, from x to y
    double half = std::numbers::pi;

    [[nodiscard]] bool contains(const Velocity& v, double speedBeside, double angleBeside) const {
        const double speed = std::hypot(v.x, v.y);
        if (speed < least - speedBeside || speed > most + speedBeside) {
            return false;
        }
        return half >= std::numbers::pi || std::abs(std::remainder(std::atan2(v.y, v.x) - middle,
                                                                   kTwoPi)) <= half + angleBeside;
    }
};

struct Steps {
    double along = 1.0;
    double across = 1.0;
};

/// What the lattice of one cell is made from.
struct Lattice {
    const MotionBounds& bounds;
    const MotionScale& scale;

    /// Whether a point of the lattice is nearest to any motion that counts.
    [[nodiscard]] bool wants(const Cell& cell, const Steps& steps, const Velocity& v) const {
        const double beside = 0.5 * steps.along;
        const double aside = 0.5 * steps.across / std::max(std::hypot(v.x, v.y), 0.5);
        return cell.contains(v, beside, aside) &&
               bounds.contains(scale.rate(v), scale.angle(v), beside / scale.pixelsOfOne(), aside);
    }

    [[nodiscard]] MotionZone zone(const Cell& cell, const Steps& steps, bool isTrailed) const {
        MotionZone zone;
        const double direction = isTrailed ? cell.middle : 0.0;
        zone.alongStep = {steps.along * std::cos(direction), steps.along * std::sin(direction)};
        zone.acrossStep = {-steps.across * std::sin(direction), steps.across * std::cos(direction)};
        const double nearest = isTrailed ? cell.least * std::cos(cell.half) : -cell.most;
        const double aside = isTrailed ? cell.most * std::sin(cell.half) : cell.most;
        zone.firstI = static_cast<int>(std::floor(nearest / steps.along - 0.5));
        zone.columns = static_cast<int>(std::ceil(cell.most / steps.along + 0.5)) - zone.firstI + 1;
        zone.firstJ = static_cast<int>(std::floor(-aside / steps.across - 0.5));
        zone.rows = static_cast<int>(std::ceil(aside / steps.across + 0.5)) - zone.firstJ + 1;
        for (int j = 0; j < zone.rows; ++j) {
            for (int i = 0; i < zone.columns; ++i) {
                const bool isWanted = wants(cell, steps, zone.at(i, j));
                zone.wanted.push_back(isWanted ? 1 : 0);
                zone.count += isWanted ? 1 : 0;
            }
        }
        if (isTrailed) {
            const double speed = 0.5 * (cell.least + cell.most);
            zone.trail = {speed * std::cos(direction), speed * std::sin(direction)};
        }
        return zone;
    }
};

double longestExposure(const LightMaps& maps) {
    double longest = 0.0;
    for (const SweepFrame& frame : maps.frames()) {
        longest = std::max(longest, frame.exposureSeconds);
    }
    return longest;
}

} // namespace

bool MotionBounds::contains(double rate, Angle angle, double rateBeside, double angleBeside) const {
    if (rate < leastRate - rateBeside || rate > mostRate + rateBeside) {
        return false;
    }
    if (!from || !to) {
        return true;
    }
    const double turn = normalised(*to - *from).radians();
    const double half = 0.5 * (turn == 0.0 ? kTwoPi : turn);
    return std::abs(std::remainder((angle - *from).radians() - half, kTwoPi)) <= half + angleBeside;
}

MotionScale::MotionScale(const LightMaps& maps) {
    const frame::Wcs& wcs = maps.grid().wcs;
    arcsecPerMin_ = wcs.scaleArcsec() / (maps.unitSeconds() / 60.0);
    const double pixel = wcs.scaleArcsec() * kRadiansPerArcsec;
    for (std::size_t k = 0; k < 4; ++k) {
        toSky_[k] = wcs.cd[k] / pixel;
    }
}

/// The matrix is orthogonal: a field has no distortion and square pixels.
Velocity MotionScale::toField(double rate, Angle angle) const {
    const double east = rate * std::sin(angle.radians()) / arcsecPerMin_;
    const double north = rate * std::cos(angle.radians()) / arcsecPerMin_;
    return {toSky_[0] * east + toSky_[2] * north, toSky_[1] * east + toSky_[3] * north};
}

double MotionScale::rate(const Velocity& v) const {
    return std::hypot(v.x, v.y) * arcsecPerMin_;
}

Angle MotionScale::angle(const Velocity& v) const {
    const double east = toSky_[0] * v.x + toSky_[1] * v.y;
    const double north = toSky_[2] * v.x + toSky_[3] * v.y;
    return normalised(Angle::radians(std::atan2(east, north)));
}

double meanWidth(const LightMaps& maps) {
    double sum = 0.0;
    for (std::size_t i = 0; i < maps.frames().size(); ++i) {
        sum += maps.map(i).share * maps.map(i).fwhm;
    }
    return sum;
}

double leastRate(const LightMaps& maps) {
    return 0.5 * kLeastWay * meanWidth(maps) / MotionScale(maps).pixelsOfOne();
}

double mostMotions(const MotionBounds& bounds, const LightMaps& maps, const TrailForm& form) {
    const MotionScale scale(maps);
    const double step = form.step(maps.times(), 0.0, 0.5 * kMotionLoss);
    const double fastest = bounds.mostRate * scale.pixelsOfOne() / step;
    const double slowest = bounds.leastRate * scale.pixelsOfOne() / step;
    double turn = kTwoPi;
    if (bounds.from && bounds.to && normalised(*bounds.to - *bounds.from).radians() > 0.0) {
        turn = normalised(*bounds.to - *bounds.from).radians();
    }
    return 0.5 * turn * (fastest * fastest - slowest * slowest);
}

std::vector<MotionZone>
motionZones(const MotionBounds& bounds, const LightMaps& maps, const TrailForm& form) {
    const MotionScale scale(maps);
    const Lattice lattice{bounds, scale};
    const double fastest = bounds.mostRate * scale.pixelsOfOne();
    const double trailOfOne = longestExposure(maps) / maps.unitSeconds(); ///< pixels of trail
    const double width = form.fwhm();
    const double across = form.step(maps.times(), 0.0, 0.5 * kMotionLoss);
    std::vector<MotionZone> zones;
    const double untrailed = trailOfOne > 0.0 ? kNoTrail * width / trailOfOne : fastest;
    zones.push_back(lattice.zone({0.0, std::min(untrailed, fastest)}, {across, across}, false));
    double shortest = kNoTrail * width;
    while (shortest / trailOfOne < fastest && trailOfOne > 0.0) {
        const double longest = std::max(shortest + width, kTrailGrowth * shortest);
        const double half = 2.0 * kTrailAside * width / longest;
        const int sectors = 2 * static_cast<int>(std::ceil(0.5 * std::numbers::pi / half));
        const double along = form.step(maps.times(), 0.5 * (shortest + longest), 0.5 * kMotionLoss);
        for (int k = 0; k < sectors; ++k) {
            const Cell cell{shortest / trailOfOne,
                            std::min(longest / trailOfOne, fastest),
                            kTwoPi * k / sectors,
                            std::numbers::pi / sectors};
            zones.push_back(lattice.zone(cell, {along, across}, true));
        }
        shortest = longest;
    }
    std::erase_if(zones, [](const MotionZone& zone) { return zone.count == 0; });
    return zones;
}

} // namespace pathmark::sweep
