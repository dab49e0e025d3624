#include "core/night/report/night_page.h"

#include "core/night/report/cut_out.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::night {
namespace {

/// Two nights of a body, and a new one on the first.
class NightPageTest : public testing::Test {
  protected:
    NightPageTest() {
        for (int night = 0; night < 2; ++night) {
            NightWithRecipe& made = nights_[static_cast<std::size_t>(night)];
            made.recipe.siteKnown = false;
            made.recipe.head.stationCode = "Z99";
            made.recipe.head.observers = {"I. Vellamo"};
            for (int i = 0; i < 4; ++i) {
                LightRecord light;
                light.frame = FrameId("f" + std::to_string(i));
                light.seriesTitle = "light 60 s R";
                light.middle = parseUtc("2034-03-17T23:30:00")
                                   .value()
                                   .plusSeconds(86400.0 * night + 900.0 * i);
                light.problem = "It has too few stars.";
                made.night.lights.push_back(light);
                addLine(made, "(2711043)", light, false);
                if (night == 0) {
                    addLine(made, "c031701", light, true);
                }
            }
        }
    }

    static void
    addLine(NightWithRecipe& made, const char* body, const LightRecord& light, bool isNew) {
        MeasurementRecord m;
        m.body = BodyId::of(body);
        m.frame = light.frame;
        m.id = measurementId(m.body, {m.frame});
        m.time = light.middle;
        m.seen = true;
        m.candidate = isNew;
        m.sky = skyDegrees(177.0, 2.0);
        m.rateArcsecPerMin = 0.5;
        m.positionAngleDegrees = 272.0;
        m.magnitude = 17.0;
        m.magnitudeError = 0.1;
        m.band = "R";
        made.night.measurements.push_back(m);
    }

    static std::string wordsOf(const report::Page& page) {
        std::string words = page.title + "\n";
        for (const report::PageItem& item : page.items) {
            if (const auto* heading = std::get_if<report::PageHeading>(&item)) {
                words += "# " + heading->text + "\n";
            } else if (const auto* text = std::get_if<report::PageText>(&item)) {
                words += text->text + "\n";
            }
        }
        return words;
    }

    static bool says(const report::Page& page, const std::string& words) {
        return wordsOf(page).find(words) != std::string::npos;
    }

    std::array<NightWithRecipe, 2> nights_;
};

TEST_F(NightPageTest, ANightIsToldInWords) {
    nights_[0].night.measurements[2].state = MeasurementState::Parked;
    nights_[0].night.measurements[2].reason = "S/N 3.1";
    const auto page = nightPage(nights_[0], Job());
    ASSERT_TRUE(page);
    EXPECT_EQ(page->title, "Night of 2034-03-17 to 2034-03-18 at station Z99");
    EXPECT_TRUE(says(*page, "4 frames of the sky were taken between 23:30:00 and 00:15:00 UTC"))
        << wordsOf(*page);
    EXPECT_TRUE(says(*page, "observed by I. Vellamo"));
    EXPECT_TRUE(says(*page, "no frames to calibrate them with"));
    EXPECT_TRUE(says(*page, "It has too few stars."));
    EXPECT_TRUE(says(*page, "In none of the lists of known bodies. 4 positions kept"));
    EXPECT_TRUE(says(*page, "towards the west (position angle 272°); R 17.00 on average"));
    EXPECT_TRUE(says(*page, "Not reported: 1 position: S/N 3.1."));
    // What is new comes first.
    const std::string words = wordsOf(*page);
    EXPECT_LT(words.find("# c031701"), words.find("# (2711043)"));
}

TEST_F(NightPageTest, ABodyIsToldOverNights) {
    const auto page = bodyPage(nights_, BodyId::of("2711043"), Job());
    ASSERT_TRUE(page);
    EXPECT_EQ(page->title, "(2711043)");
    EXPECT_TRUE(says(*page, "8 positions on 2 nights, 2034-03-17 to 2034-03-19."))
        << wordsOf(*page);
    EXPECT_TRUE(says(*page, "# Night of 2034-03-18 at station Z99"));
    const auto once = bodyPage(nights_, BodyId::of("c031701"), Job());
    ASSERT_TRUE(once);
    EXPECT_TRUE(says(*once, "4 positions on 1 night,")) << wordsOf(*once);
    EXPECT_EQ(bodyPage(nights_, BodyId::of("2034 AA"), Job()).error().id,
              ErrorId::ReportNothingToReport);
}

TEST_F(NightPageTest, ANightWithoutFramesHasNoPage) {
    EXPECT_EQ(nightPage({}, Job()).error().id, ErrorId::ReportNothingToReport);
}

TEST(CutOutTest, TheSkyIsDarkAndTheBodyWhite) {
    frame::Image image(21, 21);
    for (int y = 0; y < 21; ++y) {
        for (int x = 0; x < 21; ++x) {
            image.at(x, y) = 100.0F + static_cast<float>((x * 7 + y * 13) % 5);
        }
    }
    image.at(10, 4) = 5000.0F; // below the middle: rows of a frame count upwards
    image.at(0, 20) = frame::kNoValue;
    const auto picture = greyOf(image, "x");
    const auto at = [&](int column, int row) {
        return picture.grey[static_cast<std::size_t>(21 * row + column)];
    };
    EXPECT_EQ(at(10, 16), 255);
    EXPECT_LT(at(3, 3), 80);
    EXPECT_EQ(at(0, 0), 0);
}

} // namespace
} // namespace pathmark::night
