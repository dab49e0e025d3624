#include "core/picture/annotation.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

// What is drawn on pictures. Truth: the solution that places are put through, pixel by pixel, and lengths counted in pixels.
namespace pathmark::picture {
namespace {

ColourPicture darkPicture(int width, int height) {
    ColourPicture picture;
    for (auto& plane : picture.planes) {
        plane = frame::Image(width, height, 0.0F);
    }
    return picture;
}

/// North up, east to the left, two arcsec a pixel; or turned.
frame::Wcs solution(double turnDegrees = 0.0) {
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(80.0, -20.0);
    wcs.referencePixel = {200.0, 150.0};
    const double s = Angle::arcsec(2.0).radians();
    const double t = turnDegrees * kRadiansPerDegree;
    wcs.cd = {-s * std::cos(t), s * std::sin(t), s * std::sin(t), s * std::cos(t)};
    return wcs;
}

TEST(DrawingTest, TextStandsAboveItsPlace) {
    ColourPicture dark = darkPicture(40, 20);
    Drawing drawing(dark);
    drawing.write("1", {4.0, 5.0}, 1, {});
    const auto at = [&](int x, int y) { return dark.planes[1].at(x, y); };
    EXPECT_EQ(at(6, 5), 1.0F);  // the foot of a 1
    EXPECT_EQ(at(6, 11), 1.0F); // its head
    EXPECT_EQ(at(4, 8), 0.0F);
    EXPECT_EQ(at(6, 4), 0.0F);
    drawing.write("2031-01-02", {-50.0, 18.0}, 3, {}); // beyond the edge: cut, not lost
    EXPECT_EQ(Drawing::widthOf("10", 2), 22);
}

TEST(AnnotationTest, LengthsAreRound) {
    EXPECT_EQ(roundLength(7000.0).name, "1 DEG");
    EXPECT_EQ(roundLength(3599.0).name, "30'");
    EXPECT_EQ(roundLength(130.0).name, "2'");
    EXPECT_EQ(roundLength(59.9).name, "30\"");
    EXPECT_DOUBLE_EQ(roundLength(0.2).arcsec, 1.0);
}

/// A quarter of 400 pixels of 2" is 200": the bar is of 3', 90 pixels.
TEST(AnnotationTest, ABarIsAsLongAsItSays) {
    ColourPicture picture = darkPicture(400, 300);
    annotate(picture, {false, true, false, false}, {solution(), {}, {}, {}, 0.0});
    int longest = 0;
    for (int y = 0; y < 40; ++y) {
        int run = 0;
        for (int x = 0; x < 400; ++x) {
            run = picture.planes[0].at(x, y) > 0.3F ? run + 1 : 0;
            longest = std::max(longest, run);
        }
    }
    EXPECT_NEAR(longest, 91, 1);
}

/// Where the ink of a compass is, from the middle of its arms: towards north and east as the solution has them, and nowhere else.
TEST(AnnotationTest, ACompassPointsNorthAndEast) {
    for (const double turn : {0.0, 40.0, 180.0}) {
        const frame::Wcs wcs = solution(turn);
        ColourPicture picture = darkPicture(400, 300);
        annotate(picture, {false, false, true, false}, {wcs, {}, {}, {}, 0.0});
        const frame::PixelPos middle{400.0 - 38.0, 300.0 - 38.0};
        const SkyPos sky = wcs.toSky(middle);
        const auto north = *wcs.toPixel(offsetBy(sky, 0.0, 20.0));
        const auto east = *wcs.toPixel(offsetBy(sky, 20.0, 0.0));
        for (const auto& end : {north, east}) {
            const auto x = static_cast<int>(std::lround(end.x));
            const auto y = static_cast<int>(std::lround(end.y));
            float ink = 0.0F;
            for (int k = 0; k < 9; ++k) { // a slanting line of one pixel passes beside some
                ink = std::max(ink, picture.planes[0].at(x + k % 3 - 1, y + k / 3 - 1));
            }
            EXPECT_GT(ink, 0.3F) << turn;
            EXPECT_EQ(picture.planes[0].at(static_cast<int>(std::lround(2.0 * middle.x - end.x)),
                                           static_cast<int>(std::lround(2.0 * middle.y - end.y))),
                      0.0F)
                << turn;
        }
    }
}

TEST(AnnotationTest, ACaptionCoversNothing) {
    ColourPicture picture = darkPicture(400, 300);
    for (auto& plane : picture.planes) {
        std::fill(plane.pixels().begin(), plane.pixels().end(), 0.25F);
    }
    annotate(
        picture, {true, false, false, false}, {solution(), "A COMET, 2034-09-12", {}, {}, 0.0});
    const int strip = picture.height() - 300;
    EXPECT_GT(strip, 7);
    for (int y = strip; y < picture.height(); ++y) {
        for (int x = 0; x < 400; ++x) {
            ASSERT_EQ(picture.planes[2].at(x, y), 0.25F);
        }
    }
    int ink = 0;
    for (int x = 0; x < 400; ++x) {
        ink += picture.planes[2].at(x, strip / 2) > 0.5F ? 1 : 0;
    }
    EXPECT_GT(ink, 10);
    ColourPicture narrow = darkPicture(30, 20);
    annotate(narrow, {true, true, true, false}, {solution(), std::string(500, 'W'), {}, {}, 0.0});
    EXPECT_EQ(narrow.width(), 30) << "cut, not widened";
}

TEST(AnnotationTest, APathLeavesTheBodyFree) {
    ColourPicture picture = darkPicture(400, 300);
    const frame::Wcs wcs = solution();
    std::vector<SkyPos> path;
    for (int k = 0; k <= 10; ++k) {
        path.push_back(wcs.toSky({50.0 + 30.0 * k, 150.0}));
    }
    annotate(picture, {false, false, false, true}, {wcs, {}, path, {200.0, 150.0}, 0.0});
    EXPECT_GT(picture.planes[0].at(120, 150), 0.3F);
    EXPECT_GT(picture.planes[0].at(320, 150), 0.3F);
    for (int x = 192; x <= 208; ++x) {
        EXPECT_EQ(picture.planes[0].at(x, 150), 0.0F) << x;
    }
}

} // namespace
} // namespace pathmark::picture
