#include "standin/survey_service.h"

#include "core/survey/survey_picture.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <numbers>

namespace pathmark::standin {
namespace {

/// A dozen stars about a place, and a survey of them. Its pixels' places come from the HEALPix library, not from the code that reads it.
class SurveyServiceTest : public testing::TestWithParam<bool> {
  protected:
    static constexpr int kWidth = 900;
    static constexpr int kHeight = 700;

    void write(const SkyPos& middle) {
        // Turned and mirrored, as a frame may be.
        wcs_.referenceSky = middle;
        wcs_.referencePixel = {450.0, 350.0};
        const double scale = Angle::arcsec(1.3).radians();
        const double turn = 0.6;
        wcs_.cd = {scale * std::cos(turn),
                   -scale * std::sin(turn),
                   scale * std::sin(turn),
                   scale * std::cos(turn)};
        std::ofstream csv(folder_ / "stars.csv");
        csv << "source_id,ra,dec,phot_g_mean_mag,pmra,pmdec,ref_epoch\n";
        for (int i = 0; i < 12; ++i) {
            const frame::PixelPos pixel{60.0 + 70.0 * i, 40.0 + 57.0 * (i * 5 % 12)};
            pixels_.push_back(pixel);
            const SkyPos sky = wcs_.toSky(pixel);
            csv << fmt::format("{},{:.8f},{:.8f},10.0,0,0,2016\n",
                               i,
                               normalised(sky.longitude).degrees(),
                               sky.latitude.degrees());
        }
    }

    [[nodiscard]] SurveyOptions options() const {
        SurveyOptions made;
        made.stars = folder_ / "stars.csv";
        made.order = 7;
        made.tileWidth = 256;
        made.galactic = GetParam();
        return made;
    }

    [[nodiscard]] Result<survey::SurveyPicture> picture(const SurveyService& service,
                                                        bool isOffline = false) const {
        const survey::SurveyPlace place{service.address(), folder_ / "kept", 2.0, 1, isOffline};
        const auto opened = survey::Survey::open(place, {});
        if (!opened) {
            return fail(opened.error());
        }
        return survey::surveyPicture(*opened, wcs_, kWidth, kHeight, {});
    }

    /// Where the light about a pixel has its middle.
    static frame::PixelPos centroid(const frame::Image& image, const frame::PixelPos& about) {
        double sum = 0.0;
        double x = 0.0;
        double y = 0.0;
        for (int dy = -14; dy <= 14; ++dy) {
            for (int dx = -14; dx <= 14; ++dx) {
                const int column = static_cast<int>(std::lround(about.x)) + dx;
                const int row = static_cast<int>(std::lround(about.y)) + dy;
                const double light =
                    std::max(0.0, static_cast<double>(image.at(column, row)) - 100.0);
                sum += light;
                x += light * column;
                y += light * row;
            }
        }
        return {x / sum, y / sum};
    }

    frame::Wcs wcs_;
    std::vector<frame::PixelPos> pixels_;
    test_support::TemporaryFolder folder_;
};

/// Truth: where the stars were put. 0.3 of the survey's pixels of 6.4 arcsec is 1.5 of the picture's.
TEST_P(SurveyServiceTest, StarsStandWhereTheyAre) {
    for (const auto& middle :
         {skyDegrees(177.2, 2.4), skyDegrees(45.0, 41.81), skyDegrees(10.0, -88.9)}) {
        pixels_.clear();
        write(middle);
        const SurveyService service(options());
        const auto shown = picture(service);
        ASSERT_TRUE(shown) << shown.error().detail;
        double worst = 0.0;
        for (const frame::PixelPos& pixel : pixels_) {
            const frame::PixelPos found = centroid(shown->values, pixel);
            worst = std::max(worst, std::hypot(found.x - pixel.x, found.y - pixel.y));
        }
        EXPECT_LT(worst * 1.3 / shown->pixelArcsec, 0.3) << middle.latitude.degrees();
    }
}

TEST_P(SurveyServiceTest, TilesAreKeptAndNothingIsAskedTwice) {
    write(skyDegrees(177.2, 2.4));
    std::string address;
    frame::Image first;
    {
        const SurveyService service(options());
        const auto shown = picture(service);
        ASSERT_TRUE(shown);
        EXPECT_EQ(service.requests(), shown->tiles + 1);
        const int asked = service.requests();
        ASSERT_TRUE(picture(service));
        EXPECT_EQ(service.requests(), asked + 1) << "its properties alone";
        const auto offline = picture(service, true);
        ASSERT_TRUE(offline);
        EXPECT_EQ(service.requests(), asked + 1);
        EXPECT_EQ(offline->values.at(100, 100), shown->values.at(100, 100));
    }
}

TEST_P(SurveyServiceTest, WhatIsWrongWithTheServiceIsSaidAndNothingBadIsKept) {
    write(skyDegrees(177.2, 2.4));
    for (const Fault fault :
         {Fault::Web, Fault::Rubbish, Fault::Broken, Fault::Refuses, Fault::Closes}) {
        auto bad = options();
        bad.fault = fault;
        const SurveyService service(bad);
        const auto shown = picture(service);
        ASSERT_FALSE(shown);
        EXPECT_FALSE(shown.error().detail.empty());
    }
    auto busy = options();
    busy.fault = Fault::Slow;
    const SurveyService slow(busy);
    const survey::SurveyPlace place{slow.address(), folder_ / "kept", 1.0, 1};
    std::stop_source stop;
    stop.request_stop();
    const auto stopped = survey::Survey::open(place, {stop.get_token(), {}, {}});
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().id, ErrorId::BaseCancelled);
}

INSTANTIATE_TEST_SUITE_P(Frames, SurveyServiceTest, testing::Bool());

} // namespace
} // namespace pathmark::standin
