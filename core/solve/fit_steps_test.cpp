#include "core/solve/fit_steps.h"

#include "core/frame/wcs_polynomial.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>
#include <random>

namespace pathmark::solve {
namespace {

/// A frame's sources, the brightest first: so many of each kind.
detect::Detection detectionOf(int wide, int sharp, int stars) {
    detect::Detection detection{detect::Background(frame::Image(64, 64, 100.0F)),
                                detect::PointSpreadField(detect::FieldShape{}),
                                {}};
    const auto add = [&](int count, std::uint32_t flags) {
        for (int i = 0; i < count; ++i) {
            detect::Source source;
            source.flags = flags;
            detection.sources.push_back(source);
        }
    };
    add(wide, detect::kExtended);
    add(sharp, detect::kSharp);
    add(stars, 0);
    return detection;
}

TEST(StarlikeTest, WhatIsSharperOrWiderThanAStarIsNone) {
    EXPECT_EQ(starlike(detectionOf(20, 30, 100)).size(), 100U);
    EXPECT_EQ(starlike(detectionOf(20, 30, 100)).front(), 50U);
    EXPECT_EQ(starlike(detectionOf(0, 500, 5)).size(), 5U) << "hot pixels are never stars";
}

/// Trails of a pixel or two on coarse pixels: the brightest stars all look wider than the shape that was learned.
TEST(StarlikeTest, WhereMostBrightOnesAreWideTheyAreTheStars) {
    EXPECT_EQ(starlike(detectionOf(45, 10, 900)).size(), 945U);
    EXPECT_EQ(starlike(detectionOf(45, 10, 900)).front(), 0U);
    EXPECT_EQ(starlike(detectionOf(28, 0, 900)).size(), 900U);
}

constexpr FrameSize kFrame{400, 380};

/// One arcsecond a pixel, north up, bent by a lens: where every source truly is.
frame::Wcs truth() {
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(60.0, 12.0);
    wcs.referencePixel = kFrame.middle();
    const double s = Angle::arcsec(1.0).radians();
    wcs.cd = {-s, 0.0, 0.0, s};
    wcs.a = frame::SipPolynomial(3);
    wcs.b = frame::SipPolynomial(3);
    for (const auto& [p, q] : {std::pair{3, 0}, {1, 2}}) {
        wcs.a.setCoefficient(p, q, 1e-7);
        wcs.b.setCoefficient(q, p, 1e-7);
    }
    frame::addInverse(wcs, kFrame.width, kFrame.height);
    return wcs;
}

/// Nine bright stars and two hundred faint ones, each off by its error; stars are three pixels wide.
class BlendedStarTest : public testing::Test {
  protected:
    void SetUp() override {
        detection.sources.clear();
        for (int i = 0; i < 209; ++i) {
            const bool isBright = i < 9;
            const int row = i / 3;
            const double x = isBright ? 60.0 + 140.0 * (i % 3) : 400.0 * share(random);
            const double y = isBright ? 50.0 + 140.0 * row : 380.0 * share(random);
            add(x, y, isBright ? 13.0 : 17.0, isBright ? 0.006 : 0.15);
        }
    }

    void add(double x, double y, double magnitude, double error) {
        catalog::Star star;
        star.sourceId = static_cast<std::int64_t>(field.size()) + 1;
        star.place = truth().toSky({x, y});
        star.magG = magnitude;
        field.push_back(star);
        detect::Source source;
        source.x = x + error * normal(random);
        source.y = y + error * normal(random);
        source.xError = error;
        source.yError = error;
        source.flux = std::pow(10.0, 0.4 * (25.0 - magnitude));
        detection.sources.push_back(source);
    }

    /// How far the solution is off at a place, in errors that it states.
    [[nodiscard]] double offAt(double x, double y) const {
        std::vector<std::size_t> all(detection.sources.size());
        std::iota(all.begin(), all.end(), 0U);
        auto solution = fitInSteps(detection, all, field, truth(), kFrame, 5.0);
        EXPECT_TRUE(solution);
        complete(*solution, detection, field, kFrame);
        const auto at = solution->wcs.toPixel(truth().toSky({x, y}));
        return std::hypot(at->x - x, at->y - y) / solution->error.at({x, y});
    }

    std::mt19937 random{4};
    std::uniform_real_distribution<double> share{0.0, 1.0};
    std::normal_distribution<double> normal;
    detect::Detection detection{
        detect::Background(frame::Image(64, 64, 100.0F)),
        detect::PointSpreadField(
            {detect::MoffatForm::of(detect::Moffat::round(3.0, 3.0)), 0.0, 0.0, 1, 1, {}}),
        {},
        3.0,
        1.0};
    std::vector<catalog::Star> field;
};

/// A bright star draws the solution to itself by its weight before any clipping; one that the frame shows as one with its neighbour
/// is off by a part of the way to it.
TEST_F(BlendedStarTest, ABrightStarWithANeighbourBendsNothing) {
    EXPECT_LT(offAt(340.0, 330.0), 2.5) << "alone";
    detect::Source& corner = detection.sources[8];
    corner.x += 0.085;
    catalog::Star neighbour = field[8];
    neighbour.sourceId = 1000;
    neighbour.place = truth().toSky({342.5, 330.0});
    neighbour.magG += 2.3; // an eighth of the light
    field.push_back(neighbour);
    EXPECT_LT(offAt(340.0, 330.0), 2.5);
}

} // namespace
} // namespace pathmark::solve
