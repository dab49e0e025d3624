#include "core/base/folder_lock.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

// Whatever the program is given, it ends with a status and a sentence, and with --json with exactly one object.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using test_support::contentOf;
using test_support::Ended;
using test_support::TemporaryFolder;

struct Use {
    const char* name;
    const char* arguments; ///< {0}: an empty folder
    int status;
    const char* says; ///< part of the first failure's message
};

class WrongUseTest : public testing::TestWithParam<Use> {};

TEST_P(WrongUseTest, EndsWithASentenceAndOneObject) {
    const TemporaryFolder folder;
    fs::create_directories(folder / "empty");
    std::ofstream(folder / "junk.txt") << "no orbit\n";
    const Use& use = GetParam();
    const Ended ended = test_support::runCommand(
        fmt::format(fmt::runtime(use.arguments), folder.path().string()) + " --json", folder);
    EXPECT_EQ(ended.status, use.status) << ended.errors;
    const auto parsed = nlohmann::json::parse(ended.output, nullptr, false);
    ASSERT_TRUE(parsed.is_object()) << "'" << ended.output << "'";
    const std::string whole = parsed.dump() + ended.errors;
    EXPECT_NE(whole.find(use.says), std::string::npos) << whole;
}

INSTANTIATE_TEST_SUITE_P(
    Verbs,
    WrongUseTest,
    testing::Values(
        Use{"Nonsense", "nonsense", 2, "'nonsense' is no command"},
        Use{"NothingAtAll", "", 2, "required"},
        Use{"GatherNowhere", "gather '{0}/none'", 1, "no frame"},
        Use{"DetectNowhere", "detect '{0}/none.fits'", 1, "none.fits"},
        Use{"IdentifyJunk",
            "identify '{0}/none.fits' --orbits '{0}/junk.txt' --site-geodetic 0 0 0",
            1,
            "no orbit"},
        Use{"EphemerisJunk",
            "ephemeris --orbits '{0}/junk.txt' --body X --site-geodetic 0 0 0 --from 2030-01-01 "
            "--to 2030-01-02",
            1,
            "no orbit"},
        Use{"RunWithoutFrames", "run '{0}/empty' --out '{0}/out' --offline", 1, "no frame"},
        Use{"RunWithoutCatalogue",
            "run '{0}/empty' --out '{0}/out' --store '{0}/empty'",
            2,
            "no catalogue in this store"},
        Use{"RunNearNothing", "run '{0}/empty' --out '{0}/out' --near 10 95", 2, "RA and Dec"},
        Use{"ThenWithoutPicture", "then '{0}/none.pmnight'", 2, "--survey URL"},
        Use{"RunToldTwice",
            "run '{0}/empty' --out '{0}/out' --recipe '{0}/r.toml' --observer X",
            2,
            "leave --recipe away"},
        Use{"StackNothing", "stack '{0}/empty' --stars --out '{0}/out'", 1, "no solved frame"},
        Use{"MeasureNothing", "measure '{0}/none.fits' --at 10 10", 1, "none.fits"},
        Use{"PhotometryNowhere",
            "photometry '{0}/empty' --store '{0}/none' --catalog c",
            1,
            "no star catalogue"},
        Use{"OrbitNowhere", "orbit '{0}/none.txt'", 1, "none.txt"},
        Use{"InfoOfNothing", "catalog info --store '{0}/none'", 1, "no catalogue"},
        Use{"CatalogueOutside",
            "catalog import --store '{0}/s' --name ../evil '{0}/junk.txt'",
            1,
            "name is made of letters"},
        Use{"NearNoPlace",
            "solve x.fits --store '{0}' --catalog c --near 400 95",
            2,
            "no place of the sky"},
        Use{"ScaleBackwards",
            "solve x.fits --store '{0}' --catalog c --scale 5 1",
            2,
            "least and the greatest"},
        Use{"RadiusBelowZero", "solve x.fits --store '{0}' --catalog c --radius -1", 2, "above 0"},
        Use{"NegativeThreads", "gather '{0}/empty' --threads -1", 2, "number of threads"},
        Use{"LevelOfNothing",
            "calibrate '{0}/empty' --out '{0}/out' --without-flats level --level 0",
            2,
            "--level"},
        Use{"NoSuchCombination",
            "calibrate '{0}/empty' --out '{0}/out' --combination most",
            2,
            "no combination 'most'"},
        Use{"DecideNowhere", "decide '{0}/none.pmnight' --keep x", 2, "no such night file"},
        Use{"ReportNowhere", "report '{0}/none.pmnight'", 2, "no such night file"},
        Use{"RunWithoutRecipe",
            "run '{0}/empty' --recipe '{0}/none.toml' --out '{0}/out'",
            2,
            "recipe does not exist"}),
    [](const auto& test) { return std::string(test.param.name); });

struct Range {
    const char* arguments;
    const char* says;
};

class EphemerisUseTest : public testing::TestWithParam<Range> {};

TEST_P(EphemerisUseTest, TimesThatCannotBeMeantAreSaid) {
    const TemporaryFolder folder;
    std::ofstream(folder / "orbits.json")
        << R"([{"name": "2031 AB1", "epoch_jd_tdb": 2464041.5, "frame": "ecliptic J2000", "q_au": 2.0, "e": 0.1,)"
           R"( "i_deg": 4.0, "node_deg": 168.0, "peri_deg": 227.0, "tp_jd_tdb": 2464000.5, "H": 15.0, "G": 0.15}])";
    const Ended ended = test_support::runCommand(
        fmt::format("ephemeris --orbits '{}' --body '2031 AB1' --site-geodetic 0 0 0 {} --json",
                    (folder / "orbits.json").string(),
                    GetParam().arguments),
        folder);
    EXPECT_EQ(ended.status, 2) << ended.errors;
    EXPECT_NE(ended.errors.find(GetParam().says), std::string::npos) << ended.errors;
    EXPECT_FALSE(nlohmann::json::parse(ended.output).at("done").get<bool>());
}

INSTANTIATE_TEST_SUITE_P(
    Times,
    EphemerisUseTest,
    testing::Values(Range{"--from soon --to 2034-03-18", "'soon' is not a time"},
                    Range{"--from 2034-03-17 --to 2034-03-18 --step 0", "--step 0 must be"},
                    Range{"--from 2034-03-18 --to 2034-03-17", "is before --from"},
                    Range{"", "Give --times"}));

/// A hundred thousand lines that are no orbits are one sentence, not a hundred thousand.
TEST(BadLinesTest, ManyAreToldOnce) {
    const TemporaryFolder folder;
    std::ofstream orbits(folder / "orbits.txt");
    orbits << "~8lyV   13.70  0.15 K343K 136.14689  227.06139  168.23856    4.03799  0.0788815  "
              "0.29914773   "
              "2.2141483  2 E2034-A01    52   5 2024-2033 0.40 M-v 3Eh PATHMARK   0000 (2711043)"
              "                   20331201\n";
    for (int i = 0; i < 100000; ++i) {
        orbits << "junk line number " << i << "\n";
    }
    orbits.close();
    const Ended ended = test_support::runCommand(
        fmt::format(
            "ephemeris --orbits '{}' --body 2711043 --site-geodetic 0 0 0 --from 2034-03-17 "
            "--to 2034-03-18 --json",
            (folder / "orbits.txt").string()),
        folder);
    EXPECT_EQ(ended.status, 0) << ended.errors.substr(0, 2000);
    EXPECT_LT(std::count(ended.errors.begin(), ended.errors.end(), '\n'), 20);
    EXPECT_NE(ended.errors.find("more lines are no orbits"), std::string::npos);
}

/// A catalogue that holds every star under two ids solves like the one that holds it under one.
TEST(DoubledCatalogueTest, EveryStarUnderTwoIdsIsKeptOnce) {
    const TemporaryFolder folder;
    const std::string head = "source_id,ra,dec,phot_g_mean_mag\n";
    std::ofstream stars(folder / "stars.csv");
    stars << head;
    for (int i = 0; i < 500; ++i) {
        for (int copy = 0; copy < 2; ++copy) {
            stars << fmt::format(
                "{},{:.8f},{:.8f},{:.4f}\n",
                1000 * (copy + 1) + i,
                100.0 + 0.001 * i,
                20.0 + 0.0007 * i,
                // Many of the same magnitude, as a catalogue rounded to tenths has.
                12.0 + 0.1 * (i % 7));
        }
    }
    stars.close();
    const Ended ended = test_support::runCommand(
        fmt::format("catalog import --store '{0}/s' --name c '{0}/stars.csv' --json",
                    folder.path().string()),
        folder);
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const auto parsed = nlohmann::json::parse(ended.output);
    EXPECT_EQ(parsed.at("stars"), 500);
    EXPECT_EQ(parsed.at("duplicates"), 500);
}

} // namespace
} // namespace pathmark
