#include "core/solve/pair_up.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

namespace pathmark::solve {
namespace {

constexpr FrameSize kSize{200, 160};

/// One arcsecond a pixel about a place, north up.
frame::Wcs plainWcs() {
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(60.0, 12.0);
    wcs.referencePixel = kSize.middle();
    const double s = Angle::arcsec(1.0).radians();
    wcs.cd = {-s, 0.0, 0.0, s};
    return wcs;
}

class PairUpTest : public testing::Test {
  protected:
    void star(double x, double y, double magnitude) {
        catalog::Star star;
        star.place = plainWcs().toSky({x, y});
        star.magG = magnitude;
        star.sourceId = static_cast<std::int64_t>(field.size()) + 1;
        field.push_back(star);
    }

    void source(double x, double y) {
        detect::Source s;
        s.x = x;
        s.y = y;
        detection.sources.push_back(s);
    }

    [[nodiscard]] std::vector<MatchedStar> pairs(double radius) const {
        std::vector<std::size_t> all(detection.sources.size());
        std::iota(all.begin(), all.end(), 0U);
        const PlacedStars placed(field, plainWcs(), kSize, 20.0);
        auto found = pairUp(detection, all, field, placed, radius);
        findLightBeside(found, field, placed, plainWcs(), detection.spread.middle().fwhm());
        return found;
    }

    // Stars are four pixels wide.
    detect::Detection detection{
        detect::Background(frame::Image(64, 64, 100.0F)),
        detect::PointSpreadField(
            {detect::MoffatForm::of(detect::Moffat::round(4.0, 3.0)), 0.0, 0.0, 1, 1, {}}),
        {},
        4.0,
        1.0};
    std::vector<catalog::Star> field;
};

TEST_F(PairUpTest, EachSourceHasItsStarAndNoneHasTwo) {
    star(30.0, 40.0, 14.0);
    star(150.0, 90.0, 15.0);
    source(30.4, 40.2);
    source(150.3, 89.9);
    source(31.0, 41.0); // a second claim on the first star
    source(90.0, 20.0); // nothing there
    const auto found = pairs(3.0);
    ASSERT_EQ(found.size(), 2U);
    EXPECT_EQ(found[0].source, 0U);
    EXPECT_EQ(found[0].star.magG, 14.0);
    EXPECT_EQ(found[1].source, 1U);
}

TEST_F(PairUpTest, WhereTwoStarsAreAsNearNoneIsTaken) {
    star(60.0, 60.0, 14.0);
    star(63.0, 60.0, 14.5);
    source(61.4, 60.0);
    EXPECT_TRUE(pairs(4.0).empty());
    source(60.1, 60.0); // clearly nearer to one of them
    EXPECT_EQ(pairs(4.0).size(), 1U);
}

/// Truth: one magnitude is a factor of 10^0.4; stars within the four pixels that a star is wide count, those beyond do not.
TEST_F(PairUpTest, TheLightBesideAStarIsThatOfTheCatalogue) {
    star(60.0, 60.0, 14.0);
    star(63.0, 60.0, 15.0);
    star(60.0, 57.5, 16.5);
    star(66.0, 60.0, 10.0);
    source(60.0, 60.0);
    const auto found = pairs(1.0);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_NEAR(found[0].beside, std::pow(10.0, -0.4) + std::pow(10.0, -1.0), 1e-9);
    star(120.0, 60.0, 14.0);
    source(120.0, 60.0);
    EXPECT_EQ(pairs(1.0)[1].beside, 0.0);
    EXPECT_EQ(pairs(1.0)[1].pull, 0.0);
}

/// A neighbour that was found as a source of its own was fitted together with the star.
TEST_F(PairUpTest, OnlyANeighbourWithoutASourceMovesAStar) {
    star(60.0, 60.0, 14.0);
    star(63.0, 60.0, 15.0);
    source(60.0, 60.0);
    EXPECT_GT(pairs(1.0)[0].pull, 0.2);
    EXPECT_LT(pairs(1.0)[0].pull, 3.0 * std::pow(10.0, -0.4))
        << "no further than the middle of their light";
    source(63.1, 60.0);
    EXPECT_EQ(pairs(1.0)[0].pull, 0.0);
}

} // namespace
} // namespace pathmark::solve
