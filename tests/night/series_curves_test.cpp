#include "core/frame/fits_file.h"
#include "tests/support/json_keys.h"
#include "tests/support/series_test.h"

#include <cmath>
#include <fstream>
#include <numbers>
#include <set>

// Light curves and films by the command, with every option that they promise. Truth: the electrons that were painted.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::keysOf;
using test_support::seriesMagnitude;

class SeriesCurvesTest : public test_support::SeriesTest {
  protected:
    /// A light of no catalogue that stands still, and the stars about it.
    static test_support::MovingFramesPlan stillPlan(int count) {
        auto plan = smallPlan();
        plan.count = count;
        plan.eastArcsecPerFrame = 0.0;
        plan.northArcsecPerFrame = 0.0;
        plan.bodyElectrons = 9000.0;
        return plan;
    }

    [[nodiscard]] std::string photometry(const std::string& options) const {
        return fmt::format("photometry '{}' --store '{}' --catalog made {}",
                           frames_.path().string(),
                           folder_.path().string(),
                           options);
    }

    [[nodiscard]] std::string file(const char* name) const { return (folder_ / name).string(); }
};

/// What is chosen once by place serves again: targets, comparison stars and the check star.
TEST_F(SeriesCurvesTest, ASavedSetServesAnotherTime) {
    make(stillPlan(8));
    const json first =
        told(photometry(fmt::format("--at 100 30 --save-set '{}'", file("set.csv"))));
    ASSERT_EQ(first.at("bands").size(), 1U);
    const json& band = first.at("bands").at(0);
    ASSERT_EQ(band.at("targets").size(), 1U);
    ASSERT_EQ(band.at("targets").at(0).at("points").size(), 8U);
    for (const json& point : band.at("targets").at(0).at("points")) {
        EXPECT_NEAR(point.at("mag").get<double>(),
                    seriesMagnitude(9000.0),
                    5.0 * point.at("mag_err").get<double>() + 0.02);
        EXPECT_TRUE(point.at("reduced_mag").is_null());
    }
    const json second = told(photometry(fmt::format("--set '{}'", file("set.csv"))));
    const json& again = second.at("bands").at(0);
    ASSERT_EQ(again.at("targets").size(), 1U) << "the target stands in the set";
    EXPECT_EQ(again.at("comparison").size(), band.at("comparison").size());
    EXPECT_EQ(again.at("check").at("source_id"), band.at("check").at("source_id"));
    for (std::size_t i = 0; i < 8; ++i) {
        EXPECT_NEAR(again.at("targets").at(0).at("points").at(i).at("mag").get<double>(),
                    band.at("targets").at(0).at("points").at(i).at("mag").get<double>(),
                    0.005);
    }
}

/// Circles tell what the profile tells, each with the errors that it states. Truth: the light painted.
TEST_F(SeriesCurvesTest, CirclesSayWhatTheProfileSays) {
    make(stillPlan(8));
    for (const char* method :
         {"", "--aperture-best", "--aperture-fwhm 1.2", "--aperture-arcsec 4"}) {
        const json document = told(photometry(std::string("--at 100 30 ") + method));
        const json& points = document.at("bands").at(0).at("targets").at(0).at("points");
        ASSERT_EQ(points.size(), 8U) << method;
        double chi = 0.0;
        for (const json& point : points) {
            const double off = point.at("mag").get<double>() - seriesMagnitude(9000.0);
            EXPECT_NEAR(off, 0.0, 5.0 * point.at("mag_err").get<double>() + 0.02) << method;
            chi += std::pow(off / point.at("mag_err").get<double>(), 2) / 8.0;
        }
        EXPECT_LT(chi, 3.0) << method;
    }
    EXPECT_NE(test_support::runCommand(photometry("--at 100 30 --aperture-best --aperture-fwhm 2"),
                                       folder_)
                  .status,
              0);
}

/// Three stars that the observer trusts, and no others.
TEST_F(SeriesCurvesTest, AHandfulOfChosenStarsIsEnough) {
    make(stillPlan(6));
    const json all = told(photometry("--at 100 30"));
    std::ofstream set(folder_ / "three.csv");
    set << "role,name,ra,dec,band,mag\n";
    const json& comparison = all.at("bands").at(0).at("comparison");
    ASSERT_GE(comparison.size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) {
        set << fmt::format("comparison,{},{:.7f},{:.7f},V,{:.4f}\n",
                           i,
                           comparison.at(i).at("ra").get<double>(),
                           comparison.at(i).at("dec").get<double>(),
                           comparison.at(i).at("mag").get<double>() - 1.0);
    }
    set.close();
    const json few = told(photometry(fmt::format("--at 100 30 --set '{}'", file("three.csv"))));
    const json& band = few.at("bands").at(0);
    EXPECT_EQ(band.at("comparison").size(), 3U);
    // Typed a magnitude brighter: all that is measured against them is so.
    EXPECT_NEAR(band.at("targets").at(0).at("points").at(0).at("mag").get<double>(),
                seriesMagnitude(9000.0) - 1.0,
                0.06);
}

TEST_F(SeriesCurvesTest, TablesHoldWhatTheObjectSays) {
    make(stillPlan(6));
    const json document = told(photometry(fmt::format(
        "--at 100 30 --at 100.01 30.01 --band V --csv '{}' --votable '{}' --alcdef '{}'",
        file("c.csv"),
        file("c.vot"),
        file("c.txt"))));
    const json& targets = document.at("bands").at(0).at("targets");
    ASSERT_EQ(targets.size(), 2U);
    std::ifstream stream(folder_ / "c.csv");
    std::string line;
    std::getline(stream, line);
    const auto columns = std::count(line.begin(), line.end(), ',');
    int rows = 0;
    while (std::getline(stream, line)) {
        EXPECT_EQ(std::count(line.begin(), line.end(), ','), columns) << line;
        ++rows;
    }
    EXPECT_EQ(rows, 12);
    EXPECT_NE(test_support::contentOf(folder_ / "c.vot").find("<VOTABLE"), std::string::npos);
    const std::string exchange = test_support::contentOf(folder_ / "c.txt");
    EXPECT_NE(exchange.find("STARTMETADATA"), std::string::npos);
    EXPECT_NE(exchange.find("ENDDATA"), std::string::npos);
    // No frame is in that band: nothing to tell, and no failure.
    EXPECT_TRUE(told(photometry("--at 100 30 --band R")).at("bands").empty());
}

/// Truth: a sine of 0.3 magnitudes and a period of 12 minutes was painted onto the light.
TEST_F(SeriesCurvesTest, APeriodIsFoundWithinItsError) {
    make(stillPlan(40));
    constexpr double hours = 0.2;
    constexpr double half = 0.15; // magnitudes up and down
    for (std::size_t i = 0; i < series_->frames.size(); ++i) {
        const auto path = frames_ / fmt::format("f{:02}.fits", i);
        auto loaded = frame::readFits(path);
        ASSERT_TRUE(loaded);
        const double phase = 2.0 * std::numbers::pi * static_cast<double>(i) / 60.0 / hours;
        // What is to be added to the 9000 electrons that are there already.
        const double more = 9000.0 * (std::pow(10.0, 0.4 * half * (1.0 + std::sin(phase))) - 1.0);
        const auto at = series_->frames[i].place.wcs.toPixel(series_->body[i]);
        const double transparency = 1.0 / series_->frames[i].fluxScale;
        simulate::paintPoint(loaded->image,
                             {series_->frames[i].fwhm, 0.06, 30.0, 3.2},
                             at->x,
                             at->y,
                             transparency * more);
        ASSERT_TRUE(frame::writeFits(path, loaded->image, loaded->header));
    }
    const json curve =
        told(photometry("--at 100 30 --period 0.05 0.5")).at("bands").at(0).at("targets").at(0);
    ASSERT_FALSE(curve.at("period_h").is_null()) << curve.dump().substr(0, 300);
    EXPECT_NEAR(curve.at("period_h").get<double>(),
                hours,
                4.0 * curve.at("period_err_h").get<double>() + 0.0005);
    EXPECT_NEAR(curve.at("amplitude_mag").get<double>(), 2.0 * half, 0.03);
    EXPECT_LT(curve.at("false_alarm_log10").get<double>(), -6.0);
    // A light that does not change has no such period.
    const json still = told(photometry("--at 100.0001 30.05 --period 0.05 0.5"))
                           .at("bands")
                           .at(0)
                           .at("targets")
                           .at(0);
    EXPECT_TRUE(still.at("false_alarm_log10").is_null() ||
                still.at("false_alarm_log10").get<double>() > -3.0);
}

/// What one frame lost to a cloud is said of that frame alone.
TEST_F(SeriesCurvesTest, ACloudIsFlaggedInItsFrame) {
    make(stillPlan(6));
    const auto path = frames_ / "f03.fits";
    auto loaded = frame::readFits(path);
    ASSERT_TRUE(loaded);
    for (float& v : loaded->image.pixels()) {
        v = 400.0F + 0.3F * (v - 400.0F); // the sky shines on below the cloud
    }
    ASSERT_TRUE(frame::writeFits(path, loaded->image, loaded->header));
    const json points =
        told(photometry("--at 100 30")).at("bands").at(0).at("targets").at(0).at("points");
    for (std::size_t i = 0; i < 6; ++i) {
        const json& flags = points.at(i).at("flags");
        const bool isCloud = std::find(flags.begin(), flags.end(), "cloud") != flags.end();
        EXPECT_EQ(isCloud, i == 3) << i << points.at(i).dump();
    }
}

TEST_F(SeriesCurvesTest, FilmsComeInEveryFormat) {
    make(smallPlan());
    const std::string start = fmt::format("film '{}' ", frames_.path().string());
    const std::string motion = "--rate 6.5 --angle 112.62 --near 100 30 ";
    for (const char* name : {"a.mp4", "a.webm", "a.gif"}) {
        const json film =
            told(fmt::format("{}{}--out '{}' --fps 12 --stamp --path", start, motion, file(name)));
        EXPECT_EQ(keysOf(film),
                  (std::set<std::string>{"file", "frames", "seconds", "width", "height", "fps"}))
            << name;
        EXPECT_EQ(film.at("frames"), 6) << name;
        EXPECT_DOUBLE_EQ(film.at("seconds").get<double>(), 0.5) << name;
        EXPECT_GT(fs::file_size(film.at("file").get<std::string>()), 500U) << name;
    }
    // 3 by 2 arcmin at an arcsecond a pixel.
    const json cropped = told(fmt::format(
        "{}--stars --crop 100 30 3 2 --stretch linear --out '{}'", start, file("b.mp4")));
    EXPECT_EQ(cropped.at("width"), 180);
    EXPECT_EQ(cropped.at("height"), 120);
    EXPECT_DOUBLE_EQ(cropped.at("fps").get<double>(), 10.0);
    const json narrow = told(fmt::format("{}--stars --width 100 --out '{}'", start, file("c.mp4")));
    EXPECT_EQ(narrow.at("width"), 100);
}

TEST_F(SeriesCurvesTest, WhatCannotBeMeantIsWrongUse) {
    make(stillPlan(2));
    for (const char* options :
         {"--period 5 2", "--period 0 2", "--band Q", "--at 100 95", "--at 100", "--body '(5)'"}) {
        EXPECT_TRUE(told(photometry(options), 2).is_object()) << options;
    }
    EXPECT_TRUE(told(photometry("--set '/nowhere/set.csv'"), 1).is_object());
}

} // namespace
} // namespace pathmark
