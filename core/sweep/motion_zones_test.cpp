#include "core/sweep/motion_zones.h"

#include "tests/support/made_maps.h"

#include <gtest/gtest.h>

#include <numbers>

namespace pathmark::sweep {
namespace {

test_support::MadeField trailingField() {
    test_support::MadeField field;
    field.width = 64;
    field.height = 48;
    field.exposureSeconds = 240.0; // up to 3 widths of trail at 2"/min
    return field;
}

/// S/N kept where a body moves so and is added as a zone's nearest motion, but for its trail.
double
keptBy(const MotionZone& zone, const Velocity& v, const LightMaps& maps, const TrailForm& form) {
    double best = 0.0;
    for (int j = 0; j < zone.rows; ++j) {
        for (int i = 0; i < zone.columns; ++i) {
            if (!zone.isWanted(i, j)) {
                continue;
            }
            const Velocity w = zone.at(i, j);
            if (std::hypot(v.x - w.x, v.y - w.y) > 6.0) {
                continue;
            }
            const double length = std::hypot(zone.trail.x, zone.trail.y);
            const double share = maps.frames()[0].exposureSeconds / maps.unitSeconds();
            double kept = 0.0;
            for (const double t : maps.times()) {
                const double dx = (v.x - w.x) * t;
                const double dy = (v.y - w.y) * t;
                if (length == 0.0) {
                    kept += form.beside(std::hypot(dx, dy));
                } else {
                    const double along = (dx * zone.trail.x + dy * zone.trail.y) / length;
                    const double aside = (dy * zone.trail.x - dx * zone.trail.y) / length;
                    kept += form.along(share * length, along) * form.beside(aside);
                }
            }
            best = std::max(best, kept / static_cast<double>(maps.times().size()));
        }
    }
    return best;
}

/// Truth: the answer of the filter at the distance between both motions, frame by frame.
TEST(MotionZonesTest, NoMotionWithinBoundsLosesMoreThanStated) {
    const LightMaps maps = trailingField().maps();
    const TrailForm form(meanWidth(maps));
    MotionBounds bounds;
    bounds.leastRate = 0.3;
    bounds.mostRate = 2.0;
    const auto zones = motionZones(bounds, maps, form);
    const MotionScale scale(maps);
    test_support::Photons random(3);
    for (int k = 0; k < 300; ++k) {
        const double rate = 0.3 + 1.7 * random.uniform();
        const Velocity v =
            scale.toField(rate, Angle::radians(2.0 * std::numbers::pi * random.uniform()));
        double best = 0.0;
        for (const MotionZone& zone : zones) {
            best = std::max(best, keptBy(zone, v, maps, form));
        }
        EXPECT_GT(best, 1.0 - kMotionLoss - 0.005) << v.x << " " << v.y;
    }
}

TEST(MotionZonesTest, MotionsOnTheFieldAreThoseOnTheSky) {
    const test_support::MadeField field = trailingField();
    const LightMaps maps = field.maps();
    const MotionScale scale(maps);
    const Angle angle = Angle::degrees(250.0);
    const Velocity v = scale.toField(1.7, angle);
    EXPECT_NEAR(scale.rate(v), 1.7, 1e-9);
    EXPECT_NEAR(scale.angle(v).degrees(), 250.0, 1e-9);
    // Truth: the same motion over the sky by its own formula, half an hour on.
    const frame::PixelPos start{30.0, 20.0};
    const auto there = field.grid().wcs.toPixel(
        movedAlong(field.grid().wcs.toSky(start), 1.7, angle, 0.5 * field.kSeconds));
    ASSERT_TRUE(there);
    EXPECT_NEAR(there->x - start.x, v.x, 0.01);
    EXPECT_NEAR(there->y - start.y, v.y, 0.01);
}

TEST(MotionZonesTest, AnglesTurnThroughNorth) {
    MotionBounds bounds;
    bounds.from = Angle::degrees(350.0);
    bounds.to = Angle::degrees(20.0);
    EXPECT_TRUE(bounds.contains(1.0, Angle::degrees(5.0)));
    EXPECT_TRUE(bounds.contains(1.0, Angle::degrees(351.0)));
    EXPECT_FALSE(bounds.contains(1.0, Angle::degrees(30.0)));
    EXPECT_FALSE(bounds.contains(1.0, Angle::degrees(200.0)));
    EXPECT_FALSE(bounds.contains(11.0, Angle::degrees(5.0)));
}

/// However narrow the bounds are, they hold a motion.
TEST(MotionZonesTest, NarrowBoundsAreNotEmpty) {
    const LightMaps maps = trailingField().maps();
    MotionBounds bounds;
    bounds.leastRate = 1.5;
    bounds.mostRate = 1.5001;
    bounds.from = Angle::degrees(33.0);
    bounds.to = Angle::degrees(33.01);
    std::size_t count = 0;
    for (const auto& zone : motionZones(bounds, maps, TrailForm(meanWidth(maps)))) {
        count += zone.count;
    }
    EXPECT_GE(count, 1U);
    EXPECT_LT(count, 20U);
}

} // namespace
} // namespace pathmark::sweep
