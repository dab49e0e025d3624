#include "desk/sky/label_ground.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::desk {
namespace {

const QRectF kSeen(0.0, 0.0, 400.0, 300.0);
const QSizeF kSize(60.0, 14.0);

LabelGround dark() {
    return {kSeen, [](const QRectF&) { return 0.0; }};
}

TEST(LabelGroundTest, OnFreeGroundALabelStandsRightOfItsPlace) {
    LabelGround ground = dark();
    const QRectF box = ground.take({100.0, 100.0}, kSize);
    EXPECT_GT(box.left(), 100.0);
    EXPECT_LT(box.left(), 112.0);
    EXPECT_NEAR(box.center().y(), 100.0, 1e-9);
}

TEST(LabelGroundTest, LabelsOfOnePlaceDoNotLieOnEachOther) {
    LabelGround ground = dark();
    std::vector<QRectF> boxes;
    for (int i = 0; i < 12; ++i) {
        boxes.push_back(ground.take({200.0, 150.0}, kSize));
        for (int j = 0; j < i; ++j) {
            EXPECT_FALSE(boxes.back().intersects(boxes[static_cast<std::size_t>(j)]))
                << i << ", " << j;
        }
        EXPECT_TRUE(kSeen.contains(boxes.back()));
    }
}

TEST(LabelGroundTest, NoLabelLiesOnAPathOrLeavesTheView) {
    LabelGround ground = dark();
    const QLineF path(100.0, 103.0, 350.0, 103.0);
    ground.keepFree(path);
    const QRectF box = ground.take({100.0, 100.0}, kSize);
    EXPECT_FALSE(box.top() < 103.0 && box.bottom() > 103.0 && box.right() > 100.0);
    const QRectF corner = ground.take({395.0, 5.0}, kSize);
    EXPECT_TRUE(kSeen.contains(corner));
}

TEST(LabelGroundTest, ABrightStarIsNotCovered) {
    const QPointF star(130.0, 100.0);
    LabelGround ground(kSeen, [&](const QRectF& box) { return box.contains(star) ? 1.0 : 0.1; });
    EXPECT_FALSE(ground.take({100.0, 100.0}, kSize).contains(star));
}

/// Where everything is taken the label is still set, near its place.
TEST(LabelGroundTest, WithoutAnyFreeGroundALabelStaysNear) {
    LabelGround ground = dark();
    ground.keepFree(kSeen);
    const QRectF box = ground.take({200.0, 150.0}, kSize);
    EXPECT_LT(std::hypot(box.center().x() - 200.0, box.center().y() - 150.0), 90.0);
}

} // namespace
} // namespace pathmark::desk
