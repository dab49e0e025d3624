#include "core/stack/canvas.h"

#include "tests/support/moving_frames.h"

#include <gtest/gtest.h>

namespace pathmark::stack {
namespace {

using test_support::turnedWcs;

const SkyPos kMiddle = skyDegrees(100.0, 30.0);

FrameOutline frameAt(double turn, double x, double y) {
    return {{turnedWcs(turn, {x, y}), {}}, 200, 100};
}

bool isOn(const PixelGrid& grid, const SkyPos& sky) {
    const auto p = grid.wcs.toPixel(sky);
    return p && p->x >= -0.51 && p->y >= -0.51 && p->x <= grid.width - 0.49 &&
           p->y <= grid.height - 0.49;
}

/// Truth: the corners of the frames themselves through their own solutions.
TEST(CanvasTest, UnionHoldsEveryCornerAndCommonLiesOnEveryFrame) {
    const std::vector<FrameOutline> frames{
        frameAt(0.0, 100.0, 50.0), frameAt(12.0, 130.0, 40.0), frameAt(183.0, 90.0, 61.0)};
    const auto all = canvasFor(frames, kMiddle, {});
    ASSERT_TRUE(all);
    CanvasChoice choice;
    choice.extent = CanvasExtent::Common;
    const auto common = canvasFor(frames, kMiddle, choice);
    ASSERT_TRUE(common);
    EXPECT_GT(common->width, 60);
    EXPECT_GT(common->height, 30);
    for (const auto& frame : frames) {
        for (const double x : {0.0, 199.0}) {
            for (const double y : {0.0, 99.0}) {
                EXPECT_TRUE(isOn(*all, frame.place.wcs.toSky({x, y})));
            }
        }
        for (const double x : {0.5, common->width - 1.5}) {
            for (const double y : {0.5, common->height - 1.5}) {
                const auto p = frame.place.wcs.toPixel(common->wcs.toSky({x, y}));
                ASSERT_TRUE(p);
                EXPECT_GT(p->x, -0.6);
                EXPECT_GT(p->y, -0.6);
                EXPECT_LT(p->x, 199.6);
                EXPECT_LT(p->y, 99.6);
            }
        }
    }
}

TEST(CanvasTest, OneFrameIsItsOwnCanvas) {
    const std::vector<FrameOutline> frames{frameAt(37.0, 99.5, 49.5)};
    for (const auto extent : {CanvasExtent::Union, CanvasExtent::Common}) {
        CanvasChoice choice;
        choice.extent = extent;
        const auto grid = canvasFor(frames, kMiddle, choice);
        ASSERT_TRUE(grid);
        EXPECT_NEAR(grid->width, 200, 1);
        EXPECT_NEAR(grid->height, 100, 1);
    }
}

TEST(CanvasTest, NorthIsUpAndEastToTheLeft) {
    const std::vector<FrameOutline> frames{frameAt(70.0, 99.5, 49.5)};
    CanvasChoice choice;
    choice.northUp = true;
    choice.scale = 0.5;
    const auto grid = canvasFor(frames, kMiddle, choice);
    ASSERT_TRUE(grid);
    EXPECT_NEAR(grid->wcs.scaleArcsec(), 0.5, 1e-9);
    const auto at = *grid->wcs.toPixel(kMiddle);
    const auto north = *grid->wcs.toPixel(offsetBy(kMiddle, 0.0, 10.0));
    const auto east = *grid->wcs.toPixel(offsetBy(kMiddle, 10.0, 0.0));
    EXPECT_NEAR(north.y - at.y, 20.0, 1e-6);
    EXPECT_NEAR(north.x - at.x, 0.0, 1e-6);
    EXPECT_NEAR(east.x - at.x, -20.0, 1e-6);
}

/// A target that moves carries the frames with it: what it has moved is taken off their corners.
TEST(CanvasTest, OnABodyTheFramesMove) {
    std::vector<FrameOutline> frames{frameAt(0.0, 99.5, 49.5), frameAt(0.0, 99.5, 49.5)};
    frames[1].place.shift = {Angle::arcsec(-30.0).radians(), 0.0};
    const auto grid = canvasFor(frames, kMiddle, {});
    ASSERT_TRUE(grid);
    EXPECT_NEAR(grid->width, 230, 1);
    EXPECT_NEAR(grid->height, 100, 1);
}

TEST(CanvasTest, WhatCannotBeIsSaid) {
    const std::vector<FrameOutline> apart{frameAt(0.0, 99.5, 49.5), frameAt(0.0, 999.5, 49.5)};
    CanvasChoice common;
    common.extent = CanvasExtent::Common;
    EXPECT_EQ(canvasFor(apart, kMiddle, common).error().id, ErrorId::StackNoCanvas);
    CanvasChoice beside;
    beside.crop = Crop{skyDegrees(100.0, 31.0), Angle::arcsec(60.0), Angle::arcsec(60.0)};
    EXPECT_EQ(canvasFor(apart, kMiddle, beside).error().id, ErrorId::StackNoCanvas);
    CanvasChoice fine;
    fine.scale = 1e-4;
    EXPECT_EQ(canvasFor(apart, kMiddle, fine).error().id, ErrorId::StackNoCanvas);
    fine.scale = 0.0;
    EXPECT_EQ(canvasFor(apart, kMiddle, fine).error().id, ErrorId::StackNoCanvas);
    EXPECT_EQ(canvasFor({}, kMiddle, {}).error().id, ErrorId::StackNoFrames);
}

TEST(CanvasTest, ACropHasTheSizeAskedFor) {
    const std::vector<FrameOutline> frames{frameAt(20.0, 99.5, 49.5)};
    CanvasChoice choice;
    choice.crop = Crop{offsetBy(kMiddle, 20.0, 5.0), Angle::arcsec(61.0), Angle::arcsec(31.0)};
    const auto grid = canvasFor(frames, kMiddle, choice);
    ASSERT_TRUE(grid);
    EXPECT_EQ(grid->width, 61);
    EXPECT_EQ(grid->height, 31);
    const auto centre = *grid->wcs.toPixel(choice.crop->centre);
    EXPECT_NEAR(centre.x, 0.5 * (grid->width - 1), 0.51);
    EXPECT_NEAR(centre.y, 0.5 * (grid->height - 1), 0.51);
}

TEST(CanvasTest, IsCutToAShapeAboutItsMiddle) {
    const frame::Wcs wcs = test_support::turnedWcs(0.0, {150.0, 100.0});
    const std::vector<FrameOutline> frames{{{wcs, {}}, 301, 201}};
    CanvasChoice choice;
    const auto whole = canvasFor(frames, wcs.referenceSky, choice);
    ASSERT_TRUE(whole);
    const SkyPos middle = whole->wcs.toSky({0.5 * (whole->width - 1), 0.5 * (whole->height - 1)});
    for (const double shape : {1.0, 4.0 / 3.0, 16.0 / 9.0}) {
        choice.shape = shape;
        const auto cut = canvasFor(frames, wcs.referenceSky, choice);
        ASSERT_TRUE(cut);
        EXPECT_NEAR(static_cast<double>(cut->width) / cut->height, shape, 0.01);
        EXPECT_TRUE(cut->width == whole->width || cut->height == whole->height);
        const SkyPos own = cut->wcs.toSky({0.5 * (cut->width - 1), 0.5 * (cut->height - 1)});
        EXPECT_LT(separation(own, middle).arcsec(), 0.8) << "within a pixel";
    }
}

} // namespace
} // namespace pathmark::stack
