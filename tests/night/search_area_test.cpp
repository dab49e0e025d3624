#include "tests/support/run_command.h"
#include "tests/support/small_night.h"
#include "tests/support/table_rows.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <fstream>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::runCommand;
using test_support::TemporaryFolder;

json readJson(const fs::path& path) {
    return json::parse(test_support::contentOf(path));
}

/// An orbit that says itself that it has run off along its line: its body is looked for there, not only within search_arcsec.
/// Truth: the places that the frames were made with.
TEST(SearchAreaTest, ABodyFarAlongItsLineIsMeasured) {
    const TemporaryFolder folder;
    const fs::path night = folder / "night";
    test_support::makeTinyNight(night);
    json orbits = readJson(night / "orbits" / "orbits.json");
    for (json& orbit : orbits) {
        if (orbit.at("name") == "(2711043)") {
            orbit["M_deg"] = orbit.at("M_deg").get<double>() + 0.004;
            orbit.erase("tp_jd_tdb");
            orbit["runoff_arcsec_per_decade"] = 2e4; // the epoch is three days off
        }
    }
    std::ofstream(night / "orbits" / "orbits.json") << orbits.dump();
    const auto ended =
        runCommand(fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --json",
                               night.string(),
                               (folder / "out").string()),
                   folder);
    ASSERT_EQ(ended.status, 0) << ended.errors;
    std::map<std::string, json> truth; // by the file's name
    const json made = readJson(night / "truth.json");
    for (const json& frame : made.at("frames")) {
        truth[fs::path(frame.at("file").get<std::string>()).filename().string()] =
            frame.at("bodies").at("(2711043)");
    }
    int seen = 0;
    for (const auto& row : test_support::rowsOf(
             test_support::contentOf(folder / "out" / "measurements.csv"), ',', "body")) {
        if (row.at("body") != "(2711043)" || row.at("ra_deg").empty()) {
            continue;
        }
        ++seen;
        const json& place = truth.at(row.at("picture"));
        const double cosine = std::cos(place.at("dec").get<double>() * kRadiansPerDegree);
        EXPECT_NEAR(std::stod(row.at("ra_deg")) * cosine,
                    place.at("ra").get<double>() * cosine,
                    0.3 / 3600.0);
        EXPECT_NEAR(std::stod(row.at("dec_deg")), place.at("dec").get<double>(), 0.3 / 3600.0);
        const double off =
            std::hypot(std::stod(row.at("oc_ra_arcsec")), std::stod(row.at("oc_dec_arcsec")));
        EXPECT_GT(off, 10.0); // farther than search_arcsec
    }
    EXPECT_EQ(seen, 4);
}

} // namespace
} // namespace pathmark
