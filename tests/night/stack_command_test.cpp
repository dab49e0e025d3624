#include "core/frame/fits_file.h"
#include "tests/support/json_keys.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <fstream>
#include <set>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::Ended;
using test_support::keysOf;
using test_support::runCommand;
using test_support::TemporaryFolder;

/// Two bodies of the small night: one that a frame shows, and one that only a stack does.
constexpr const char* kBright = "(2711043)";

/// The verbs that work on a night's results, each on files alone.
class StackCommandTest : public testing::Test {
  protected:
    void SetUp() override {
        test_support::makeSmallNight(folder_.path() / "night");
        const Ended ran = call(fmt::format(
            "run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --quiet", night(), out()));
        ASSERT_EQ(ran.status, 0) << ran.errors;
        std::ifstream stream(night() + "/truth.json");
        truth_ = json::parse(stream);
    }

    [[nodiscard]] std::string night() const { return (folder_ / "night").string(); }

    [[nodiscard]] std::string out() const { return (folder_ / "out").string(); }

    [[nodiscard]] std::string body() const {
        return fmt::format("--body '{}' --orbits '{}/orbits/orbits.json' --site-geodetic 23.4127 "
                           "-31.2086 1374",
                           kBright,
                           night());
    }

    [[nodiscard]] Ended call(const std::string& arguments) const {
        return runCommand(arguments, folder_);
    }

    /// The one object that a call prints.
    [[nodiscard]] json told(const std::string& arguments, int status = 0) const {
        const Ended ended = call(arguments + " --json");
        EXPECT_EQ(ended.status, status) << ended.errors;
        return json::parse(ended.output);
    }

    TemporaryFolder folder_;
    json truth_;
};

TEST_F(StackCommandTest, StacksAreMadeAndMeasured) {
    const json document = told(fmt::format(
        "stack '{}/calibrated' {} --out '{}/made' --groups 2 --maps", out(), body(), out()));
    EXPECT_EQ(keysOf(document), (std::set<std::string>{"stacks", "path", "seconds"}));
    ASSERT_EQ(document.at("stacks").size(), 2U);
    ASSERT_EQ(document.at("path").size(), 6U);
    const json& stack = document.at("stacks").at(0);
    EXPECT_EQ(keysOf(stack),
              (std::set<std::string>{"file",
                                     "group",
                                     "frames",
                                     "mid_time",
                                     "exposure_seconds",
                                     "ra",
                                     "dec",
                                     "x",
                                     "y",
                                     "noise_e",
                                     "fwhm_arcsec",
                                     "zero_point",
                                     "limiting_mag",
                                     "clipped_share"}));
    EXPECT_EQ(keysOf(document.at("path").at(0)),
              (std::set<std::string>{
                  "file", "mid_time", "x", "y", "ra", "dec", "found", "offset_arcsec"}));
    auto reader = frame::FitsReader::open(stack.at("file").get<std::string>());
    ASSERT_TRUE(reader);
    for (const char* name : {"VARIANCE", "COVERAGE", "CLIPPED_LOW", "CLIPPED_HIGH"}) {
        EXPECT_TRUE(reader->extension(name)) << name;
    }
    EXPECT_EQ(reader->header().text("DATE-AVG").value_or("") + "Z",
              stack.at("mid_time").get<std::string>());
    // Truth: the simulator's places, frame by frame, of the path; the stack's own within its errors.
    for (const json& frame : truth_.at("frames")) {
        const std::string stem = fs::path(frame.at("file").get<std::string>()).stem().string();
        for (const json& point : document.at("path")) {
            if (fs::path(point.at("file").get<std::string>()).stem().string() == stem) {
                EXPECT_NEAR(point.at("x").get<double>(),
                            frame.at("bodies").at(kBright).at("x").get<double>(),
                            0.2);
            }
        }
    }
    const json measured =
        told(fmt::format("measure '{}' {}", stack.at("file").get<std::string>(), body()));
    const json& row = measured.at("measurements").at(0);
    EXPECT_EQ(measured.at("measurements").size(), 1U);
    EXPECT_GT(row.at("snr").get<double>(), 20.0);
    EXPECT_NEAR((row.at("ra").get<double>() - stack.at("ra").get<double>()) * 3600.0,
                0.0,
                5.0 * row.at("ra_err_arcsec").get<double>() + 0.05);
    EXPECT_NEAR((row.at("dec").get<double>() - stack.at("dec").get<double>()) * 3600.0,
                0.0,
                5.0 * row.at("dec_err_arcsec").get<double>() + 0.05);
}

/// What is there of the same frames is not made again; what is missing, or was changed, is, and tells the same as before.
TEST_F(StackCommandTest, WhatIsThereIsNotMadeAgain) {
    const std::string command = fmt::format(
        "stack '{}/calibrated' {} --out '{}/made' --groups 2 --still-sky", out(), body(), out());
    const json first = told(command);
    const fs::path one = first.at("stacks").at(0).at("file").get<std::string>();
    const fs::path two = first.at("stacks").at(1).at("file").get<std::string>();
    const auto writtenAt = [](const fs::path& file) { return fs::last_write_time(file); };
    const auto before = std::pair{writtenAt(one), writtenAt(two)};
    EXPECT_EQ(told(command).at("stacks"), first.at("stacks"));
    EXPECT_EQ((std::pair{writtenAt(one), writtenAt(two)}), before);
    fs::remove(two);
    EXPECT_EQ(told(command).at("stacks"), first.at("stacks"));
    EXPECT_EQ(writtenAt(one), before.first);
    fs::resize_file(one, fs::file_size(one) / 2);
    EXPECT_EQ(told(command).at("stacks"), first.at("stacks"));
    EXPECT_TRUE(frame::readFits(one)) << "a file that was cut is made again";
    // Otherwise made, it is another; what is no list of stacks is none.
    const auto kept = writtenAt(one);
    const json other = told(command + " --combination median");
    EXPECT_NE(other.at("stacks"), first.at("stacks"));
    EXPECT_NE(writtenAt(one), kept);
    std::ofstream(fs::path(out()) / "made" / "stacks.json") << "[1, {";
    EXPECT_EQ(told(command).at("stacks"), first.at("stacks"));
}

TEST_F(StackCommandTest, MeasureSaysAllItsFields) {
    const std::string frame = out() + "/calibrated/east_001.fits";
    const json document = told(fmt::format(
        "measure '{}' {} --store '{}/catalog' --catalog small", frame, body(), night()));
    EXPECT_EQ(keysOf(document), (std::set<std::string>{"measurements"}));
    const json& row = document.at("measurements").at(0);
    EXPECT_EQ(keysOf(row),
              (std::set<std::string>{"file",
                                     "mid_time",
                                     "ra",
                                     "dec",
                                     "x",
                                     "y",
                                     "ra_err_arcsec",
                                     "dec_err_arcsec",
                                     "mag",
                                     "mag_err",
                                     "band",
                                     "snr",
                                     "fwhm_arcsec",
                                     "chi_square",
                                     "flags",
                                     "upper_limit_mag",
                                     "comet"}));
    const json& truth = truth_.at("frames").at(0).at("bodies").at(kBright);
    EXPECT_NEAR(row.at("x").get<double>(), truth.at("x").get<double>(), 0.2);
    EXPECT_NEAR(row.at("y").get<double>(), truth.at("y").get<double>(), 0.2);
    // The very place, and nothing looked for: the same light.
    const json fixed =
        told(fmt::format("measure '{}' --at {} {} --no-centroid --store '{}/catalog' "
                         "--catalog small",
                         frame,
                         row.at("ra").get<double>(),
                         row.at("dec").get<double>(),
                         night()));
    EXPECT_NEAR(fixed.at("measurements").at(0).at("mag").get<double>(),
                row.at("mag").get<double>(),
                3.0 * row.at("mag_err").get<double>());
    // A map of its errors makes a frame no stack: the same light is measured in the same way.
    const auto loaded = frame::readFits(frame);
    ASSERT_TRUE(loaded);
    const frame::Image errors(loaded->image.width(), loaded->image.height(), 400.0F);
    const std::vector<frame::NamedImage> maps{{"VARIANCE", &errors}};
    ASSERT_TRUE(frame::writeFits(
        folder_ / "mapped.fits", loaded->image, loaded->header, frame::PixelType::Float32, maps));
    const json mapped = told(fmt::format("measure '{}' {} --store '{}/catalog' --catalog small",
                                         (folder_ / "mapped.fits").string(),
                                         body(),
                                         night()));
    EXPECT_NEAR(
        mapped.at("measurements").at(0).at("snr").get<double>(), row.at("snr").get<double>(), 1e-6);
    // An empty place has a limit, and no place.
    const json empty = told(fmt::format("measure '{}' --pixel 40 40 --no-centroid", frame));
    const json& none = empty.at("measurements").at(0);
    EXPECT_TRUE(none.at("ra").is_null());
    EXPECT_TRUE(none.at("mag").is_null());
    EXPECT_GT(none.at("upper_limit_mag").get<double>(), 16.0);
}

TEST_F(StackCommandTest, MarksLeadAndNonsenseIsRefused) {
    std::ofstream(folder_ / "marks.csv") << [&] {
        std::string text = "file,x,y\n";
        for (const std::size_t i : {std::size_t{0}, std::size_t{5}}) {
            const json& frame = truth_.at("frames").at(i);
            const json& place = frame.at("bodies").at(kBright);
            text += fmt::format("{},{},{}\n",
                                fs::path(frame.at("file").get<std::string>()).filename().string(),
                                place.at("x").get<double>() + 3.0,
                                place.at("y").get<double>() - 3.0);
        }
        return text;
    }();
    const json document =
        told(fmt::format("stack '{0}/calibrated' --marks '{1}' --out '{0}/marked' --canvas body",
                         out(),
                         (folder_ / "marks.csv").string()));
    for (const json& point : document.at("path")) {
        for (const json& frame : truth_.at("frames")) {
            if (fs::path(point.at("file").get<std::string>()).stem() ==
                fs::path(frame.at("file").get<std::string>()).stem()) {
                EXPECT_NEAR(point.at("x").get<double>(),
                            frame.at("bodies").at(kBright).at("x").get<double>(),
                            0.5);
            }
        }
    }
    const std::string frames = fmt::format("stack '{0}/calibrated' --out '{0}/x' ", out());
    (void)told(frames, 2);
    (void)told(frames + "--stars --rate 1 --angle 2", 2);
    (void)told(frames + "--stars --canvas round", 2);
    (void)told(frames + "--stars --combination best", 2);
    (void)told(frames + "--stars --still-sky", 2);
    (void)told(frames + "--rate 1", 2);
    (void)told(frames + "--stars --crop 10 -80 3 3", 1);
    std::ofstream(folder_ / "bad.csv") << "file,x,y\nother.fits,1,2\n";
    (void)told(frames + fmt::format("--marks '{}'", (folder_ / "bad.csv").string()), 1);
    EXPECT_FALSE(fs::exists(out() + "/x/.still-sky"));
}

TEST_F(StackCommandTest, LightCurvesHaveTheirFieldsAndFiles) {
    const std::string files = fmt::format(
        "--csv '{0}/c.csv' --alcdef '{0}/c.txt' --votable '{0}/c.vot' --save-set '{0}/set.csv'",
        folder_.path().string());
    const std::string start = fmt::format(
        "photometry '{}/calibrated' --store '{}/catalog' --catalog small ", out(), night());
    const json document = told(start + body() + " " + files);
    ASSERT_EQ(document.at("bands").size(), 1U);
    const json& band = document.at("bands").at(0);
    EXPECT_EQ(keysOf(band),
              (std::set<std::string>{
                  "band", "frames", "targets", "comparison", "check", "stars", "zero_points"}));
    const json& target = band.at("targets").at(0);
    for (const char* key :
         {"name", "points", "period_h", "period_err_h", "amplitude_mag", "false_alarm_log10"}) {
        EXPECT_TRUE(target.contains(key)) << key;
    }
    ASSERT_EQ(target.at("points").size(), 6U);
    EXPECT_EQ(keysOf(target.at("points").at(0)),
              (std::set<std::string>{
                  "file", "mid_time", "bjd_tdb", "mag", "mag_err", "reduced_mag", "snr", "flags"}));
    EXPECT_EQ(
        keysOf(band.at("stars").at(0)),
        (std::set<std::string>{
            "source_id", "ra", "dec", "mag", "rms_mag", "expected_rms_mag", "variable", "flags"}));
    EXPECT_EQ(keysOf(band.at("comparison").at(0)),
              (std::set<std::string>{
                  "source_id", "ra", "dec", "mag", "rms_mag", "expected_rms_mag", "used"}));
    EXPECT_EQ(keysOf(band.at("zero_points").at(0)),
              (std::set<std::string>{"file", "zero_point", "error", "extinction"}));
    // No star of the made-up field varies.
    for (const json& star : band.at("stars")) {
        EXPECT_FALSE(star.at("variable").get<bool>()) << star.dump();
    }
    // The set that was saved serves again, and makes the same magnitudes.
    const json again =
        told(start + body() + fmt::format(" --set '{}/set.csv'", folder_.path().string()));
    const json& second = again.at("bands").at(0).at("targets").at(0).at("points");
    for (std::size_t i = 0; i < 6; ++i) {
        EXPECT_NEAR(second.at(i).at("mag").get<double>(),
                    target.at("points").at(i).at("mag").get<double>(),
                    0.01);
    }
    // Each file holds the six points.
    const auto linesWith = [&](const char* file, const std::string& word) {
        std::ifstream stream(folder_ / file);
        int count = 0;
        for (std::string line; std::getline(stream, line);) {
            count += line.find(word) != std::string::npos ? 1 : 0;
        }
        return count;
    };
    EXPECT_EQ(linesWith("c.csv", kBright), 6);
    EXPECT_EQ(linesWith("c.txt", "DATA="), 6 + 1); // and REVISEDDATA
    EXPECT_EQ(linesWith("c.vot", "<TR>"), 6);
    (void)told(start + "--period 5 2", 2);
    (void)told(start + "--band Q", 2);
    (void)told(start + fmt::format("--set '{}/none.csv'", folder_.path().string()), 1);
}

/// Told on the command line, the same night comes out as by its recipe.
TEST_F(StackCommandTest, ANightWithoutARecipeIsTheSame) {
    const std::string told =
        fmt::format("run '{0}' --out '{1}/bare' --store '{0}/catalog' --orbits "
                    "'{0}/orbits/orbits.json' --site XXX --site-geodetic 23.4127 "
                    "-31.2086 1374 --observer 'N. Ovara' --quiet",
                    night(),
                    folder_.path().string());
    const Ended ended = call(told);
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const auto rowsOf = [](const std::string& path) {
        std::ifstream stream(path);
        int rows = -1;
        for (std::string line; std::getline(stream, line);) {
            ++rows;
        }
        return rows;
    };
    const std::string bare = folder_.path().string() + "/bare";
    EXPECT_GT(rowsOf(bare + "/measurements.csv"), 5);
    EXPECT_TRUE(fs::exists(bare + "/recipe.toml"));
    // And the next run goes by what was written.
    EXPECT_EQ(call(fmt::format("run '{}' --out '{}' --quiet", night(), bare)).status, 0);
}

TEST_F(StackCommandTest, ParallaxIsRefusedWhereNothingIsShifted) {
    const std::string frame = out() + "/calibrated/east_001.fits";
    const std::string sites = "--site-a 23.4127 -31.2086 1374 --site-b 23.4127 -31.2086 1374";
    (void)told(fmt::format(
                   "parallax '{0}' '{0}' {1} --pixels 100 100 100 100 --no-centroid", frame, sites),
               1);
    (void)told(fmt::format("parallax '{0}' '{0}' {1}", frame, sites), 2);
    (void)told(fmt::format("parallax '{0}' '{0}' {1} --near 1 2 --no-centroid", frame, sites), 2);
}

} // namespace
} // namespace pathmark
