#include "core/base/time.h"
#include "core/frame/fits_file.h"
#include "core/frame/frame_info.h"
#include "tests/support/run_command.h"
#include "tests/support/table_rows.h"
#include "tests/support/tiny_night_test.h"

#include <fitsio.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::Ended;
using test_support::runCommand;

/// How frames are handed to a verb: as files, folders, images of one file; and how the camera's clock and rows reach every verb.
class FrameInputTest : public test_support::TinyNightTest {
  protected:
    [[nodiscard]] Ended call(const std::string& arguments) const {
        return runCommand(arguments, own_);
    }

    /// Runs some frames of the night into a folder of that name.
    Ended run(const std::string& frames, const std::string& out) const {
        return call(fmt::format("run {} --recipe '{}/recipe.toml' --out '{}' --json",
                                frames,
                                night().string(),
                                (own_ / out).string()));
    }

    [[nodiscard]] auto measured(const std::string& out) const {
        return test_support::rowsOf(
            test_support::contentOf(own_ / out / "measurements.csv"), ',', "body");
    }

    /// The orbits and the site, as options.
    [[nodiscard]] std::string bodies() const {
        return fmt::format(
            " --orbits '{}/orbits/orbits.json' --site-geodetic 23.4127 -31.2086 1374 --json ",
            night().string());
    }

    void describeCamera(const std::string& words) const {
        std::ofstream(night() / "equipment.toml") << "[[camera]]\nname = 'Brack S1'\n" << words;
        addToRecipe("[equipment]\nfile = 'equipment.toml'\n");
    }
};

TEST_F(FrameInputTest, ANightIsWhatIsNamed) {
    const std::string frames = fmt::format("'{}' '{}' '{}'",
                                           light("east_001").string(),
                                           light("west_002").string(),
                                           (night() / "calibration").string());
    const Ended gathered = call("gather --json " + frames);
    ASSERT_EQ(gathered.status, 0) << gathered.errors;
    std::size_t lights = 0;
    const json document = json::parse(gathered.output);
    for (const json& group : document.at("groups")) {
        lights += group.at("kind") == "light" ? group.at("frames").size() : 0;
    }
    EXPECT_EQ(lights, 2U);
    const Ended ended = run(frames, "some");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    EXPECT_EQ(json::parse(ended.output).at("lights"), 2);
    EXPECT_TRUE(fs::exists(own_ / "some" / "calibrated" / "west_002.fits"));
    EXPECT_FALSE(fs::exists(own_ / "some" / "calibrated" / "west_001.fits"));
}

TEST_F(FrameInputTest, EveryVerbTakesFilesAndFolders) {
    const std::string lights = (night() / "lights").string();
    const std::string missing = (night() / "nothing.fits").string();
    const std::string wcs = (own_ / "wcs").string();
    // All below the night but what calibrates; the file that is named twice counts once.
    const Ended solved =
        call(fmt::format("solve '{}' '{}' --store '{}/catalog' --catalog small --out '{}' --json",
                         night().string(),
                         light("east_001").string(),
                         night().string(),
                         wcs));
    ASSERT_EQ(solved.status, 0) << solved.errors;
    EXPECT_EQ(json::parse(solved.output).at("frames").size(), 4U);
    const Ended some =
        call(fmt::format("solve '{}' '{}' --store '{}/catalog' --catalog small --json",
                         light("east_001").string(),
                         missing,
                         night().string()));
    EXPECT_EQ(some.status, 1);
    EXPECT_EQ(json::parse(some.output).at("frames").size(), 2U);

    const std::string csv = (own_ / "all.csv").string();
    const Ended detected =
        call(fmt::format("detect '{}' --wcs '{}' --csv '{}' --json", lights, wcs, csv));
    ASSERT_EQ(detected.status, 0) << detected.errors;
    const json frames = json::parse(detected.output).at("frames");
    ASSERT_EQ(frames.size(), 4U);
    EXPECT_TRUE(frames.at(3).at("sources").at(0).contains("ra"));
    const auto rows = test_support::rowsOf(test_support::contentOf(csv), ',', "x");
    std::size_t sources = 0;
    for (const json& frame : frames) {
        sources += frame.at("sources").size();
    }
    EXPECT_EQ(rows.size(), sources);
    EXPECT_EQ(rows.back().at("file"), frames.at(3).at("file").get<std::string>());

    const Ended identified = call(fmt::format("identify '{}' --wcs '{}'", lights, wcs) + bodies());
    ASSERT_EQ(identified.status, 0) << identified.errors;
    EXPECT_EQ(json::parse(identified.output).at("frames").size(), 4U);
    const Ended listed = call(fmt::format("archive '{}' --wcs '{}'", lights, wcs) + bodies());
    ASSERT_EQ(listed.status, 0) << listed.errors;
    EXPECT_EQ(json::parse(listed.output).at("frames"), 4);
}

/// Truth: a clock that is 12.5 s fast says times 12.5 s late; what a run has put right already is right.
TEST_F(FrameInputTest, TheClockOfACameraReachesEveryVerb) {
    const std::string wcs = (own_ / "wcs").string();
    ASSERT_EQ(call(fmt::format("solve '{}' --store '{}/catalog' --catalog small --out '{}'",
                               light("east_001").string(),
                               night().string(),
                               wcs))
                  .status,
              0);
    describeCamera("clock_offset_s = 12.5\n");
    const std::string equipment = fmt::format(" --equipment '{}/equipment.toml'", night().string());
    const auto timeOf = [&](const std::string& frame, const std::string& options) {
        const Ended ended =
            call(fmt::format("identify '{}' --wcs '{}'{}", frame, wcs, options) + bodies());
        EXPECT_EQ(ended.status, 0) << ended.errors;
        return *parseUtc(
            json::parse(ended.output).at("frames").at(0).at("mid_time").get<std::string>());
    };
    const Utc plain = timeOf(light("east_001").string(), {});
    const Utc corrected = timeOf(light("east_001").string(), equipment);
    EXPECT_NEAR(corrected.secondsSince(plain), -12.5, 1e-3);
    ASSERT_EQ(run("'" + night().string() + "'", "out").status, 0);
    const Utc ours = timeOf((own_ / "out" / "calibrated" / "east_001.fits").string(), equipment);
    EXPECT_NEAR(ours.secondsSince(plain), -12.5, 2e-3);
}

/// Truth: rows that are read 20 ms after each other (an absurd camera, so that it shows): a body in row y is exposed that much later,
/// and is reported then, on frames and on stacks; where it is seen does not change.
TEST_F(FrameInputTest, ARollingShutterReachesFramesStacksAndPredictions) {
    ASSERT_EQ(run("'" + night().string() + "'", "plain").status, 0);
    const auto plain = measured("plain");
    describeCamera("row_delay_s = 0.02\n");
    ASSERT_EQ(run("'" + night().string() + "'", "delayed").status, 0);
    const auto delayed = measured("delayed");
    ASSERT_EQ(delayed.size(), plain.size());
    int stacks = 0;
    for (std::size_t i = 0; i < plain.size(); ++i) {
        const auto of = [](const auto& row, const char* column) {
            return std::stod(row.at(column));
        };
        const double later =
            parseUtc(delayed[i].at("time_utc"))->secondsSince(*parseUtc(plain[i].at("time_utc")));
        const bool onStack = plain[i].at("frames") != "1";
        stacks += onStack ? 1 : 0;
        if (!onStack) {
            EXPECT_NEAR(later, 0.02 * (of(plain[i], "y") - 1.0), 0.002 * 0.02 * 360 + 2e-3);
        }
        EXPECT_GT(later, 0.5);
        EXPECT_LT(later, 7.2);
        EXPECT_NEAR(of(delayed[i], "dec_deg"), of(plain[i], "dec_deg"), 0.1 / 3600);
    }
    EXPECT_GT(stacks, 0);
    const auto header = frame::readFitsHeader(own_ / "delayed" / "calibrated" / "east_001.fits");
    EXPECT_NEAR(header->number(frame::kRowDelayKeyword).value_or(0.0), 0.02, 1e-12);
}

/// One file of all the exposures of a camera, each in an extension.
void gatherInOneFile(const std::vector<fs::path>& files, const fs::path& into) {
    fitsfile* all = nullptr;
    int status = 0;
    fits_create_file(&all, into.c_str(), &status);
    fits_create_img(all, 8, 0, nullptr, &status);
    for (const fs::path& file : files) {
        fitsfile* one = nullptr;
        fits_open_diskfile(&one, file.c_str(), READONLY, &status);
        fits_copy_hdu(one, all, 0, &status);
        fits_close_file(one, &status);
    }
    fits_close_file(all, &status);
    ASSERT_EQ(status, 0);
}

/// Truth: the same exposures in files of their own.
TEST_F(FrameInputTest, ImagesOfOneFileAreFramesEach) {
    ASSERT_EQ(run("'" + night().string() + "'", "apart").status, 0);
    std::vector<fs::path> lights;
    for (const char* name : {"east_001", "east_002", "west_001", "west_002"}) {
        lights.push_back(light(name));
    }
    gatherInOneFile(lights, night() / "all.fits");
    fs::remove_all(night() / "lights");
    const Ended ended = run("'" + night().string() + "'", "together");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    EXPECT_EQ(json::parse(ended.output).at("lights"), 4);
    const auto apart = measured("apart");
    const auto together = measured("together");
    ASSERT_FALSE(apart.empty());
    ASSERT_EQ(together.size(), apart.size());
    for (std::size_t i = 0; i < apart.size(); ++i) {
        for (const char* column : {"body", "time_utc", "ra_deg", "dec_deg", "mag"}) {
            EXPECT_EQ(together[i].at(column), apart[i].at(column)) << i << column;
        }
    }
    // One image is named as cfitsio and others name it.
    const Ended one =
        call(fmt::format("solve '{}/all.fits[2]' --store '{}/catalog' --catalog small --json",
                         night().string(),
                         night().string()));
    EXPECT_EQ(one.status, 0) << one.errors;
}

} // namespace
} // namespace pathmark
