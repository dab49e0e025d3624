#include "core/frame/fits_file.h"
#include "standin/file_service.h"
#include "tests/support/matchers.h"
#include "tests/support/report_files.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <filesystem>
#include <fstream>
#include <set>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::Ended;
using test_support::TemporaryFolder;

constexpr const char* kSite =
    "--site XXX --site-geodetic 23.4127 -31.2086 1374 --observer 'I. Vellamo'";

/// A folder of frames and nothing else, of an observer who has nothing yet.
class BareNightTest : public testing::Test {
  protected:
    void SetUp() override {
        test_support::makeSmallNight(folder_ / "made");
        fs::create_directories(folder_ / "night");
        for (const char* part : {"lights", "calibration"}) {
            fs::rename(folder_ / "made" / part, folder_ / "night" / part);
        }
        serve({}, {});
    }

    /// services.toml: these and no others.
    void serve(const std::string& field, const std::string& orbits) const {
        fs::create_directories(folder_ / "settings" / "pathmark");
        std::ofstream(folder_ / "settings" / "pathmark" / "services.toml")
            << fmt::format("field = '{}'\norbits = '{}'\ncomets = ''\nsites = ''\n"
                           "earth-orientation = ''\nleap-seconds = ''\n",
                           field,
                           orbits);
    }

    [[nodiscard]] Ended run(const char* out, const std::string& words) const {
        return test_support::runCommand(
            fmt::format("run '{}' --out '{}' --json --quiet {}",
                        (folder_ / "night").string(),
                        (folder_ / out).string(),
                        words),
            folder_,
            fmt::format("XDG_DATA_HOME='{0}/data' XDG_CONFIG_HOME='{0}/settings' ",
                        folder_.path().string()));
    }

    static std::set<std::string> problemsOf(const Ended& ended) {
        std::set<std::string> ids;
        const json document = json::parse(ended.output);
        for (const json& failure : document.at("failures")) {
            ids.insert(failure.at("id"));
        }
        return ids;
    }

    [[nodiscard]] std::string textOf(const fs::path& path) const {
        std::ifstream stream(folder_ / path, std::ios::binary);
        return {std::istreambuf_iterator<char>(stream), {}};
    }

    TemporaryFolder folder_;
};

TEST_F(BareNightTest, WithTheServicesItIsTheNightOfARecipe) {
    standin::ServiceOptions options;
    options.stars = folder_ / "made" / "catalog" / "stars.csv";
    const standin::CatalogService catalog(options);
    const standin::FileService files({folder_ / "made" / "orbits", 0, standin::Fault::None});
    serve(catalog.address() + "/tap", files.address() + "/minor-planets.txt");
    const Ended first = run("first", kSite);
    ASSERT_EQ(first.status, 0) << first.errors;
    const json document = json::parse(first.output);
    EXPECT_EQ(document.at("solved"), document.at("lights"));
    EXPECT_GE(document.at("bodies"), 2);
    EXPECT_GT(document.at("kept"), 0);
    EXPECT_NE(textOf("first/report.psv").find("I. Vellamo"), std::string::npos);
    // Told once; nothing is asked of the services again, and the report is the same to the byte.
    const int asked = catalog.requests() + files.requests();
    const Ended again = run("first", "");
    EXPECT_EQ(again.status, 0) << again.errors;
    EXPECT_EQ(catalog.requests() + files.requests(), asked);
    const Ended elsewhere = run("second", kSite);
    EXPECT_EQ(elsewhere.status, 0);
    EXPECT_EQ(textOf("second/report.psv"), textOf("first/report.psv"));
}

/// Truth: the simulated night moves three bodies; without orbits and stars they are what moves against the frames' own stars.
TEST_F(BareNightTest, WithoutAnythingTheFramesAreLaidOnEachOther) {
    const Ended ended = run("alone", "--offline");
    EXPECT_EQ(ended.status, 1);
    const json document = json::parse(ended.output);
    EXPECT_EQ(document.at("solved"), document.at("lights"));
    EXPECT_GE(document.at("candidates"), 1);
    EXPECT_EQ(document.at("kept"), 0);
    const auto problems = problemsOf(ended);
    EXPECT_TRUE(problems.contains("orbit.unknown_site"));
    EXPECT_TRUE(problems.contains("catalog.not_found"));
    EXPECT_FALSE(fs::exists(folder_ / "alone" / "report.psv"));
    EXPECT_EQ(json::parse(textOf("alone/summary.json")).at("places"), "relative");
    for (const auto& entry : fs::directory_iterator(folder_ / "alone" / "calibrated")) {
        const auto header = frame::readFitsHeader(entry.path());
        ASSERT_TRUE(header);
        EXPECT_NE(header->find("PMRELATV"), nullptr) << entry.path();
    }
}

TEST_F(BareNightTest, WhatAServiceDoesWrongTakesAwayOnlyWhatNeedsIt) {
    const standin::FileService files({folder_ / "made" / "orbits", 0, standin::Fault::None});
    for (const auto fault :
         {standin::Fault::Rubbish, standin::Fault::Broken, standin::Fault::Web}) {
        standin::ServiceOptions options;
        options.stars = folder_ / "made" / "catalog" / "stars.csv";
        options.fault = fault;
        const standin::CatalogService catalog(options);
        serve(catalog.address() + "/tap", files.address() + "/minor-planets.txt");
        const Ended ended = run("wrong", kSite);
        EXPECT_EQ(ended.status, 1);
        const auto problems = problemsOf(ended);
        EXPECT_TRUE(problems.contains("catalog.no_answer")) << ended.output;
        EXPECT_TRUE(problems.contains("catalog.not_found"));
        EXPECT_EQ(json::parse(ended.output).at("solved"), 6);
    }
    // When the service is well again, the next run has it all.
    standin::ServiceOptions options;
    options.stars = folder_ / "made" / "catalog" / "stars.csv";
    const standin::CatalogService catalog(options);
    serve(catalog.address() + "/tap", files.address() + "/minor-planets.txt");
    const Ended well = run("wrong", "");
    EXPECT_EQ(well.status, 0) << well.errors;
    EXPECT_GT(json::parse(well.output).at("kept"), 0);
}

} // namespace
} // namespace pathmark
