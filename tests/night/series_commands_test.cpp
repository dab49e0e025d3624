#include "core/base/robust.h"
#include "core/frame/fits_file.h"
#include "tests/support/json_keys.h"
#include "tests/support/series_test.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <initializer_list>
#include <set>
#include <utility>

// The verbs that add and measure frames, with every option that they promise. Truth: the electrons that were painted, at the places
// where each frame's own solution has them; some frames are hazy, the seeing changes, and the camera is turned over in the middle.
namespace pathmark {
namespace {

using nlohmann::json;
using test_support::keysOf;
using test_support::seriesMagnitude;

class SeriesCommandsTest : public test_support::SeriesTest {
  protected:
    /// The second frame as if it had been taken at the moment of the first, by another camera.
    [[nodiscard]] std::filesystem::path secondAtTheFirstsTime() const {
        const auto first = frame::readFits(frames_ / "f00.fits");
        auto second = frame::readFits(frames_ / "f01.fits");
        EXPECT_TRUE(first);
        EXPECT_TRUE(second);
        second->header.set("DATE-OBS", first->header.text("DATE-OBS").value_or(""), "start");
        auto moved = folder_ / "east.fits";
        EXPECT_TRUE(frame::writeFits(moved, second->image, second->header));
        return moved;
    }
};

/// What a header tells of a colour camera counts in every verb: its sums are compared in V, and a place on them is unsure by half of
/// what an average star leans; where no `run` measured that, 0.04 pixel.
TEST_F(SeriesCommandsTest, SumsOfAColourCamerasCellsAreSaidToLean) {
    make(smallPlan());
    const auto plain = frame::readFits(frames_ / "f00.fits");
    ASSERT_TRUE(plain);
    const SkyPos star = series_->stars[lonelyStar()];
    const auto measured = [&](std::initializer_list<std::pair<const char*, std::string>> words,
                              double lean) {
        frame::Header header = plain->header;
        header.remove("FILTER");
        for (const auto& [word, text] : words) {
            header.set(word, text);
        }
        if (lean > 0.0) {
            header.set("PMLEANX", lean);
            header.set("PMLEANY", -lean);
        }
        const auto path = folder_ / "plane.fits";
        EXPECT_TRUE(frame::writeFits(path, plain->image, header));
        return measuredAt(path, star);
    };
    const json without = measured({}, 0.0);
    EXPECT_EQ(without.at("band"), "G");
    const double own = without.at("ra_err_arcsec").get<double>();
    const auto lean = [&](const json& row) { // 1 arcsec a pixel
        return std::sqrt(std::pow(row.at("ra_err_arcsec").get<double>(), 2) - own * own);
    };
    const json sum = measured({{"PMCOLOUR", "sum"}, {"PMBAYER", "RGGB"}}, 0.0);
    EXPECT_EQ(sum.at("band"), "V");
    EXPECT_NEAR(lean(sum), 0.02, 0.002);
    EXPECT_NEAR(lean(measured({{"PMCOLOUR", "sum"}, {"PMBAYER", "RGGB"}}, 0.1)), 0.05, 0.002);
    // A plane of one colour does not lean, nor does a pattern of 6 x 6.
    const json red = measured({{"PMCOLOUR", "red"}, {"PMBAYER", "RGGB"}}, 0.0);
    EXPECT_EQ(red.at("band"), "R");
    EXPECT_NEAR(red.at("ra_err_arcsec").get<double>(), own, 1e-9);
    const json six = measured({{"PMCOLOUR", "sum"}, {"PMBAYER", std::string(36, 'G')}}, 0.0);
    EXPECT_NEAR(six.at("ra_err_arcsec").get<double>(), own, 1e-9);
}

/// What a solution leaves open counts without a catalogue too, and is said of a stack: of six of 0.06 pixel, independent of each other,
/// and what interpolation adds.
TEST_F(SeriesCommandsTest, WhatSolutionsLeaveOpenIsInTheErrorsAndOnStacks) {
    make(smallPlan());
    const SkyPos star = series_->stars[lonelyStar()];
    const auto error = [&] {
        return told(fmt::format("measure '{}' --at {:.7f} {:.7f}",
                                (frames_ / "f00.fits").string(),
                                star.longitude.degrees(),
                                star.latitude.degrees()))
            .at("measurements")
            .at(0)
            .at("ra_err_arcsec")
            .get<double>();
    };
    const double own = error();
    for (int i = 0; i < 6; ++i) {
        const auto path = frames_ / fmt::format("f{:02}.fits", i);
        auto loaded = frame::readFits(path);
        ASSERT_TRUE(loaded);
        loaded->header.set("PMSOLERR", 0.06);
        ASSERT_TRUE(frame::writeFits(path, loaded->image, loaded->header));
    }
    EXPECT_NEAR(error(), std::hypot(own, 0.06), 1e-4); // 1 arcsec a pixel
    for (const auto& [options, scale] : {std::pair{"", 1.0}, {"--scale 0.5", 2.0}}) {
        const json stack = stacked(std::string("--stars ") + options).at("stacks").at(0);
        const auto loaded = frame::readFits(stack.at("file").get<std::string>());
        ASSERT_TRUE(loaded);
        // 0.0025 pixel of a frame is what interpolation leaves of any place (bench-stack-truth).
        EXPECT_NEAR(loaded->header.number("PMSOLERR").value_or(0.0),
                    scale * std::hypot(0.06 / std::sqrt(6.0), 0.0025),
                    1e-6);
    }
}

/// Whatever the canvas, its pixels and the kernel: a star has the light and the place that it has.
TEST_F(SeriesCommandsTest, LightAndPlaceHoldOnEveryCanvasAndKernel) {
    make(smallPlan());
    const std::size_t star = lonelyStar();
    for (const char* options : {"",
                                "--kernel cubic",
                                "--kernel lanczos3",
                                "--scale 0.5",
                                "--scale 2",
                                "--north-up",
                                "--drop 0.7 --scale 0.5",
                                "--canvas union",
                                "--canvas common --maps",
                                "--crop 100 30 4 3"}) {
        const json document = stacked(std::string("--stars ") + options);
        ASSERT_EQ(document.at("stacks").size(), 1U) << options;
        const json& stack = document.at("stacks").at(0);
        EXPECT_EQ(stack.at("frames"), 6) << options;
        EXPECT_NEAR(stack.at("exposure_seconds").get<double>(), 120.0, 1e-6) << options;
        const json row = measuredAt(stack.at("file").get<std::string>(), series_->stars[star]);
        ASSERT_FALSE(row.at("mag").is_null()) << options << row.dump();
        EXPECT_NEAR(
            row.at("mag").get<double>(), seriesMagnitude(series_->starElectrons[star]), 0.03)
            << options;
        EXPECT_LT(separation(skyDegrees(row.at("ra").get<double>(), row.at("dec").get<double>()),
                             series_->stars[star])
                      .arcsec(),
                  // Drops fall as they are: six frames leave a tenth of a pixel.
                  std::string(options).find("drop") != std::string::npos ? 0.12 : 0.06)
            << options;
    }
}

TEST_F(SeriesCommandsTest, TheCanvasIsAsWideAsItWasAskedFor) {
    make(smallPlan());
    const auto sizeOf = [&](const std::string& options) {
        const json document = stacked("--stars " + options);
        const auto loaded =
            frame::readFits(document.at("stacks").at(0).at("file").get<std::string>());
        EXPECT_TRUE(loaded) << options;
        return std::pair{loaded->image.width(), loaded->image.height()};
    };
    // 1 arcsec a pixel: 4 by 3 arcmin are 240 by 180 pixels.
    EXPECT_EQ(sizeOf("--crop 100 30 4 3 --north-up"), std::pair(240, 180));
    EXPECT_EQ(sizeOf("--crop 100 30 4 3 --north-up --scale 0.5"), std::pair(480, 360));
    const auto common = sizeOf("--canvas common");
    const auto whole = sizeOf("--canvas union");
    // Dithers of up to 8 pixels either way.
    EXPECT_LE(common.first, 300);
    EXPECT_GE(common.first, 300 - 32);
    EXPECT_GE(whole.first, 300);
    EXPECT_LE(whole.first, 300 + 40);
}

/// Truth: a mean of N frames has the noise of one over the root of N, a median that times 1.2533 (Gaussian, large N); weights and the
/// frames' haze change both by the same.
TEST_F(SeriesCommandsTest, EveryCombinationIsToldAndStatesItsNoise) {
    make(smallPlan());
    double mean = 0.0;
    for (const char* name :
         {"mean", "median", "sigma-clip", "winsorised-clip", "percentile-clip", "line-clip"}) {
        const json stack = stacked(std::string("--stars --combination ") + name).at("stacks").at(0);
        const double noise = stack.at("noise_e").get<double>();
        mean = std::string(name) == "mean" ? noise : mean;
        EXPECT_GT(noise, 0.97 * mean) << name;
        EXPECT_LT(noise, 1.35 * mean) << name;
        const auto loaded = frame::readFits(stack.at("file").get<std::string>());
        ASSERT_TRUE(loaded);
        std::vector<float> values;
        for (const float v : loaded->image.pixels()) {
            if (std::isfinite(v)) {
                values.push_back(v);
            }
        }
        // Resampling spreads each value over its neighbours: pixels scatter less than what one would by itself.
        const double seen = clippedMoments(values, 2.5).sigma;
        EXPECT_LT(seen, 1.1 * noise) << name;
        EXPECT_GT(seen, 0.55 * noise) << name;
    }
    // 400 electrons of sky in each of six frames, a third and two thirds of them as bright as 0.7 and 0.85.
    EXPECT_NEAR(mean, 20.0 / std::sqrt(6.0) / 0.85, 1.5);
    const json wrong = stacked("--stars --combination best", 2);
    EXPECT_NE(wrong.dump().find("winsorised"), std::string::npos) << "it says which there are";
}

/// On its own motion the body is one light; on the opposite one it is none.
TEST_F(SeriesCommandsTest, ABodyIsFoundOnItsOwnMotionAlone) {
    auto plan = smallPlan();
    plan.bodyElectrons = 600.0;
    plan.stars = 40;
    make(plan);
    const double rate = std::hypot(plan.eastArcsecPerFrame, plan.northArcsecPerFrame);
    const double angle =
        std::atan2(plan.eastArcsecPerFrame, plan.northArcsecPerFrame) * 180.0 / std::numbers::pi;
    const auto on = [&](double direction) {
        const json document = stacked(fmt::format(
            "--rate {:.5f} --angle {:.5f} --near 100 30 --canvas body", rate, direction));
        EXPECT_EQ(document.at("path").size(), 6U);
        return document.at("stacks").at(0);
    };
    // The stack's own time is its weighted middle; where the body is then, the stack has it.
    const json stack = on(angle);
    const auto time = parseUtc(stack.at("mid_time").get<std::string>());
    ASSERT_TRUE(time);
    const SkyPos place = series_->bodyAt(*time);
    EXPECT_LT(
        separation(skyDegrees(stack.at("ra").get<double>(), stack.at("dec").get<double>()), place)
            .arcsec(),
        0.3);
    const json right = measuredAt(stack.at("file").get<std::string>(), place);
    EXPECT_LT(
        separation(skyDegrees(right.at("ra").get<double>(), right.at("dec").get<double>()), place)
            .arcsec(),
        0.6);
    EXPECT_GT(right.at("snr").get<double>(), 10.0);
    const json other = on(angle + 180.0);
    const json wrong = measuredAt(other.at("file").get<std::string>(), skyDegrees(100.0, 30.0));
    EXPECT_TRUE(wrong.at("snr").is_null() ||
                wrong.at("snr").get<double>() < 0.5 * right.at("snr").get<double>())
        << wrong.dump();
}

TEST_F(SeriesCommandsTest, GroupsAreStretchesOfTime) {
    make(smallPlan());
    const json document = stacked("--stars --groups 3");
    ASSERT_EQ(document.at("stacks").size(), 3U);
    for (int g = 0; g < 3; ++g) {
        const json& stack = document.at("stacks").at(static_cast<std::size_t>(g));
        EXPECT_EQ(stack.at("group"), g + 1);
        EXPECT_EQ(stack.at("frames"), 2);
        const auto time = parseUtc(stack.at("mid_time").get<std::string>());
        ASSERT_TRUE(time);
        // Two frames a minute apart; the weights may lean to the clearer of them.
        const double middle = 60.0 * (2 * g + 0.5);
        EXPECT_NEAR(time->secondsSince(test_support::MovingFrames::start()), middle, 15.0) << g;
    }
    (void)stacked("--stars --groups 0", 2);
    // More than there are frames: one of each.
    EXPECT_EQ(stacked("--stars --groups 7").at("stacks").size(), 6U);
}

/// A place of the sky, a pixel on the same light and the light left where it is: one measurement.
TEST_F(SeriesCommandsTest, EveryWayToNameALightMeasuresIt) {
    make(smallPlan());
    const std::size_t star = lonelyStar();
    const std::string file = (frames_ / "f00.fits").string();
    const json at = measuredAt(file, series_->stars[star]);
    ASSERT_FALSE(at.at("mag").is_null()) << at.dump();
    const double truth = seriesMagnitude(series_->starElectrons[star]);
    EXPECT_NEAR(at.at("mag").get<double>(), truth, 4.0 * at.at("mag_err").get<double>() + 0.01);
    EXPECT_EQ(at.at("band"), "V");
    EXPECT_TRUE(at.at("comet").is_null());
    const auto pixel = series_->frames[0].place.wcs.toPixel(series_->stars[star]);
    // A hand is a pixel off; the light is found all the same.
    const json byPixel =
        told(fmt::format("measure '{}' --pixel {:.2f} {:.2f} --store '{}' --catalog made",
                         file,
                         pixel->x + 1.0 + 0.8,
                         pixel->y + 1.0 - 0.6,
                         folder_.path().string()))
            .at("measurements")
            .at(0);
    EXPECT_NEAR(byPixel.at("x").get<double>(), pixel->x + 1.0, 0.05);
    EXPECT_NEAR(byPixel.at("y").get<double>(), pixel->y + 1.0, 0.05);
    EXPECT_NEAR(byPixel.at("mag").get<double>(), at.at("mag").get<double>(), 0.01);
    const json fixed = measuredAt(file, series_->stars[star], "--no-centroid");
    EXPECT_NEAR(fixed.at("mag").get<double>(), at.at("mag").get<double>(), 0.01);
    // Without a catalogue the light is there and has no magnitude, nor a band that nobody measured.
    const json bare = told(fmt::format("measure '{}' --at {:.7f} {:.7f}",
                                       file,
                                       series_->stars[star].longitude.degrees(),
                                       series_->stars[star].latitude.degrees()))
                          .at("measurements")
                          .at(0);
    EXPECT_NEAR(bare.at("ra").get<double>(), at.at("ra").get<double>(), 1e-5);
    EXPECT_GT(bare.at("snr").get<double>(), 30.0);
}

/// Truth: the variance of a matched filter is that of the sky over the sum of the squared profile; here about 400 electrons times
/// the pixels that count as noise, 14 to 22 for stars of 2.3 to 2.6 pixels and wings of the power 3.2.
TEST_F(SeriesCommandsTest, WhereNothingIsTheLimitIsThreeSigma) {
    auto plan = smallPlan();
    plan.stars = 60;
    make(plan);
    const std::string file = (frames_ / "f00.fits").string();
    int empty = 0;
    int seen = 0;
    for (int n = 0; n < 24; ++n) {
        const int line = n / 6;
        const SkyPos place =
            offsetBy(skyDegrees(100.0, 30.0), -90.0 + 34.0 * (n % 6), -70.0 + 40.0 * line);
        const auto isNear = [&](const SkyPos& other) {
            return separation(other, place).arcsec() < 20.0;
        };
        if (std::any_of(series_->stars.begin(), series_->stars.end(), isNear) ||
            isNear(series_->body[0])) {
            continue;
        }
        const json row = measuredAt(file, place, "--no-centroid");
        if (!row.at("mag").is_null()) {
            ++seen; // one in some hundred by chance
            continue;
        }
        ++empty;
        EXPECT_TRUE(row.at("ra").is_null());
        EXPECT_TRUE(row.at("dec").is_null());
        const double faintest = seriesMagnitude(3.0 * 20.0 * std::sqrt(14.0));
        const double brightest = seriesMagnitude(2.0 * 3.0 * 20.0 * std::sqrt(22.0));
        EXPECT_LT(row.at("upper_limit_mag").get<double>(), faintest + 0.1);
        EXPECT_GT(row.at("upper_limit_mag").get<double>(), brightest);
    }
    EXPECT_GE(empty, 5);
    EXPECT_LE(seen, 1);
}

TEST_F(SeriesCommandsTest, ACometHasItsCirclesSlopeAndCentroid) {
    auto plan = smallPlan();
    plan.bodyElectrons = 0.0;
    plan.comaElectrons = 60000.0;
    plan.stars = 50;
    make(plan);
    const json row =
        measuredAt((frames_ / "f00.fits").string(), series_->body[0], "--comet --apertures 3,6,10");
    ASSERT_TRUE(row.at("comet").is_object()) << row.dump();
    const json& comet = row.at("comet");
    EXPECT_EQ(keysOf(comet),
              (std::set<std::string>{"apertures", "coma_slope", "tail_pa_deg", "centroid"}));
    ASSERT_EQ(comet.at("apertures").size(), 3U);
    constexpr std::array radii{3.0, 6.0, 10.0};
    double before = 99.0;
    for (std::size_t i = 0; i < 3; ++i) {
        const json& circle = comet.at("apertures").at(i);
        EXPECT_EQ(
            keysOf(circle),
            (std::set<std::string>{"radius_arcsec", "mag", "mag_err", "afrho_cm", "afrho_err_cm"}));
        EXPECT_DOUBLE_EQ(circle.at("radius_arcsec").get<double>(), radii[i]);
        EXPECT_LT(circle.at("mag").get<double>(), before) << "a larger circle holds more light";
        before = circle.at("mag").get<double>();
        // Without an orbit there is no distance, so no A f rho.
        EXPECT_TRUE(circle.at("afrho_cm").is_null());
    }
    EXPECT_LT(separation(skyDegrees(row.at("ra").get<double>(), row.at("dec").get<double>()),
                         series_->body[0])
                  .arcsec(),
              0.5);
    EXPECT_FALSE(comet.at("centroid").get<std::string>().empty());
}

/// Truth: two sites on the equator 10 degrees of longitude apart are 2 R sin 5 = 1111.78 km from each other (R = 6378.137 km, exact on
/// the ellipsoid's equator). At that moment a place of 100 degrees of right ascension is on the meridian of 143.3 degrees of
/// longitude (sidereal time by the linear formula of the IAU, to 0.01 degrees), so the line between them runs east and west, and seen
/// from the eastern site what is near stands further west.
TEST_F(SeriesCommandsTest, TwoSitesTellADistance) {
    auto plan = smallPlan();
    plan.count = 2;
    plan.bodyElectrons = 9000.0;
    plan.eastArcsecPerFrame = -30.0;
    plan.northArcsecPerFrame = 0.0;
    plan.stars = 60;
    make(plan);
    const auto moved = secondAtTheFirstsTime();
    const auto a = series_->frames[0].place.wcs.toPixel(series_->body[0]);
    const auto b = series_->frames[1].place.wcs.toPixel(series_->body[1]);
    const json document =
        told(fmt::format("parallax '{}' '{}' --pixels {:.2f} {:.2f} {:.2f} {:.2f} --site-a 138.3 0 "
                         "0 --site-b 148.3 0 0",
                         (frames_ / "f00.fits").string(),
                         moved.string(),
                         a->x + 1.0,
                         a->y + 1.0,
                         b->x + 1.0,
                         b->y + 1.0));
    std::set<std::string> keys = keysOf(document);
    keys.erase("motion_taken_off");
    EXPECT_EQ(keys,
              (std::set<std::string>{"time_a",
                                     "time_b",
                                     "time_difference_s",
                                     "shift_arcsec",
                                     "shift_err_arcsec",
                                     "baseline_km",
                                     "baseline_perpendicular_km",
                                     "distance_au",
                                     "distance_err_au",
                                     "distance_km"}));
    EXPECT_NEAR(document.at("time_difference_s").get<double>(), 0.0, 1e-3);
    EXPECT_NEAR(document.at("baseline_km").get<double>(), 1111.7825, 0.01);
    EXPECT_NEAR(document.at("baseline_perpendicular_km").get<double>(), 1111.78, 0.05);
    const double shift = document.at("shift_arcsec").get<double>();
    const double shiftError = document.at("shift_err_arcsec").get<double>();
    EXPECT_NEAR(shift, 30.0, 5.0 * shiftError);
    EXPECT_LT(shiftError, 0.1);
    const double km = 1111.78 / (30.0 * kRadiansPerArcsec);
    EXPECT_NEAR(document.at("distance_km").get<double>(), km, 0.003 * km);
    EXPECT_NEAR(
        document.at("distance_au").get<double>(), km / 149597870.7, 0.003 * km / 149597870.7);
}

/// The body is the one light that both frames show in different places.
TEST_F(SeriesCommandsTest, WhatIsShiftedIsFoundNearAPlace) {
    auto plan = smallPlan();
    plan.count = 2;
    plan.bodyElectrons = 9000.0;
    plan.eastArcsecPerFrame = -24.0;
    plan.northArcsecPerFrame = 0.0;
    plan.stars = 90;
    make(plan);
    const auto moved = secondAtTheFirstsTime();
    const std::string start =
        fmt::format("parallax '{}' '{}' --site-a 138.3 0 0 --site-b 148.3 0 0 ",
                    (frames_ / "f00.fits").string(),
                    moved.string());
    // Half an arcminute off, as a prediction may be.
    const json found = told(start + "--near 100.008 30.004");
    ASSERT_TRUE(found.contains("shift_arcsec")) << found.dump();
    EXPECT_NEAR(found.at("shift_arcsec").get<double>(),
                24.0,
                5.0 * found.at("shift_err_arcsec").get<double>());
    // Pixels taken as they are, without a centroid: the same to half a pixel.
    const auto a = series_->frames[0].place.wcs.toPixel(series_->body[0]);
    const auto b = series_->frames[1].place.wcs.toPixel(series_->body[1]);
    const json fixed = told(fmt::format("{}--pixels {:.2f} {:.2f} {:.2f} {:.2f} --no-centroid",
                                        start,
                                        a->x + 1.0,
                                        a->y + 1.0,
                                        b->x + 1.0,
                                        b->y + 1.0));
    EXPECT_NEAR(fixed.at("shift_arcsec").get<double>(), 24.0, 0.05);
    EXPECT_GT(fixed.at("shift_err_arcsec").get<double>(),
              found.at("shift_err_arcsec").get<double>());
    // Against the line between the sites nothing near is shifted.
    const json turned = told(
        fmt::format("parallax '{}' '{}' --site-a 138.3 0 0 --site-b 138.3 40 0 --near 100.0 30.0",
                    (frames_ / "f00.fits").string(),
                    moved.string()),
        1);
    EXPECT_TRUE(turned.is_object());
}

} // namespace
} // namespace pathmark
