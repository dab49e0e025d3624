#include "core/night/night_file.h"
#include "tests/support/report_files.h"
#include "tests/support/tiny_night_test.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <set>

// What many nights say together.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::contentOf;
using test_support::Ended;
using test_support::runCommand;

/// The tiny night's results twice, as those of two nights of an archive.
class YearsCommandTest : public test_support::TinyNightTest {
  protected:
    void SetUp() override {
        TinyNightTest::SetUp();
        const Ended ran = runCommand(fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' "
                                                 "--quiet",
                                                 night().string(),
                                                 (archive() / "first").string()),
                                     own_);
        ASSERT_EQ(ran.status, 0) << ran.errors;
        fs::create_directories(archive() / "second" / "deep");
        fs::copy_file(archive() / "first" / "night.pmnight",
                      archive() / "second" / "deep" / "night.pmnight");
    }

    [[nodiscard]] fs::path archive() const { return own_ / "archive"; }

    [[nodiscard]] Ended years(const std::string& words) const {
        return runCommand(fmt::format("years '{}' {}", archive().string(), words), own_);
    }

    /// The body of the night with the most measurements that have a magnitude.
    [[nodiscard]] std::string body() const {
        const auto file = night::NightFile::open(archive() / "first" / "night.pmnight");
        std::map<std::string, int> counts;
        const auto measurements = file->measurements().value();
        for (const auto& m : measurements) {
            counts[m.body.text()] += m.seen && m.magnitude ? 1 : 0;
        }
        return std::max_element(counts.begin(),
                                counts.end(),
                                [](const auto& a, const auto& b) { return a.second < b.second; })
            ->first;
    }
};

/// Truth: the simulator's own distances of the body from Sun and observer, which share nothing with core/orbit.
TEST_F(YearsCommandTest, ABodysBrightnessAtOneAu) {
    const std::string name = body();
    const Ended ended =
        years(fmt::format("--body '{}' --orbits '{}/orbits/orbits.json' --site-geodetic 23.4127 "
                          "-31.2086 1374 --json",
                          name,
                          night().string()));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    EXPECT_EQ(document.at("nights"), 2);
    const json& rows = document.at("measurements");
    ASSERT_GE(rows.size(), 4U);
    const json truth = json::parse(contentOf(night() / "truth.json"));
    std::set<std::string> nights;
    int compared = 0;
    for (const json& row : rows) {
        nights.insert(row.at("night").get<std::string>());
        if (row.at("mag").is_null()) {
            continue;
        }
        const Utc time = *parseUtc(row.at("mid_time").get<std::string>());
        for (const json& frame : truth.at("frames")) {
            const double off =
                parseUtc(frame.at("t_mid_utc").get<std::string>())->secondsSince(time);
            for (const auto& [key, seen] : frame.at("bodies").items()) {
                const double r = seen.at("r_au").get<double>();
                const double delta = seen.at("delta_au").get<double>();
                if (std::abs(off) < 1.0 &&
                    std::abs(delta - row.at("distance_au").get<double>()) < 1e-4) {
                    ++compared;
                    EXPECT_NEAR(row.at("sun_distance_au").get<double>(), r, 1e-4);
                    EXPECT_NEAR(row.at("reduced_mag").get<double>(),
                                row.at("mag").get<double>() - 5.0 * std::log10(r * delta),
                                1e-3);
                }
            }
        }
    }
    EXPECT_EQ(nights.size(), 2U);
    EXPECT_GE(compared, 2);
}

/// The tiny night's series are of two lights each: nothing that moves can be told there, and no sweep was made.
TEST_F(YearsCommandTest, FieldsThatNobodySearched) {
    const Ended ended = years("--unsearched --json");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json fields = json::parse(ended.output).at("fields");
    ASSERT_FALSE(fields.empty());
    const auto lights =
        night::NightFile::open(archive() / "first" / "night.pmnight")->lights().value();
    std::size_t ofFields = 0;
    for (const json& field : fields) {
        ofFields += field.at("lights").get<std::size_t>();
        EXPECT_EQ(field.at("searched"),
                  field.at("solved").get<int>() >= 3 ? "frame_by_frame" : "never");
        EXPECT_TRUE(field.at("ra").is_number());
        EXPECT_GT(field.at("width_deg").get<double>(), 0.0);
    }
    EXPECT_EQ(ofFields, 2 * lights.size());
}

TEST_F(YearsCommandTest, TablesAndThePage) {
    const std::string name = body();
    const Ended ended =
        years(fmt::format("--body '{0}' --csv '{1}/a.csv' --votable '{1}/a.vot' --page "
                          "'{1}/a.html' --quiet",
                          name,
                          own_.path().string()));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    EXPECT_TRUE(contentOf(own_ / "a.csv").starts_with("mid_time,mag,"));
    EXPECT_NE(contentOf(own_ / "a.vot").find("body_over_years"), std::string::npos);
    EXPECT_NE(contentOf(own_ / "a.html").find("<svg"), std::string::npos);
    const Ended fields = years("");
    EXPECT_TRUE(fields.output.starts_with("first,last,ra,")) << fields.output.substr(0, 80);
}

TEST_F(YearsCommandTest, WrongWordsAreWrongUse) {
    EXPECT_EQ(years("--page x.html").status, 2);
    EXPECT_EQ(years("--body X --orbits none.json").status, 2) << "no site";
    EXPECT_EQ(runCommand(fmt::format("years '{}'", own_.path().string() + "/nothing"), own_).status,
              1)
        << "there is no such file";
    std::ofstream(archive() / "bad.pmnight") << std::string(9000, 'x');
    const Ended bad = years("--json");
    EXPECT_EQ(bad.status, 1);
    EXPECT_FALSE(json::parse(bad.output).at("fields").empty()) << "the others are told";
}

} // namespace
} // namespace pathmark
