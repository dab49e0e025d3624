#include "core/night/film.h"

#include "core/base/robust.h"
#include "tests/support/calibrated_frames.h"

#include <gtest/gtest.h>

#include <cmath>

// Films of a moving body. Truth: where it was painted, and the clouds that were laid over each frame.
namespace pathmark::night {
namespace {

namespace fs = std::filesystem;
using test_support::MovingFrames;
using test_support::MovingFramesPlan;

class FilmTest : public testing::Test {
  protected:
    FilmTest() : series_(plan()) {
        test_support::writeCalibrated(series_, frames_);
        std::vector<fs::path> files;
        for (int i = 0; i < series_.plan.count; ++i) {
            files.push_back(frames_ / fmt::format("f{:02}.fits", i));
        }
        channels_ = readChannels(files, {}, {}, work_.path(), {});
        wishes_.target = [this](const Utc& time) -> Result<SkyPos> { return series_.bodyAt(time); };
    }

    static MovingFramesPlan plan() {
        MovingFramesPlan plan;
        plan.side = 200;
        plan.stars = 40;
        plan.count = 8;
        plan.brightest = 20000.0;
        plan.bodyElectrons = 30000.0;
        return plan; // its seeing and its clouds change
    }

    [[nodiscard]] std::vector<picture::ColourPicture> pictures() {
        std::vector<picture::ColourPicture> made;
        times_.clear();
        const auto done =
            makeFilmPictures(channels_,
                             wishes_,
                             [&](picture::ColourPicture picture, const Utc& time) -> Result<bool> {
                                 made.push_back(std::move(picture));
                                 times_.push_back(time);
                                 return true;
                             },
                             {});
        EXPECT_TRUE(done) << done.error().detail;
        return made;
    }

    /// The brightest pixel within a few of another.
    static frame::PixelPos
    brightestNear(const frame::Image& image, double cx, double cy, int reach) {
        frame::PixelPos best{cx, cy};
        float most = -1.0F;
        for (int y = static_cast<int>(cy) - reach; y <= cy + reach; ++y) {
            for (int x = static_cast<int>(cx) - reach; x <= cx + reach; ++x) {
                if (image.contains(x, y) && image.at(x, y) > most) {
                    most = image.at(x, y);
                    best = {static_cast<double>(x), static_cast<double>(y)};
                }
            }
        }
        return best;
    }

    test_support::TemporaryFolder frames_;
    test_support::TemporaryFolder work_;
    MovingFrames series_;
    PictureChannels channels_;
    FilmWishes wishes_;
    std::vector<Utc> times_;
};

TEST_F(FilmTest, TheBodyStandsStillOrMovesAsItDid) {
    wishes_.stretch.curve = picture::Stretch::Curve::Linear;
    wishes_.stretch.white = 1e5; // nothing is so bright: the body stays the brightest of all
    wishes_.isBodyFixed = true;
    auto held = pictures();
    ASSERT_EQ(held.size(), 8U);
    const auto first = brightestNear(
        held[0].planes[1], 0.5 * held[0].width(), 0.5 * held[0].height(), held[0].width() / 2);
    for (const auto& picture : held) {
        const auto at = brightestNear(picture.planes[1], first.x, first.y, 8);
        EXPECT_LE(std::hypot(at.x - first.x, at.y - first.y), 1.5);
    }
    wishes_.isBodyFixed = false;
    const auto moving = pictures();
    const auto& start = moving.front().planes[1];
    const auto& end = moving.back().planes[1];
    const auto from = brightestNear(start, 0.5 * start.width(), 0.5 * start.height(), 60);
    const double way = separation(series_.body.front(), series_.body.back()).arcsec(); // 1" a pixel
    const auto to = brightestNear(end, 0.5 * end.width(), 0.5 * end.height(), 60);
    EXPECT_NEAR(std::hypot(to.x - from.x, to.y - from.y), way, 2.0);
    EXPECT_NEAR(times_.back().secondsSince(times_.front()), 7.0 * 60.0, 0.1);
}

/// Clouds of thirty per cent come and go: the sky and the stars keep their brightness.
TEST_F(FilmTest, BrightnessIsHeldFromPictureToPicture) {
    const auto made = pictures();
    std::vector<double> skies;
    for (const auto& picture : made) {
        std::vector<double> values;
        for (const float v : picture.planes[1].pixels()) {
            values.push_back(static_cast<double>(v));
        }
        skies.push_back(medianInPlace(std::span(values)));
    }
    const auto [least, most] = std::minmax_element(skies.begin(), skies.end());
    EXPECT_LT(*most - *least, 0.02);
}

TEST_F(FilmTest, ItStandsAtBothEndsAndHasItsShape) {
    wishes_.framesPerSecond = 10.0;
    wishes_.pauseSeconds = 0.5;
    wishes_.canvas.extent = stack::CanvasExtent::Common;
    wishes_.canvas.shape = 16.0 / 9.0;
    wishes_.hasStamp = true;
    wishes_.marks = {false, true, true, true};
    const auto made = makeFilm(channels_, wishes_, work_ / "film.mp4", {});
    ASSERT_TRUE(made) << made.error().detail;
    EXPECT_EQ(made->frames, 8 + 2 * 5);
    EXPECT_NEAR(static_cast<double>(made->width) / made->height, 16.0 / 9.0, 0.04);
    channels_.channels[0].lights.resize(1);
    const auto one = makeFilm(channels_, wishes_, work_ / "one.mp4", {});
    ASSERT_FALSE(one);
    EXPECT_EQ(one.error().id, ErrorId::PictureNoLayer);
    EXPECT_FALSE(fs::exists(work_ / "one.mp4"));
}

} // namespace
} // namespace pathmark::night
