#include "core/base/hash.h"
#include "core/frame/fits_file.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"

#include <nlohmann/json.hpp>

#include <map>

namespace pathmark {
namespace {

using nlohmann::json;
namespace fs = std::filesystem;
using test_support::Ended;
using test_support::runCommand;
using test_support::TemporaryFolder;

class CalibrateCommandTest : public testing::Test {
  protected:
    void SetUp() override { test_support::makeSmallNight(folder.path() / "night"); }

    Ended calibrate(const std::string& options = {}, const std::string& out = "out") {
        return runCommand(fmt::format("calibrate '{}' --out '{}' --json {}",
                                      (folder / "night").string(),
                                      (folder / out).string(),
                                      options),
                          folder);
    }

    static std::map<std::string, json> feedsOf(const json& document) {
        std::map<std::string, json> feeds;
        for (const json& feed : document.at("series").at(0).at("match").at("feeds")) {
            feeds[feed.at("role").get<std::string>()] = feed;
        }
        return feeds;
    }

    TemporaryFolder folder;
};

TEST_F(CalibrateCommandTest, EveryLightIsCalibratedAndNoInputIsTouched) {
    std::map<std::string, std::string> before;
    for (const auto& entry : fs::recursive_directory_iterator(folder / "night")) {
        if (entry.is_regular_file()) {
            before[entry.path().string()] = *contentHash(entry.path());
        }
    }
    const Ended ended = calibrate("--variance");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    ASSERT_EQ(document.at("series").size(), 1U);
    const json& files = document.at("series").at(0).at("files");
    ASSERT_EQ(files.size(), 6U);
    EXPECT_EQ(feedsOf(document).count("dark"), 1U);
    EXPECT_EQ(feedsOf(document).count("flat"), 1U);
    for (const auto& [path, hash] : before) {
        EXPECT_EQ(*contentHash(path), hash) << path;
    }
    auto reader = frame::FitsReader::open(files.at(0).at("calibrated").get<std::string>());
    ASSERT_TRUE(reader);
    EXPECT_EQ(reader->header().text("BUNIT"), "electron");
    EXPECT_FALSE(reader->header().text("PMDARK")->empty());
    EXPECT_FALSE(reader->header().text("PMFLAT")->empty());
    const auto variance = reader->extension("VARIANCE");
    ASSERT_TRUE(variance);
    EXPECT_GT(variance->at(300, 200), 10.0F);
    // Run again: what is there is not done again.
    const auto written = fs::last_write_time(files.at(0).at("calibrated").get<std::string>());
    ASSERT_EQ(calibrate("--variance").status, 0);
    EXPECT_EQ(fs::last_write_time(files.at(0).at("calibrated").get<std::string>()), written);
}

TEST_F(CalibrateCommandTest, TheLibraryFeedsAnotherNight) {
    const std::string library = fmt::format("--library '{}'", (folder / "library").string());
    ASSERT_EQ(calibrate(library).status, 0);
    // Another night: the same lights, no calibration frames of its own.
    for (const auto& entry : fs::directory_iterator(folder / "night")) {
        if (entry.is_directory() && entry.path().filename() != "lights") {
            fs::remove_all(entry.path());
        }
    }
    const Ended ended = calibrate(library + " --gain 0.83 --read-noise 4", "second");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const auto feeds = feedsOf(json::parse(ended.output));
    ASSERT_EQ(feeds.count("dark"), 1U) << ended.output;
    ASSERT_EQ(feeds.count("flat"), 1U);
    EXPECT_TRUE(feeds.at("dark").at("ready").get<bool>());
    // The same masters give the same pixels.
    const auto first = frame::readFits(folder / "out" / "calibrated" / "east_001.fits");
    const auto second = frame::readFits(folder / "second" / "calibrated" / "east_001.fits");
    ASSERT_TRUE(first && second);
    const double ratio =
        static_cast<double>(second->image.at(100, 100)) / 0.83 /
        (static_cast<double>(first->image.at(100, 100)) / *first->header.number("PMGAIN"));
    EXPECT_NEAR(ratio, 1.0, 1e-5);
    // Of five flats of some thousand electrons a pixel, whether masters are new or ready.
    const double flatError = first->header.number("PMFLATER").value_or(0.0);
    EXPECT_GT(flatError, 0.001);
    EXPECT_LT(flatError, 0.01);
    EXPECT_NEAR(second->header.number("PMFLATER").value_or(0.0), flatError, 1e-6);
}

TEST_F(CalibrateCommandTest, BadFilesAreNamedAndTheRestGoesOn) {
    const fs::path lights = folder / "night" / "lights";
    fs::resize_file(lights / "east_002.fits", 20000);
    // A dark of another size, and a colour picture among the mono lights.
    frame::Header header;
    header.set("IMAGETYP", std::string("Dark"));
    header.set("EXPTIME", 60.0);
    ASSERT_TRUE(frame::writeFits(folder / "night" / "odd-dark.fits",
                                 frame::Image(100, 80, 500.0F),
                                 header,
                                 frame::PixelType::UInt16));
    const Ended ended = calibrate();
    EXPECT_EQ(ended.status, 1);
    const json document = json::parse(ended.output);
    ASSERT_EQ(document.at("failures").size(), 1U);
    EXPECT_EQ(document.at("failures").at(0).at("id"), "frame.truncated");
    EXPECT_NE(document.at("failures").at(0).at("file").get<std::string>().find("east_002"),
              std::string::npos);
    EXPECT_EQ(document.at("series").at(0).at("files").size(), 5U);
    bool passed = false;
    for (const json& candidate : document.at("series").at(0).at("match").at("passed_over")) {
        passed = passed || candidate.at("why").get<std::string>().find("its size is 100 x 80") == 0;
    }
    EXPECT_TRUE(passed) << ended.output;
}

/// What the observer names feeds the lights, and is said to be named; `none` is none; what is not there is said.
TEST_F(CalibrateCommandTest, AMatchIsOverruledByAPath) {
    const auto flatOf = [&](const std::string& options, const std::string& out) {
        const Ended ended = calibrate(options, out);
        EXPECT_EQ(ended.status, 0) << ended.errors;
        return feedsOf(json::parse(ended.output));
    };
    // Other flats of the same camera, of a year before: never the cheapest.
    const fs::path others = folder / "night" / "old-flats";
    fs::create_directories(others);
    for (const auto& file : fs::directory_iterator(folder / "night" / "calibration")) {
        auto loaded = frame::readFits(file.path());
        ASSERT_TRUE(loaded);
        const std::string name = file.path().filename().string();
        if (name.find("_flat_") != std::string::npos) {
            loaded->header.set("DATE-OBS", std::string("2033-03-17T18:00:00"));
            ASSERT_TRUE(frame::writeFits(
                others / name, loaded->image, loaded->header, frame::PixelType::UInt16));
        }
    }
    auto feeds = flatOf({}, "plain");
    EXPECT_FALSE(feeds.at("flat").at("by_hand").get<bool>());
    EXPECT_EQ(feeds.at("flat").at("files").at(0).get<std::string>().find("old-flats"),
              std::string::npos);
    feeds = flatOf("--use flat=old-flats/", "named");
    EXPECT_TRUE(feeds.at("flat").at("by_hand").get<bool>());
    EXPECT_NE(feeds.at("flat").at("files").at(0).get<std::string>().find("old-flats"),
              std::string::npos);
    EXPECT_FALSE(feeds.at("dark").at("by_hand").get<bool>());
    feeds = flatOf("--use flat=none --use dark=none", "none");
    EXPECT_EQ(feeds.count("flat") + feeds.count("dark"), 0U);
    const Ended absent = calibrate("--use flat=nowhere/", "absent");
    const json match = json::parse(absent.output).at("series").at(0).at("match");
    EXPECT_NE(match.at("warnings").dump().find("nowhere/"), std::string::npos);
    EXPECT_EQ(calibrate("--use flats=old", "wrong").status, 2);
}

TEST_F(CalibrateCommandTest, FlatsOfTheSkyAndLevellingSayWhatWasDone) {
    const Ended level = calibrate(
        "--as light=no-such-file --without-flats level --level 500 --as dark=flat", "level");
    ASSERT_EQ(level.status, 0) << level.errors;
    EXPECT_NE(json::parse(level.output)
                  .at("series")
                  .at(0)
                  .at("without_flats")
                  .get<std::string>()
                  .find("levelled"),
              std::string::npos);
    const auto image = frame::readFits(folder / "level" / "calibrated" / "east_001.fits");
    ASSERT_TRUE(image);
    EXPECT_EQ(image->header.number("PMLEVEL"), 500.0);
    const Ended sky = calibrate("--without-flats sky --as dark=flat", "sky");
    ASSERT_EQ(sky.status, 0) << sky.errors;
    EXPECT_NE(json::parse(sky.output)
                  .at("series")
                  .at(0)
                  .at("without_flats")
                  .get<std::string>()
                  .find("own sky"),
              std::string::npos);
}

TEST_F(CalibrateCommandTest, AGradientTakenAwayCanBeLookedAt) {
    const Ended ended = calibrate(
        "--gradient 1 --gradient-per series --gradient-model --protect 300 200 60", "gradient");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    auto reader = frame::FitsReader::open(folder / "gradient" / "calibrated" / "east_001.fits");
    ASSERT_TRUE(reader);
    const auto model = reader->extension("GRADIENT");
    ASSERT_TRUE(model);
    // A plane: the sums of opposite corners agree.
    EXPECT_NEAR(
        model->at(0, 0) + model->at(639, 511), model->at(639, 0) + model->at(0, 511), 0.01F);
    EXPECT_EQ(calibrate("--protect 300 200").status, 2);
}

TEST_F(CalibrateCommandTest, WrongUseIsSaidWithWhatThereIs) {
    const Ended combination = calibrate("--combination avg");
    EXPECT_EQ(combination.status, 2);
    EXPECT_NE(combination.errors.find("sigma-clip"), std::string::npos) << combination.errors;
    const Ended kind = calibrate("--as flats");
    EXPECT_EQ(kind.status, 2);
    EXPECT_NE(kind.errors.find("KIND=PART"), std::string::npos) << kind.errors;
    EXPECT_EQ(calibrate("--gradient 9").status, 2);
    const Ended nowhere = runCommand(
        fmt::format("calibrate /no/such/folder --out '{}'", (folder / "new").string()), folder);
    EXPECT_EQ(nowhere.status, 1);
    EXPECT_NE(nowhere.errors.find("There is no such folder"), std::string::npos) << nowhere.errors;
    EXPECT_FALSE(std::filesystem::exists(folder / "new"));
}

TEST_F(CalibrateCommandTest, HeadersAreSearchedAndCompared) {
    const std::string files = fmt::format("'{0}/east_001.fits' '{0}/east_002.fits'",
                                          (folder / "night" / "lights").string());
    const Ended found = runCommand("header " + files + " --find exptime --json", folder);
    ASSERT_EQ(found.status, 0) << found.errors;
    const json headers = json::parse(found.output).at("headers");
    ASSERT_EQ(headers.size(), 2U);
    for (const json& card : headers.at(0).at("cards")) {
        EXPECT_NE(card.dump().find("EXPTIME"), std::string::npos);
    }
    const Ended compared = runCommand("header " + files + " --differences --json", folder);
    ASSERT_EQ(compared.status, 0);
    const json differences = json::parse(compared.output).at("differences");
    EXPECT_FALSE(differences.empty());
    for (const json& line : differences) {
        EXPECT_NE(line.at("values").at(0), line.at("values").at(1));
    }
}

} // namespace
} // namespace pathmark
