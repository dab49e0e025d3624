#include "core/stack/marked_path.h"

#include "tests/support/moving_frames.h"

#include <gtest/gtest.h>

namespace pathmark::stack {
namespace {

using test_support::MovingFrames;
using test_support::MovingFramesPlan;

std::vector<PathFrame> pathFrames(const MovingFrames& series) {
    std::vector<PathFrame> frames;
    for (const auto& frame : series.frames) {
        frames.push_back({frame.path, frame.place.wcs, frame.middle, frame.fwhm});
    }
    return frames;
}

double rmsArcsec(const MarkedPath& path, const MovingFrames& series) {
    double sum = 0.0;
    for (std::size_t i = 0; i < series.frames.size(); ++i) {
        const double d = separation(path.at(series.frames[i].middle), series.body[i]).arcsec();
        sum += d * d;
    }
    return std::sqrt(sum / static_cast<double>(series.frames.size()));
}

/// Truth: the painted path; each mark is five pixels off, in opposite directions, and stars a hundred times as bright lie along it.
TEST(MarkedPathTest, TwoRoughMarksLeadToTheBodyItself) {
    const MovingFrames series(MovingFramesPlan{.bodyElectrons = 3000.0});
    const auto frames = pathFrames(series);
    const std::vector<Mark> marks{{0, offsetBy(series.body.front(), 4.0, -3.0)},
                                  {11, offsetBy(series.body.back(), -4.0, 3.0)}};
    const auto path = followMarks(frames, marks, {});
    ASSERT_TRUE(path);
    EXPECT_LT(rmsArcsec(*path, series), 0.1);
    EXPECT_GE(std::count_if(path->points.begin(),
                            path->points.end(),
                            [](const PathPoint& p) { return p.found; }),
              8);
}

TEST(MarkedPathTest, AComaIsCentredOnItsNucleus) {
    const MovingFrames series(
        MovingFramesPlan{.stars = 120, .bodyElectrons = 0.0, .comaElectrons = 150000.0});
    const std::vector<Mark> marks{{0, offsetBy(series.body.front(), 3.0, 4.0)},
                                  {11, offsetBy(series.body.back(), 3.0, -4.0)}};
    const auto path = followMarks(pathFrames(series), marks, {});
    ASSERT_TRUE(path);
    EXPECT_LT(rmsArcsec(*path, series), 0.3);
}

/// Nothing is there: the marks alone count, and no light is called found.
TEST(MarkedPathTest, WithoutALightTheMarksCount) {
    const MovingFrames series(MovingFramesPlan{.stars = 0, .bodyElectrons = 0.0});
    const std::vector<Mark> marks{{0, offsetBy(series.body.front(), 4.0, 0.0)},
                                  {11, offsetBy(series.body.back(), 4.0, 0.0)}};
    const auto path = followMarks(pathFrames(series), marks, {});
    ASSERT_TRUE(path);
    for (std::size_t i = 0; i < series.frames.size(); ++i) {
        EXPECT_FALSE(path->points[i].found);
        EXPECT_NEAR(
            separation(path->at(series.frames[i].middle), series.body[i]).arcsec(), 4.0, 0.05);
    }
}

TEST(MarkedPathTest, MarksThatTellNothingAreRefused) {
    const MovingFrames series(MovingFramesPlan{.count = 4, .stars = 0});
    const auto frames = pathFrames(series);
    const std::vector<Mark> one{{0, series.body[0]}};
    EXPECT_EQ(followMarks(frames, one, {}).error().id, ErrorId::StackBadMarks);
    const std::vector<Mark> same{{2, series.body[2]}, {2, series.body[1]}};
    EXPECT_EQ(followMarks(frames, same, {}).error().id, ErrorId::StackBadMarks);
}

} // namespace
} // namespace pathmark::stack
