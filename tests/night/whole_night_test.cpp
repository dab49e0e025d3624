#include "core/catalog/store_writer.h"
#include "core/frame/fits_file.h"
#include "core/night/night_file.h"
#include "core/report/structure.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <sys/wait.h>

#include <cmath>
#include <fstream>
#include <iterator>
#include <map>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using test_support::TemporaryFolder;

using test_support::contentOf;
using test_support::Ended;
using test_support::runCommand;

/// The night is made once; tests that change files work on copies.
class WholeNightTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        shared_ = new TemporaryFolder;
        test_support::makeSmallNight(shared_->path() / "night");
    }

    static void TearDownTestSuite() {
        delete shared_;
        shared_ = nullptr;
    }

    [[nodiscard]] static fs::path night() { return shared_->path() / "night"; }

    /// A copy of the night with the files linked, so that it costs nothing.
    [[nodiscard]] fs::path copy() const {
        fs::copy(night(),
                 own_ / "night",
                 fs::copy_options::recursive | fs::copy_options::create_hard_links);
        return own_ / "night";
    }

    [[nodiscard]] Ended run(const fs::path& folder,
                            const std::string& more = {},
                            const std::string& before = {}) const {
        return runCommand(fmt::format("run '{}' --recipe '{}' --out '{}' {}",
                                      folder.string(),
                                      (folder / "recipe.toml").string(),
                                      (own_ / "out").string(),
                                      more),
                          own_,
                          before);
    }

    [[nodiscard]] bool noLeftovers() const {
        for (const auto& entry : fs::recursive_directory_iterator(own_ / "out")) {
            if (entry.path().filename().string().find(".tmp") != std::string::npos) {
                return false;
            }
        }
        return true;
    }

    TemporaryFolder own_;

  private:
    static TemporaryFolder* shared_;
};

TemporaryFolder* WholeNightTest::shared_ = nullptr;

/// Truth: the simulator's truth.json, whose places share no code with the program.
TEST_F(WholeNightTest, GivesTheBodiesTheirPlaces) {
    const Ended ended = run(night(), "--json");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    EXPECT_EQ(nlohmann::json::parse(ended.output).at("solved"), 6);
    const auto truth = nlohmann::json::parse(contentOf(night() / "truth.json"));
    const auto file = night::NightFile::open(own_ / "out" / "night.pmnight");
    ASSERT_TRUE(file);
    int single = 0;
    int stacked = 0;
    double squares = 0.0;
    for (const auto list = file->measurements().value(); const auto& m : list) {
        if (!m.seen || m.state != night::MeasurementState::Kept) {
            continue;
        }
        if (m.onStack) {
            EXPECT_EQ(m.body, night::BodyId::of("2034 EW2"));
            EXPECT_LT(std::hypot(m.observedMinusComputedRa, m.observedMinusComputedDec), 0.6);
            ++stacked;
            continue;
        }
        for (const auto& frame : truth.at("frames")) {
            if (fs::path(frame.at("file").get<std::string>()).filename() == m.picture.filename()) {
                const auto& body = frame.at("bodies").at(m.body.text());
                const SkyPos place = skyDegrees(body.at("ra"), body.at("dec"));
                const double apart = separation(m.sky, place).arcsec();
                EXPECT_LT(apart, 0.1);
                squares +=
                    apart * apart /
                    (m.raErrorArcsec * m.raErrorArcsec + m.decErrorArcsec * m.decErrorArcsec);
                ++single;
            }
        }
    }
    EXPECT_EQ(single, 6);
    EXPECT_EQ(stacked, 1);
    // Six places in two axes: chi-square with twelve degrees of freedom, 99.9 % below 2.74 each.
    EXPECT_LT(squares / single, 2.74);
    const std::string schema = std::string(PATHMARK_SOURCE_DIR) + "/data/ades-2022.xsd";
    EXPECT_EQ(report::structureFaults(schema, contentOf(own_ / "out" / "report.xml")),
              std::vector<std::string>{});
    EXPECT_TRUE(noLeftovers());
}

/// When each result was last written, by its path below the output folder.
std::map<fs::path, fs::file_time_type> writtenAt(const fs::path& out) {
    std::map<fs::path, fs::file_time_type> times;
    for (const char* folder : {"masters", "calibrated", "stacks"}) {
        for (const auto& entry : fs::directory_iterator(out / folder)) {
            times[entry.path().lexically_relative(out)] = fs::last_write_time(entry.path());
        }
    }
    return times;
}

/// Truth: the brightness that the simulated sky was given, in its own photometry; its slope is 5 % from corner to corner.
TEST_F(WholeNightTest, TheSkyIsAsBrightAsItWasMade) {
    ASSERT_EQ(run(night()).status, 0);
    const auto header = frame::readFitsHeader(own_ / "out" / "calibrated" / "east_001.fits");
    ASSERT_TRUE(header);
    ASSERT_TRUE(header->number("PMSKYMAG"));
    EXPECT_NEAR(
        *header->number("PMSKYMAG"), test_support::smallScenario().series.front().skyMag, 0.06);
}

TEST_F(WholeNightTest, ASecondRunDoesNothingAgain) {
    ASSERT_EQ(run(night()).status, 0);
    const auto before = writtenAt(own_ / "out");
    EXPECT_EQ(before.size(), 11U); // three masters, six lights, the stars and a body of one stack
    const std::string report = contentOf(own_ / "out" / "report.psv");
    ASSERT_EQ(run(night()).status, 0);
    EXPECT_EQ(writtenAt(own_ / "out"), before);
    EXPECT_EQ(contentOf(own_ / "out" / "report.psv"), report);
}

/// A run that takes its own or an earlier run's results for frames measures everything twice.
TEST_F(WholeNightTest, ResultsInsideTheFolderAreNoFrames) {
    const fs::path folder = copy();
    const std::string recipe = (folder / "recipe.toml").string();
    for (const char* out : {"results", "again"}) {
        const Ended ended = runCommand(
            fmt::format(
                "run '{0}' --recipe '{1}' --out '{0}/{2}' --json", folder.string(), recipe, out),
            own_);
        ASSERT_EQ(ended.status, 0) << ended.errors;
        EXPECT_EQ(nlohmann::json::parse(ended.output).at("frames"), 21);
    }
}

TEST_F(WholeNightTest, InputFilesAreNeverChanged) {
    std::map<fs::path, fs::file_time_type> before;
    for (const auto& entry : fs::recursive_directory_iterator(night())) {
        before[entry.path()] = fs::last_write_time(entry.path());
    }
    ASSERT_EQ(run(night()).status, 0);
    std::map<fs::path, fs::file_time_type> after;
    for (const auto& entry : fs::recursive_directory_iterator(night())) {
        after[entry.path()] = fs::last_write_time(entry.path());
    }
    EXPECT_EQ(before, after);
}

TEST_F(WholeNightTest, AFolderWithoutLightsIsSaid) {
    const fs::path folder = copy();
    fs::remove_all(folder / "lights");
    const Ended ended = run(folder);
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.errors.find(folder.string() + ": There is no light frame"), std::string::npos)
        << ended.errors;
    const Ended empty =
        run(folder / "orbits", "--recipe '" + (folder / "recipe.toml").string() + "'");
    EXPECT_NE(empty.status, 0);
}

TEST_F(WholeNightTest, ATruncatedLightIsNamedAndTheOthersGoOn) {
    const fs::path folder = copy();
    const fs::path victim = folder / "lights" / "east_002.fits";
    const std::string whole = contentOf(victim);
    fs::remove(victim);
    std::ofstream(victim, std::ios::binary) << whole.substr(0, whole.size() / 2);
    const Ended ended = run(folder, "--json");
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.errors.find(victim.string() + ": The file ends before its pixels do"),
              std::string::npos)
        << ended.errors;
    const auto parsed = nlohmann::json::parse(ended.output);
    EXPECT_EQ(parsed.at("solved"), 5);
    EXPECT_EQ(parsed.at("failures").at(0).at("id"), "frame.truncated");
    EXPECT_TRUE(fs::exists(own_ / "out" / "report.psv"));
    EXPECT_TRUE(noLeftovers());
}

TEST_F(WholeNightTest, ALightWithoutATimeIsNamedAndTheOthersGoOn) {
    const fs::path folder = copy();
    const fs::path victim = folder / "lights" / "west_001.fits";
    std::string whole = contentOf(victim);
    const auto at = whole.find("DATE-OBS");
    ASSERT_NE(at, std::string::npos);
    whole.replace(at, 8, "DATE-XXX");
    fs::remove(victim);
    std::ofstream(victim, std::ios::binary) << whole;
    const Ended ended = run(folder, "--json");
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.errors.find(victim.string() + ": The header gives no date"), std::string::npos)
        << ended.errors;
    EXPECT_EQ(nlohmann::json::parse(ended.output).at("solved"), 5);
}

TEST_F(WholeNightTest, ACatalogueOfAnotherFieldIsSaidForEachFrame) {
    const fs::path folder = copy();
    catalog::StarRow elsewhere;
    elsewhere.raDegrees = 10.0;
    elsewhere.decDegrees = -60.0;
    elsewhere.magG = 12.0F;
    ASSERT_TRUE(catalog::writeStore(own_ / "store", "small", {elsewhere}));
    std::string recipe = test_support::smallRecipe();
    recipe.replace(recipe.find("'catalog'"), 9, "'" + (own_ / "store").string() + "'");
    fs::remove(folder / "recipe.toml");
    std::ofstream(folder / "recipe.toml") << recipe;
    const Ended ended = run(folder, "--json");
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.errors.find("east_001.fits: The star catalogue has no stars around RA 177"),
              std::string::npos)
        << ended.errors;
    EXPECT_EQ(nlohmann::json::parse(ended.output).at("solved"), 0);
    EXPECT_TRUE(fs::exists(own_ / "out" / "calibrated" / "east_001.fits"));
    EXPECT_FALSE(fs::exists(own_ / "out" / "report.psv"));
}

TEST_F(WholeNightTest, AnOrbitLineWithAWrongColumnIsNamedAndTheOthersUsed) {
    const fs::path folder = copy();
    const fs::path orbits = folder / "orbits" / "minor-planets.txt";
    std::string text = contentOf(orbits);
    const auto line = text.find("~8lyV");
    ASSERT_NE(line, std::string::npos);
    text.replace(line + 59, 9, "  incline");
    fs::remove(orbits);
    std::ofstream(orbits) << text;
    const Ended ended = run(folder, "--json");
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.errors.find("line 4: columns 60 to 68 should hold the inclination"),
              std::string::npos)
        << ended.errors;
    EXPECT_NE(ended.errors.find(orbits.string()), std::string::npos);
    EXPECT_EQ(nlohmann::json::parse(ended.output).at("solved"), 6);
}

TEST_F(WholeNightTest, AReadOnlyOutputFolderIsSaid) {
    // Not even root writes below /proc.
    const Ended ended = runCommand(
        fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out /proc/pathmark", night().string()),
        own_);
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.errors.find("/proc/pathmark: Cannot be written"), std::string::npos)
        << ended.errors;
    EXPECT_NE(ended.errors.find("choose a folder"), std::string::npos);
}

/// Files that came from the observer are never written to, wherever the results are sent.
TEST_F(WholeNightTest, AnOutputFolderWithSomebodysFilesIsRefused) {
    fs::create_directories(own_ / "out" / "calibrated");
    std::ofstream(own_ / "out" / "calibrated" / "east_001.fits") << "mine";
    std::ofstream(own_ / "out" / ".notes.tmp") << "mine too";
    const Ended ended = run(night());
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.errors.find("calibrated: Is there already"), std::string::npos) << ended.errors;
    EXPECT_EQ(contentOf(own_ / "out" / "calibrated" / "east_001.fits"), "mine");
    EXPECT_EQ(contentOf(own_ / "out" / ".notes.tmp"), "mine too");
}

TEST_F(WholeNightTest, AFullDiskIsSaidAndNothingHalfWrittenStays) {
    fs::create_directories(own_ / "out");
    // A file system of six megabytes in a namespace of its own; where that is not allowed, a limit on the size of files.
    const bool namespaces = std::system("unshare -rm true 2>/dev/null") == 0;
    const std::string out = (own_ / "out").string();
    Ended ended;
    if (namespaces) {
        const std::string script = fmt::format("mount -t tmpfs -o size=6m none {0} && {1} run {2} "
                                               "--recipe {2}/recipe.toml --out {0}; s=$?; "
                                               "find {0} -name \"*.tmp*\" >{3}; exit $s",
                                               out,
                                               PATHMARK_COMMAND,
                                               night().string(),
                                               (own_ / "left").string());
        const int status = std::system(
            fmt::format("unshare -rm sh -c '{}' 2>'{}'", script, (own_ / "err").string()).c_str());
        ended = {WEXITSTATUS(status), contentOf(own_ / "err"), ""};
        EXPECT_NE(ended.errors.find("No space is left on this disk"), std::string::npos)
            << ended.errors;
        EXPECT_EQ(contentOf(own_ / "left"), "");
    } else {
        ended = run(night(), "", "ulimit -f 600; trap '' XFSZ; ");
        EXPECT_TRUE(noLeftovers());
    }
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.errors.find(out), std::string::npos) << ended.errors;
}

TEST_F(WholeNightTest, AMisspeltKeyIsWrongUse) {
    const fs::path folder = copy();
    fs::remove(folder / "recipe.toml");
    std::ofstream(folder / "recipe.toml") << test_support::smallRecipe() << "bnad = 'R'\n";
    const Ended ended = run(folder);
    EXPECT_EQ(ended.status, 2);
    EXPECT_NE(ended.errors.find("did you mean 'band'"), std::string::npos) << ended.errors;
}

TEST_F(WholeNightTest, TheVerbsOnTheirOwnAgree) {
    ASSERT_EQ(run(night()).status, 0);
    const std::string frame = (own_ / "out" / "calibrated" / "west_002.fits").string();
    const Ended solved =
        runCommand(fmt::format("solve '{}' --store '{}' --catalog small --out '{}' --json",
                               frame,
                               (night() / "catalog").string(),
                               (own_ / "wcs").string()),
                   own_);
    ASSERT_EQ(solved.status, 0) << solved.errors;
    const auto entry = nlohmann::json::parse(solved.output).at("frames").at(0);
    EXPECT_NEAR(entry.at("rotation_deg").get<double>(), 182.0, 0.3);
    EXPECT_FALSE(entry.at("mirrored").get<bool>());
    EXPECT_TRUE(fs::exists(own_ / "wcs" / "west_002.wcs"));
    const Ended identified = runCommand(
        fmt::format("identify '{}' --orbits '{}' --site-geodetic 23.4127 -31.2086 1374 --json",
                    frame,
                    (night() / "orbits" / "orbits.json").string()),
        own_);
    ASSERT_EQ(identified.status, 0) << identified.errors;
    EXPECT_EQ(nlohmann::json::parse(identified.output).at("frames").at(0).at("bodies").size(), 2U);
    const Ended detected = runCommand(fmt::format("detect '{}' --json", frame), own_);
    EXPECT_GT(nlohmann::json::parse(detected.output).at("sources").size(), 100U);
    const Ended places = runCommand(
        fmt::format("ephemeris --orbits '{}' --body 2711043 --site-geodetic 23.4 -31.2 1374 "
                    "--from 2034-03-17T22:00:00 --to 2034-03-17T23:00:00 --step 1800 --json",
                    (night() / "orbits" / "minor-planets.txt").string()),
        own_);
    EXPECT_EQ(nlohmann::json::parse(places.output).at("rows").size(), 3U) << places.errors;
    EXPECT_EQ(runCommand("gather '" + night().string() + "' --json", own_).status, 0);
    EXPECT_EQ(runCommand("nonsense", own_).status, 2);
}

} // namespace
} // namespace pathmark
