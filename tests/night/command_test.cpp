#include "core/frame/fits_file.h"
#include "tests/support/json_keys.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <algorithm>
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

/// What other programs read: the fixed part of the command line, to the letter.
class CommandTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        shared_ = new TemporaryFolder;
        test_support::makeSmallNight(shared_->path() / "night");
        const fs::path night = shared_->path() / "night";
        ran_ = runCommand(fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --json",
                                      night.string(),
                                      (shared_->path() / "out").string()),
                          *shared_);
    }

    static void TearDownTestSuite() {
        delete shared_;
        shared_ = nullptr;
    }

    [[nodiscard]] static std::string night() { return (shared_->path() / "night").string(); }

    [[nodiscard]] static std::string raw() { return night() + "/lights/east_001.fits"; }

    [[nodiscard]] static std::string solved() {
        return (shared_->path() / "out" / "calibrated" / "east_001.fits").string();
    }

    [[nodiscard]] Ended call(const std::string& arguments) const {
        return runCommand(arguments, own_);
    }

    TemporaryFolder own_;
    static Ended ran_;

  private:
    static TemporaryFolder* shared_;
};

TemporaryFolder* CommandTest::shared_ = nullptr;
Ended CommandTest::ran_;

TEST_F(CommandTest, RunWritesEverythingItPromises) {
    ASSERT_EQ(ran_.status, 0) << ran_.errors;
    const fs::path out = fs::path(solved()).parent_path().parent_path();
    for (const char* file : {"night.pmnight",
                             "measurements.csv",
                             "report.psv",
                             "report.xml",
                             "report.80.txt",
                             "summary.json"}) {
        EXPECT_TRUE(fs::exists(out / file)) << file;
    }
    EXPECT_FALSE(fs::is_empty(out / "calibrated"));
    EXPECT_FALSE(fs::is_empty(out / "stacks"));
    std::ifstream stream(out / "summary.json");
    const json summary = json::parse(stream);
    EXPECT_EQ(summary.at("frames").size(), 6U);
    EXPECT_TRUE(summary.at("failures").empty());
}

TEST_F(CommandTest, SolveSaysAllItsFields) {
    const Ended ended =
        call(fmt::format("solve '{}' --store '{}/catalog' --catalog small --json", raw(), night()));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    ASSERT_EQ(keysOf(document), (std::set<std::string>{"frames"}));
    const json& frame = document.at("frames").at(0);
    EXPECT_EQ(keysOf(frame),
              (std::set<std::string>{"file",
                                     "solved",
                                     "id",
                                     "reason",
                                     "ra",
                                     "dec",
                                     "scale",
                                     "rotation_deg",
                                     "mirrored",
                                     "matched",
                                     "rms_arcsec",
                                     "false_alarm_log10",
                                     "zero_point",
                                     "limiting_mag",
                                     "fwhm_arcsec",
                                     "seconds"}));
    EXPECT_NEAR(frame.at("ra").get<double>(), 177.24, 0.02);
    EXPECT_NEAR(frame.at("dec").get<double>(), 2.33, 0.02);
    EXPECT_NEAR(frame.at("scale").get<double>(), 206.264806 * 4.63 / 900.0, 0.002);
    EXPECT_NEAR(frame.at("rotation_deg").get<double>(), 2.0, 0.2);
    EXPECT_LT(frame.at("false_alarm_log10").get<double>(), -9.0);
}

TEST_F(CommandTest, AFrameThatIsNotSolvedHasTheSameFieldsAndAReason) {
    const Ended ended = call(fmt::format(
        "solve '{}' --store '{}/catalog' --catalog small --near 10 -50 --radius 1 --json",
        raw(),
        night()));
    EXPECT_EQ(ended.status, 1);
    const json frame = json::parse(ended.output).at("frames").at(0);
    EXPECT_FALSE(frame.at("solved").get<bool>());
    EXPECT_NE(frame.at("reason").get<std::string>().find("no stars around RA 10"),
              std::string::npos);
    EXPECT_TRUE(frame.at("ra").is_null());
    EXPECT_EQ(frame.at("id"), "catalog.no_stars");
    EXPECT_EQ(frame.size(), 16U);
}

TEST_F(CommandTest, DetectSaysAllItsFieldsAndWritesThem) {
    const auto csv = own_ / "sources.csv";
    const Ended ended = call(fmt::format("detect '{}' --csv '{}' --json", solved(), csv.string()));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json sources = json::parse(ended.output).at("sources");
    EXPECT_EQ(keysOf(sources.at(0)),
              (std::set<std::string>{"x",
                                     "y",
                                     "x_err",
                                     "y_err",
                                     "flux",
                                     "flux_err",
                                     "fwhm",
                                     "elongation",
                                     "snr",
                                     "flags",
                                     "ra",
                                     "dec"}));
    std::ifstream stream(csv);
    std::string line;
    std::getline(stream, line);
    EXPECT_EQ(line, "x,y,x_err,y_err,flux,flux_err,fwhm,elongation,snr,flags,ra,dec");
    std::size_t rows = 0;
    while (std::getline(stream, line)) {
        ++rows;
        EXPECT_EQ(std::count(line.begin(), line.end(), ','), 11);
    }
    EXPECT_EQ(rows, sources.size());
}

TEST_F(CommandTest, EphemerisSaysAllItsFields) {
    const auto times = own_ / "times.txt";
    std::ofstream(times) << "2034-03-17T22:20:30\n\n2034-03-17T23:20:30Z\n";
    const Ended ended =
        call(fmt::format("ephemeris --orbits '{}/orbits/orbits.json' --body '(2711043)' "
                         "--site-geodetic 23.4127 -31.2086 1374 --times '{}' --json",
                         night(),
                         times.string()));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    EXPECT_EQ(document.at("body"), "(2711043)");
    ASSERT_EQ(document.at("rows").size(), 2U);
    const json& row = document.at("rows").at(0);
    EXPECT_EQ(keysOf(row),
              (std::set<std::string>{"time",
                                     "ra",
                                     "dec",
                                     "rate_arcsec_per_min",
                                     "position_angle_deg",
                                     "mag",
                                     "r_au",
                                     "delta_au",
                                     "phase_deg",
                                     "elongation_deg",
                                     "sigma_major_arcsec",
                                     "sigma_minor_arcsec",
                                     "sigma_pa_deg"}));
    EXPECT_EQ(row.at("time"), "2034-03-17T22:20:30.000Z");
    EXPECT_TRUE(row.at("sigma_major_arcsec").is_null());
    // The rate is what the two places tell: an hour apart, against the chord between them.
    const double dra = (document["rows"][1]["ra"].get<double>() - row.at("ra").get<double>()) *
                       std::cos(row.at("dec").get<double>() * kRadiansPerDegree);
    const double ddec = document["rows"][1]["dec"].get<double>() - row.at("dec").get<double>();
    EXPECT_NEAR(std::hypot(dra, ddec) * 60.0, row.at("rate_arcsec_per_min").get<double>(), 0.01);
}

TEST_F(CommandTest, EphemerisRefusesWhatItCannotDo) {
    const std::string orbits =
        fmt::format("ephemeris --orbits '{}/orbits/orbits.json' --site-geodetic 0 0 0 ", night());
    EXPECT_EQ(call(orbits + "--body Nobody --from 2034-03-17 --to 2034-03-18").status, 1);
    EXPECT_EQ(call(orbits + "--body '(2711043)' --from soon --to later").status, 2);
    EXPECT_EQ(call(orbits + "--body '(2711043)' --from 1834-03-17 --to 1834-03-18").status, 1);
    EXPECT_EQ(call("ephemeris --body x").status, 2);
}

TEST_F(CommandTest, IdentifySaysAllItsFields) {
    const Ended ended = call(fmt::format("identify '{}' --orbits '{}/orbits/orbits.json' "
                                         "--site-geodetic 23.4127 -31.2086 1374 --json",
                                         solved(),
                                         night()));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json frame = json::parse(ended.output).at("frames").at(0);
    EXPECT_EQ(keysOf(frame),
              (std::set<std::string>{"file", "mid_time", "limiting_mag", "seconds", "bodies"}));
    const json& body = frame.at("bodies").at(0);
    EXPECT_EQ(keysOf(body),
              (std::set<std::string>{"name",
                                     "ra",
                                     "dec",
                                     "x",
                                     "y",
                                     "rate_arcsec_per_min",
                                     "position_angle_deg",
                                     "mag",
                                     "in_reach"}));
    EXPECT_EQ(body.at("name"), "(2711043)");
    EXPECT_TRUE(body.at("in_reach").get<bool>());
    // Truth: the simulator's pixel of that body, which counts from 1 as well.
    std::ifstream stream(night() + "/truth.json");
    const json truth = json::parse(stream).at("frames").at(0).at("bodies").at("(2711043)");
    EXPECT_NEAR(body.at("x").get<double>(), truth.at("x").get<double>(), 0.15);
    EXPECT_NEAR(body.at("y").get<double>(), truth.at("y").get<double>(), 0.15);
}

TEST_F(CommandTest, IdentifyWantsASolution) {
    const Ended ended = call(
        fmt::format("identify '{}' --orbits '{}/orbits/orbits.json' --site-geodetic 0 0 0 --json",
                    raw(),
                    night()));
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.errors.find("not solved"), std::string::npos);
    // A .wcs file elsewhere will do.
    const std::string wcs = (own_ / "wcs").string();
    ASSERT_EQ(
        call(fmt::format(
                 "solve '{}' --store '{}/catalog' --catalog small --out '{}'", raw(), night(), wcs))
            .status,
        0);
    EXPECT_EQ(
        call(fmt::format(
                 "identify '{}' --wcs '{}' --orbits '{}/orbits/orbits.json' --site-geodetic 0 0 0",
                 raw(),
                 wcs,
                 night()))
            .status,
        0);
    const auto solution = frame::readFitsHeader(own_ / "wcs" / "east_001.wcs");
    ASSERT_TRUE(solution);
    EXPECT_GT(solution->number("PMSOLERR").value_or(0.0), 0.0);
}

TEST_F(CommandTest, ArchiveListsWhatIsWithinReach) {
    const std::string csv = (own_ / "list.csv").string();
    const std::string votable = (own_ / "list.xml").string();
    const std::string folder = std::filesystem::path(solved()).parent_path().string();
    const std::string common = fmt::format(
        "archive '{}' '{}' --orbits '{}/orbits/orbits.json' --site-geodetic 23.4127 -31.2086 1374 ",
        folder,
        night(),
        night());
    const Ended ended =
        call(common + fmt::format("--csv '{}' --votable '{}' --json", csv, votable));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    EXPECT_GE(document.at("frames").get<int>(), 1);
    EXPECT_GT(document.at("not_solved").get<int>(), 0);
    ASSERT_FALSE(document.at("bodies").empty());
    EXPECT_EQ(document.at("bodies").at(0).at("body"), "(2711043)");
    EXPECT_TRUE(std::filesystem::exists(csv));
    EXPECT_TRUE(std::filesystem::exists(votable));
    // Nothing is brighter than magnitude 1.
    const Ended none = call(common + "--limit 1 --json");
    ASSERT_EQ(none.status, 0);
    EXPECT_TRUE(json::parse(none.output).at("bodies").empty());
}

/// An archive of raw frames: solved on the way, kept, and reached as deep as each frame goes.
TEST_F(CommandTest, ArchiveSolvesWhatIsNotSolved) {
    const fs::path wcs = own_ / "wcs";
    const std::string line = fmt::format(
        "archive '{0}/lights' --orbits '{0}/orbits/orbits.json' --site-geodetic 23.4127 "
        "-31.2086 1374 --store '{0}/catalog' --catalog small --wcs '{1}' --json ",
        night(),
        wcs.string());
    const Ended ended = call(line);
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    EXPECT_EQ(document.at("frames"), 6);
    ASSERT_FALSE(document.at("bodies").empty());
    // Truth: the places of the same body in the frames that a whole run solved.
    const Ended calibrated = call(fmt::format(
        "archive '{0}' --orbits '{1}/orbits/orbits.json' --site-geodetic 23.4127 -31.2086 1374 "
        "--body '(2711043)' --json",
        fs::path(solved()).parent_path().string(),
        night()));
    const json truth = json::parse(calibrated.output).at("bodies");
    ASSERT_EQ(truth.size(), 6U);
    std::size_t bright = 0;
    for (const json& row : document.at("bodies")) {
        // A raw frame reaches nearly as deep as a calibrated one.
        EXPECT_NEAR(row.at("limiting_mag").get<double>(),
                    truth.at(0).at("limiting_mag").get<double>(),
                    0.5);
        if (row.at("body") == "(2711043)") {
            EXPECT_NEAR(row.at("x").get<double>(), truth.at(bright).at("x").get<double>(), 0.2);
            ++bright;
        }
    }
    EXPECT_EQ(bright, 6U);
    // Run again nothing is solved anew: what was kept is used.
    const auto written = fs::last_write_time(wcs / "east_001.wcs");
    const json again = json::parse(call(line).output).at("bodies");
    ASSERT_EQ(again.size(), document.at("bodies").size());
    for (std::size_t i = 0; i < again.size(); ++i) {
        EXPECT_NEAR(again.at(i).at("x").get<double>(),
                    document.at("bodies").at(i).at("x").get<double>(),
                    1e-6);
    }
    EXPECT_EQ(fs::last_write_time(wcs / "east_001.wcs"), written);
}

/// Truth: what was made: a numbered body bright in all six frames, one that only a stack shows, one that no list knows.
TEST_F(CommandTest, MatchesListsWhatAgreesAndWhatMovesUnknown) {
    const std::string nightFile =
        (fs::path(solved()).parent_path().parent_path() / "night.pmnight").string();
    const std::string csv = (own_ / "matches.csv").string();
    const Ended ended = call(fmt::format("matches '{}' --csv '{}' --json", nightFile, csv));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    int bright = 0;
    for (const json& body : document.at("bodies")) {
        if (body.at("body") == "(2711043)") {
            ++bright;
            EXPECT_TRUE(body.at("matched").get<bool>());
            EXPECT_LT(std::abs(body.at("oc_ra_arcsec").get<double>()), 0.3);
        } else if (body.at("body") == "2034 EW2") {
            EXPECT_TRUE(body.at("matched").get<bool>() || body.at("oc_ra_arcsec").is_null());
        }
    }
    EXPECT_EQ(bright, 6);
    ASSERT_EQ(document.at("movers").size(), 1U);
    EXPECT_GE(document.at("movers").at(0).at("frames").get<int>(), 3);
    std::ifstream stream(csv);
    std::string line;
    std::size_t rows = 0;
    while (std::getline(stream, line)) {
        ++rows;
    }
    EXPECT_EQ(rows, document.at("bodies").size() + 1);
    EXPECT_EQ(call("matches nothing.pmnight --json").status, 2);
}

TEST_F(CommandTest, SitesComeFromListsAndUnknownOnesAreSaid) {
    const auto list = own_ / "codes.txt";
    std::ofstream(list) << "Z11  23.412700.856000-0.515000Made-up hill\n";
    const std::string common = fmt::format("ephemeris --orbits '{}/orbits/orbits.json' --body "
                                           "'(2711043)' --from 2034-03-17 --to 2034-03-17 --json ",
                                           night());
    EXPECT_EQ(call(common + fmt::format("--site Z11 --sites '{}'", list.string())).status, 0);
    const Ended unknown = call(common + fmt::format("--site Z12 --sites '{}'", list.string()));
    EXPECT_EQ(unknown.status, 1);
    EXPECT_NE(unknown.errors.find("Z12"), std::string::npos);
    EXPECT_EQ(call(common).status, 2);
}

TEST_F(CommandTest, OrbitFindsOneAndWritesItForTheEphemeris) {
    // Truth: places of the ephemeris itself, to 0.01"; the way back must end at the same orbit.
    const auto observations = own_ / "places.psv";
    std::string text =
        "# version=2022\npermID|provID|mode|stn|obsTime|ra|dec|rmsRA|rmsDec|astCat\n";
    const Ended places =
        call(fmt::format("ephemeris --orbits '{}/orbits/orbits.json' --body '(2711043)' "
                         "--site-geodetic 23.4127 -31.2086 1374 --from 2034-03-10 "
                         "--to 2034-04-20 --step 432000 --json",
                         night()));
    ASSERT_EQ(places.status, 0) << places.errors;
    const json truth = json::parse(places.output).at("rows");
    for (const json& row : truth) {
        text += fmt::format("2711043||CCD|Z11|{}|{:.8f}|{:.8f}|0.05|0.05|Gaia3\n",
                            row.at("time").get<std::string>(),
                            row.at("ra").get<double>(),
                            row.at("dec").get<double>());
    }
    std::ofstream(observations) << text;
    const std::string out = (own_ / "orbit.json").string();
    const Ended found =
        call(fmt::format("orbit '{}' --place Z11 23.4127 -31.2086 1374 --out '{}' --json",
                         observations.string(),
                         out));
    ASSERT_EQ(found.status, 0) << found.errors;
    const json fit = json::parse(found.output);
    EXPECT_EQ(fit.at("used").get<std::size_t>(), truth.size());
    EXPECT_LT(fit.at("rms_arcsec").get<double>(), 0.01);
    EXPECT_FALSE(fit.at("weak").get<bool>());
    const std::string last = truth.back().at("time");
    const Ended again =
        call(fmt::format("ephemeris --orbits '{}' --body '(2711043)' --site-geodetic 23.4127 "
                         "-31.2086 1374 --from {} --to {} --json",
                         out,
                         last,
                         last));
    ASSERT_EQ(again.status, 0) << again.errors;
    const json row = json::parse(again.output).at("rows").at(0);
    EXPECT_GT(row.at("sigma_major_arcsec").get<double>(), 0.0);
    EXPECT_NEAR(row.at("dec").get<double>(), truth.back().at("dec").get<double>(), 0.1 / 3600.0);
    // The second half as tonight's, once as it is and once 5" off: what the program says of each.
    const auto half = text.find("2711043", text.size() / 2);
    for (const double off : {0.0, 5.0}) {
        std::ofstream(own_ / "old.psv") << text.substr(0, half);
        std::ofstream fresh(own_ / "new.psv");
        fresh << text.substr(0, text.find("2711043"));
        for (std::size_t i = truth.size() / 2; i < truth.size(); ++i) {
            fresh << fmt::format("2711043||CCD|Z11|{}|{:.8f}|{:.8f}|0.05|0.05|Gaia3\n",
                                 truth[i].at("time").get<std::string>(),
                                 truth[i].at("ra").get<double>(),
                                 truth[i].at("dec").get<double>() + off / 3600.0);
        }
        fresh.close();
        const std::string command =
            fmt::format("orbit '{0}/old.psv' --new '{0}/new.psv' --body '(2711043)' "
                        "--place Z11 23.4127 -31.2086 1374",
                        own_.path().string());
        const Ended judged = call(command + " --json");
        ASSERT_EQ(judged.status, 0) << judged.errors;
        const json entry = json::parse(judged.output);
        const json& mean = entry.at("new_mean");
        EXPECT_EQ(mean.at("agrees").get<bool>(), off == 0.0) << mean.dump();
        EXPECT_NEAR(
            mean.at("dec_arcsec").get<double>(), off, 3.5 * mean.at("dec_error").get<double>());
        EXPECT_EQ(entry.at("new_against_old").size(), truth.size() - truth.size() / 2);
        EXPECT_NE(call(command).output.find(off == 0.0 ? "positions agree" : "positions disagree"),
                  std::string::npos);
    }
    // Two places are none.
    std::ofstream(observations) << text.substr(0,
                                               text.find("2711043", text.find("2711043", 120) + 1));
    EXPECT_EQ(
        call(fmt::format("orbit '{}' --place Z11 23.4127 -31.2086 1374", observations.string()))
            .status,
        1);
}

TEST_F(CommandTest, AnOrbitOfAnotherDecadeIsSaid) {
    const Ended ended =
        call(fmt::format("ephemeris --orbits '{}/orbits/orbits.json' --body '(2711043)' "
                         "--site-geodetic 0 0 0 --from 2004-03-17 --to 2004-03-17 --json",
                         night()));
    EXPECT_EQ(ended.status, 0);
    EXPECT_NE(ended.errors.find("30 years away"), std::string::npos) << ended.errors;
}

TEST_F(CommandTest, CatalogImportAndInfoAgree) {
    const Ended imported =
        call(fmt::format("catalog import --store '{}' --name n '{}/catalog/stars.csv' --json",
                         (own_ / "c").string(),
                         night()));
    ASSERT_EQ(imported.status, 0) << imported.errors;
    const auto stars = json::parse(imported.output).at("stars");
    const Ended info = call(fmt::format("catalog info --store '{}' --json", (own_ / "c").string()));
    EXPECT_EQ(json::parse(info.output).at("catalogs").at(0).at("stars"), stars);
    const Ended missing = call(fmt::format(
        "catalog import --store '{0}' --name n '{0}/none.csv' --json", own_.path().string()));
    EXPECT_EQ(missing.status, 1);
    EXPECT_EQ(call("catalog").status, 2);
}

TEST_F(CommandTest, GatherSaysWhichMasterAndWhy) {
    const Ended ended = call(fmt::format("gather '{}' --json", night()));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json gathered = json::parse(ended.output);
    for (const json& group : gathered.at("groups")) {
        EXPECT_FALSE(group.at("frames").at(0).at("kind_reason").get<std::string>().empty());
        if (group.at("kind") == "light") {
            EXPECT_EQ(group.at("frames").size(), 6U);
            const json& match = group.at("match");
            EXPECT_EQ(match.at("feeds").size(), 3U); // dark, flat, and the bias of the flat
            EXPECT_FALSE(match.at("feeds").at(0).at("reason").get<std::string>().empty());
            EXPECT_TRUE(match.at("warnings").empty());
        }
    }
}

TEST_F(CommandTest, QuietIsQuietAndJsonIsAlone) {
    const Ended ended = call(
        fmt::format("solve '{}' --store '{}/catalog' --catalog small --json --quiet --threads 1",
                    raw(),
                    night()));
    EXPECT_EQ(ended.errors, "");
    EXPECT_EQ(ended.output.front(), '{');
    EXPECT_TRUE(json::accept(ended.output));
}

TEST_F(CommandTest, OneThreadGivesTheSameBytes) {
    const std::string line =
        "run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --quiet --threads {2}";
    ASSERT_EQ(call(fmt::format(fmt::runtime(line), night(), (own_ / "a").string(), 1)).status, 0);
    ASSERT_EQ(call(fmt::format(fmt::runtime(line), night(), (own_ / "b").string(), 2)).status, 0);
    for (const char* file : {"report.psv", "report.80.txt", "measurements.csv"}) {
        EXPECT_EQ(test_support::contentOf(own_ / "a" / file),
                  test_support::contentOf(own_ / "b" / file))
            << file;
    }
}

TEST_F(CommandTest, SimulateRefusesUnknownKeys) {
    std::ofstream(own_ / "s.toml")
        << "seed = 1\n[[camera]]\nname = 'a'\nwidth = 100\nheight = 100\ngian = 1\n";
    const Ended ended =
        call(fmt::format("simulate '{0}/s.toml' --out '{0}/o'", own_.path().string()));
    EXPECT_EQ(ended.status, 2);
    EXPECT_NE(ended.errors.find("'gian'"), std::string::npos) << ended.errors;
    std::ofstream(own_ / "s.toml")
        << "[[series]]\nname = 'a'\ncamera = 'none'\n start = '2034-01-01'\n";
    EXPECT_EQ(call(fmt::format("simulate '{0}/s.toml' --out '{0}/o'", own_.path().string())).status,
              2);
}

} // namespace
} // namespace pathmark
