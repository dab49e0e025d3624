#include "core/night/joined_picture.h"

#include "tests/support/calibrated_frames.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>

// Pictures of stars and a comet. Truth: the electrons that were painted, at the places where each frame's own solution has them.
namespace pathmark::night {
namespace {

namespace fs = std::filesystem;
using test_support::MovingFrames;
using test_support::MovingFramesPlan;

class JoinedPictureTest : public testing::Test {
  protected:
    static MovingFramesPlan plan() {
        MovingFramesPlan plan;
        plan.side = 260;
        plan.stars = 70;
        plan.count = 12;
        plan.brightest = 20000.0;
        plan.bodyElectrons = 8000.0; // a comet all nucleus: its light is counted in a circle
        plan.seeingChanges = false;
        return plan;
    }

    void make(const std::vector<std::string>& filters) {
        series_ = std::make_unique<MovingFrames>(plan());
        test_support::writeCalibrated(*series_, frames_, filters);
    }

    [[nodiscard]] PictureChannels channels() const {
        std::vector<fs::path> files;
        for (int i = 0; i < series_->plan.count; ++i) {
            files.push_back(frames_ / fmt::format("f{:02}.fits", i));
        }
        return readChannels(files, {}, {}, work_.path(), {});
    }

    [[nodiscard]] Result<JoinedPicture> picture(PictureLayers layers) const {
        JoinedPictureWishes wishes;
        wishes.layers = layers;
        wishes.target = [this](const Utc& time) -> Result<SkyPos> { return series_->bodyAt(time); };
        return joinPicture(channels(), wishes, nullptr, work_.path(), {});
    }

    /// The light of a plane in a circle, less the sky of a ring around it.
    static double lightAt(const JoinedPicture& picture, std::size_t plane, const SkyPos& place) {
        const frame::Image& image = picture.linear.planes[plane];
        const auto at = picture.grid.wcs.toPixel(place);
        if (!at) {
            ADD_FAILURE() << "not on the picture";
            return 0.0;
        }
        std::vector<double> sky;
        double sum = 0.0;
        int count = 0;
        for (int y = static_cast<int>(at->y) - 13; y <= at->y + 14; ++y) {
            for (int x = static_cast<int>(at->x) - 13; x <= at->x + 14; ++x) {
                const double apart = std::hypot(x - at->x, y - at->y);
                if (!image.contains(x, y)) {
                    continue;
                }
                if (apart < 6.0) {
                    sum += static_cast<double>(image.at(x, y));
                    ++count;
                } else if (apart > 9.0 && apart < 13.0) {
                    sky.push_back(static_cast<double>(image.at(x, y)));
                }
            }
        }
        std::sort(sky.begin(), sky.end());
        return sky.empty() ? 0.0 : sum - count * sky[sky.size() / 2];
    }

    /// Of a circle of 6 pixels about a point of this blur (a Moffat profile of 2.6 pixels and wings of 3.2): its part of all light.
    static double circlesPart() {
        const double core = 1.3 / std::sqrt(std::pow(2.0, 1.0 / 3.2) - 1.0);
        return 1.0 - std::pow(1.0 + 36.0 / (core * core), 1.0 - 3.2);
    }

    /// A star of good light that neither another nor the comet comes near.
    [[nodiscard]] std::size_t lonelyStar() const {
        const auto& stars = series_->stars;
        for (std::size_t i = 0; i < stars.size(); ++i) {
            const auto isNear = [&](const SkyPos& other) {
                const double apart = separation(other, stars[i]).arcsec();
                return apart > 0.0 && apart < 17.0;
            };
            if (series_->starElectrons[i] > 4000.0 &&
                separation(stars[i], skyDegrees(100.0, 30.0)).arcsec() < 85.0 &&
                std::none_of(stars.begin(), stars.end(), isNear) &&
                std::none_of(series_->body.begin(), series_->body.end(), isNear)) {
                return i;
            }
        }
        ADD_FAILURE() << "no such star";
        return 0;
    }

    test_support::TemporaryFolder frames_;
    test_support::TemporaryFolder work_;
    std::unique_ptr<MovingFrames> series_;
};

TEST_F(JoinedPictureTest, StarsKeepTheirLightInEveryColour) {
    make({"R", "G", "B"});
    const auto made = picture(PictureLayers::Both);
    ASSERT_TRUE(made) << made.error().detail;
    EXPECT_EQ(made->frames, 12);
    EXPECT_FALSE(made->linear.isGrey);
    const std::size_t star = lonelyStar();
    for (std::size_t plane = 0; plane < 3; ++plane) {
        // Without a catalogue the median star is white: all of them are alike here.
        EXPECT_NEAR(lightAt(*made, plane, series_->stars[star]),
                    circlesPart() * series_->starElectrons[star],
                    0.08 * series_->starElectrons[star]) // so well is white known by few stars
            << plane;
    }
}

/// Where the body is in the middle of all exposures it stands with its light, and nowhere else.
TEST_F(JoinedPictureTest, TheCometStandsAtOnePlace) {
    make({"R", "G", "B"});
    const auto made = picture(PictureLayers::Both);
    ASSERT_TRUE(made) << made.error().detail;
    const double middle = made->time.secondsSince(MovingFrames::start());
    EXPECT_NEAR(middle, 30.0 * (series_->plan.count - 1), 40.0);
    const double expected = circlesPart() * series_->plan.bodyElectrons;
    for (std::size_t plane = 0; plane < 3; ++plane) {
        EXPECT_NEAR(lightAt(*made, plane, series_->bodyAt(made->time)), expected, 0.08 * expected)
            << plane;
    }
    for (const std::size_t i : {std::size_t{0}, series_->body.size() - 1}) {
        const SkyPos& place = series_->body[i];
        const bool isOnAStar =
            std::any_of(series_->stars.begin(), series_->stars.end(), [&](const SkyPos& star) {
                return separation(star, place).arcsec() < 17.0;
            });
        if (!isOnAStar) {
            EXPECT_LT(std::abs(lightAt(*made, 1, place)), 0.05 * expected) << "a ghost";
        }
    }
}

TEST_F(JoinedPictureTest, ALayerAloneHoldsNothingOfTheOther) {
    make({"R", "G", "B"});
    const std::size_t star = lonelyStar();
    const auto stars = picture(PictureLayers::Stars);
    ASSERT_TRUE(stars) << stars.error().detail;
    const double light = series_->starElectrons[star];
    EXPECT_NEAR(lightAt(*stars, 1, series_->stars[star]), circlesPart() * light, 0.05 * light);
    const auto comet = picture(PictureLayers::Comet);
    ASSERT_TRUE(comet) << comet.error().detail;
    EXPECT_LT(std::abs(lightAt(*comet, 1, series_->stars[star])), 0.04 * light);
    const double expected = circlesPart() * series_->plan.bodyElectrons;
    EXPECT_NEAR(lightAt(*comet, 1, series_->bodyAt(comet->time)), expected, 0.08 * expected);
}

TEST_F(JoinedPictureTest, OneFilterIsGreyAndNoColourIsLuminance) {
    make({"R"});
    const auto grey = picture(PictureLayers::Stars);
    ASSERT_TRUE(grey) << grey.error().detail;
    EXPECT_TRUE(grey->linear.isGrey);
    for (std::size_t i = 0; i < grey->linear.planes[0].pixels().size(); i += 97) {
        EXPECT_EQ(grey->linear.planes[0].pixels()[i], grey->linear.planes[2].pixels()[i]);
    }
    make({"L", "R", "G", "B"});
    const PictureChannels four = channels();
    ASSERT_EQ(four.channels.size(), 4U);
    EXPECT_EQ(four.channels[0].nanometres, 0.0) << "luminance stands first";
    for (std::size_t i = 2; i < 4; ++i) {
        EXPECT_GT(four.channels[i].nanometres, four.channels[i - 1].nanometres);
    }
    EXPECT_EQ(allLights(four).size(), 12U);
    const auto colour = picture(PictureLayers::Stars);
    ASSERT_TRUE(colour) << colour.error().detail;
    EXPECT_FALSE(colour->linear.isGrey);
    EXPECT_NE(colour->planes.find('L'), std::string::npos) << colour->planes;
}

TEST_F(JoinedPictureTest, WhatCannotBeUsedIsNamedAndNothingIsSaidPlainly) {
    make({"R", "G", "B"});
    const std::vector<fs::path> files{frames_ / "f00.fits", frames_ / "gone.fits"};
    const PictureChannels read = readChannels(files, {}, {}, work_.path(), {});
    ASSERT_EQ(read.failures.size(), 1U);
    EXPECT_NE(read.failures[0].subject.find("gone.fits"), std::string::npos);
    const auto nothing = joinPicture({}, {}, nullptr, work_.path(), {});
    ASSERT_FALSE(nothing);
    EXPECT_EQ(nothing.error().id, ErrorId::PictureNoLayer);
}

} // namespace
} // namespace pathmark::night
