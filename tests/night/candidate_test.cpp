#include "core/night/body_orbit.h"
#include "core/night/night_file.h"
#include "core/night/run_night.h"
#include "core/report/structure.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <erfa.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <map>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using test_support::contentOf;

night::Act judged(const std::string& id, night::MeasurementState state) {
    return {"judged", {night::JudgeMeasurement{id, state, "real"}}};
}

/// The small night, run once: a bright known body, a faint one, and one that no list knows.
class CandidateTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        folder_ = new test_support::TemporaryFolder;
        test_support::makeSmallNight(folder_->path() / "night");
        summary_ = night::runNight({night(), night() / "recipe.toml", out(), {}}, Job{});
    }

    void SetUp() override {
        ASSERT_TRUE(summary_) << summary_.error().detail;
        EXPECT_EQ(summary_->candidates, 1);
    }

    static void TearDownTestSuite() {
        delete folder_;
        folder_ = nullptr;
    }

    static fs::path night() { return folder_->path() / "night"; }

    static fs::path out() { return folder_->path() / "out"; }

    static const test_support::TemporaryFolder* folder() { return folder_; }

    static night::NightFile file() {
        auto opened = night::NightFile::open(out() / "night.pmnight");
        EXPECT_TRUE(opened);
        return std::move(*opened);
    }

    /// Places of a body in truth.json by the name of the frame.
    static std::map<std::string, SkyPos> truthOf(const std::string& body) {
        std::map<std::string, SkyPos> places;
        const auto truth = nlohmann::json::parse(contentOf(night() / "truth.json"));
        for (const auto& frame : truth.at("frames")) {
            const auto& bodies = frame.at("bodies");
            if (bodies.contains(body)) {
                places[fs::path(frame.at("file").get<std::string>()).filename()] =
                    skyDegrees(bodies.at(body).at("ra"), bodies.at(body).at("dec"));
            }
        }
        return places;
    }

  private:
    static test_support::TemporaryFolder* folder_;
    static Result<night::RunSummary> summary_;
};

test_support::TemporaryFolder* CandidateTest::folder_ = nullptr;
Result<night::RunSummary> CandidateTest::summary_;

/// Truth: the simulator's places of the body that stands in no list.
TEST_F(CandidateTest, AnUnknownMoverBecomesOneCandidate) {
    const auto tracks = file().tracks().value();
    ASSERT_EQ(tracks.size(), 1U);
    EXPECT_EQ(tracks[0].name, "c031701");
    EXPECT_GE(tracks[0].members.size(), 5U);
    EXPECT_LT(tracks[0].falseTracksLog10, -3.0);
    const auto truth = truthOf("unknown");
    int checked = 0;
    for (const auto list = file().predictions().value(); const auto& p : list) {
        if (p.candidate) {
            EXPECT_LT(separation(p.sky, truth.at(p.file.filename())).arcsec(), 0.5);
            ++checked;
        }
    }
    EXPECT_EQ(checked, 6);
}

/// Truth: as above; its measurements wait for somebody to keep them.
TEST_F(CandidateTest, ItIsMeasuredAndWaitsForADecision) {
    const auto truth = truthOf("unknown");
    int measured = 0;
    for (const auto list = file().measurements().value(); const auto& m : list) {
        if (m.candidate && m.seen) {
            EXPECT_EQ(m.state, night::MeasurementState::Parked);
            EXPECT_LT(separation(m.sky, truth.at(m.picture.filename())).arcsec(), 0.6);
            ++measured;
        }
    }
    EXPECT_EQ(measured, 6);
    EXPECT_EQ(contentOf(out() / "report.psv").find("c031701"), std::string::npos);
}

TEST_F(CandidateTest, KeptItIsReportedUnderItsOwnNameAndKeepsItOnTheNextRun) {
    std::vector<std::string> ids;
    for (const auto list = file().measurements().value(); const auto& m : list) {
        if (m.candidate && m.seen) {
            ids.push_back(m.id);
        }
    }
    for (const std::string& id : ids) {
        ASSERT_TRUE(file().decide(judged(id, night::MeasurementState::Kept)));
    }
    ASSERT_TRUE(night::runNight({night(), night() / "recipe.toml", out(), {}}, Job{}));
    EXPECT_EQ(file().tracks().value().at(0).name, "c031701");
    EXPECT_NE(contentOf(out() / "report.psv").find("trkSub"), std::string::npos);
    EXPECT_NE(contentOf(out() / "report.xml").find("<trkSub>c031701</trkSub>"), std::string::npos);
    EXPECT_NE(contentOf(out() / "report.80.txt").find("     c031701"), std::string::npos);
    const std::string schema = std::string(PATHMARK_SOURCE_DIR) + "/data/ades-2022.xsd";
    EXPECT_EQ(report::structureFaults(schema, contentOf(out() / "report.xml")),
              std::vector<std::string>{});
    for (const std::string& id : ids) {
        ASSERT_TRUE(file().decide(judged(id, night::MeasurementState::Parked)));
    }
}

/// Truth: the simulator's places of the body at the frames, all by its own orbit; heights above the horizon by ERFA's eraAtco13.
TEST_F(CandidateTest, WhatIsKnownOfItIsShownTogether) {
    const auto ask = [&](const std::string& words) {
        const auto ended = test_support::runCommand(
            "candidate '" + (out() / "night.pmnight").string() + "' c031701 --json " + words,
            *folder());
        EXPECT_EQ(ended.status, 0) << ended.errors;
        return nlohmann::json::parse(ended.output);
    };
    const auto look = ask("");
    EXPECT_EQ(look.at("lines"), 6);
    EXPECT_EQ(look.at("coming").size(), 25U);
    EXPECT_FALSE(look.at("cloud").is_null()) << "an arc of an hour leaves many orbits";
    EXPECT_GT(look.at("from_sun_deg").get<double>(), 90.0);
    EXPECT_EQ(look.at("may_be"), "");
    EXPECT_GE(look.at("known_in_frames").get<int>(), 2);
    double before = 0.0;
    for (const auto& row : look.at("coming")) {
        EXPECT_GE(row.at("sigma_major_arcsec").get<double>(), 0.9 * before)
            << "it is known less and less";
        before = row.at("sigma_major_arcsec").get<double>();
        const Utc time = parseUtc(row.at("time").get<std::string>()).value();
        double azimuth = 0.0, zenith = 0.0, hour = 0.0, dec = 0.0, ra = 0.0, origins = 0.0;
        eraAtco13(row.at("ra").get<double>() * kRadiansPerDegree,
                  row.at("dec").get<double>() * kRadiansPerDegree,
                  0,
                  0,
                  0,
                  0,
                  time.day(),
                  time.fraction(),
                  0.0,
                  23.4127 * kRadiansPerDegree,
                  -31.2086 * kRadiansPerDegree,
                  1374.0,
                  0,
                  0,
                  0,
                  0,
                  0,
                  0.5,
                  &azimuth,
                  &zenith,
                  &hour,
                  &dec,
                  &ra,
                  &origins);
        EXPECT_NEAR(row.at("height_deg").get<double>(), 90.0 - zenith / kRadiansPerDegree, 0.03);
    }
    const auto truth = truthOf("unknown");
    for (const auto list = file().predictions().value(); const auto& p : list) {
        if (p.candidate) {
            const auto then =
                ask("--from " + toIso(p.time) + " --hours 0.001 --step 1").at("coming").at(0);
            const SkyPos sky = skyDegrees(then.at("ra"), then.at("dec"));
            EXPECT_LT(separation(sky, truth.at(p.file.filename())).arcsec(),
                      0.3 + 3.0 * then.at("sigma_major_arcsec").get<double>());
        }
    }
    const auto nobody = test_support::runCommand(
        "candidate '" + (out() / "night.pmnight").string() + "' c999999", *folder());
    EXPECT_EQ(nobody.status, 2);
}

/// Truth: the bright body is in the frames and is not moved in its orbit: every frame has a source at its place.
TEST_F(CandidateTest, KnownBodiesAreMatchedAndNotLinkedAgain) {
    int matched = 0;
    int faint = 0;
    for (const auto list = file().predictions().value(); const auto& p : list) {
        if (p.body == night::BodyId::of("2711043")) {
            ASSERT_TRUE(p.match) << p.file;
            EXPECT_LT(p.match->chiSquare, 13.8);
            EXPECT_LT(p.match->chance, 0.01);
            EXPECT_GT(p.sigmaMajorArcsec, 0.1);
            ++matched;
        } else if (p.body == night::BodyId::of("2034 EW2")) {
            // S/N 4.7 as predicted: now and then the noise lifts it above the five of a source.
            EXPECT_LT(p.snr.value_or(9.0), 5.0);
            faint += p.match ? 1 : 0;
        }
    }
    EXPECT_EQ(matched, 6);
    EXPECT_LE(faint, 3);
}

/// A broken line of an observation file is told, and the orbit rests on the others.
TEST_F(CandidateTest, ABrokenObservationIsToldAndTheOthersCount) {
    std::string text = contentOf(night() / "past-observations.txt");
    text[text.find('\n') + 33] = 'x'; // hours of the second line's right ascension
    const fs::path spoiled = night() / "spoiled.txt";
    std::ofstream(spoiled) << text;
    std::string recipe = test_support::smallRecipe();
    recipe.replace(recipe.find("past-observations.txt"), 21, "spoiled.txt");
    std::ofstream(night() / "spoiled.toml") << recipe;
    const auto sources = night::readOrbitSources(night() / "spoiled.toml", Job{});
    ASSERT_TRUE(sources) << sources.error().detail;
    ASSERT_EQ(sources->problems.size(), 1U);
    EXPECT_NE(toMessage(sources->problems[0]).find("line 2"), std::string::npos)
        << toMessage(sources->problems[0]);
    const auto what = night::orbitCaseOf(*sources, {}, {}, night::BodyId::of("2711043"));
    EXPECT_EQ(what.given.observations.size(), 11U);
    fs::remove(spoiled);
}

TEST_F(CandidateTest, WithoutTheSearchThereIsNone) {
    const fs::path recipe = night() / "quiet.toml";
    std::ofstream(recipe) << test_support::smallRecipe() << "[candidates]\nsearch = false\n";
    const auto summary =
        night::runNight({night(), recipe, night().parent_path() / "quiet", {}}, Job{});
    ASSERT_TRUE(summary) << summary.error().detail;
    EXPECT_EQ(summary->candidates, 0);
}

/// What a run parks is the recipe's to say, and a run that finds the rule changed decides anew.
TEST_F(CandidateTest, WhatIsParkedIsTheRecipes) {
    const fs::path out = night().parent_path() / "strict";
    const auto parked = [&](const std::string& rules) {
        const fs::path recipe = night() / "strict.toml";
        std::ofstream(recipe) << test_support::smallRecipe() << rules;
        const auto summary = night::runNight({night(), recipe, out, {}}, Job{});
        EXPECT_TRUE(summary);
        int count = 0;
        const auto file = night::NightFile::open(out / "night.pmnight");
        EXPECT_TRUE(file);
        const auto measurements = file->measurements().value();
        for (const auto& m : measurements) {
            count += m.reason.find("is under 1000") != std::string::npos &&
                     m.state == night::MeasurementState::Parked;
        }
        return count;
    };
    EXPECT_EQ(parked(""), 0);
    EXPECT_GE(parked("[review]\nsnr = 1000\n"), 6);
    EXPECT_EQ(parked(""), 0);
}

/// Truth: the simulator's past observations have 0.3" of noise, tonight's place the noise that is stated; both from the
/// simulator's own motion.
TEST_F(CandidateTest, TonightAgreesWithOtherNights) {
    const auto sources = night::readOrbitSources(night() / "recipe.toml", Job{});
    ASSERT_TRUE(sources) << sources.error().detail;
    const auto measurements = file().measurements().value();
    const auto what = night::orbitCaseOf(*sources, measurements, {}, night::BodyId::of("2711043"));
    EXPECT_EQ(what.given.old, 12U);
    EXPECT_EQ(what.given.observations.size(), 18U);
    ASSERT_TRUE(what.given.known);
    const auto orbit = night::judgeBody(*sources, what, measurements.front().time);
    ASSERT_TRUE(orbit) << orbit.error().detail;
    ASSERT_TRUE(orbit->judgement.fit && orbit->tonight && orbit->bounds && orbit->errors);
    EXPECT_EQ(orbit->tonight->count, 6);
    EXPECT_LT(std::abs(orbit->tonight->raMean),
              4.5 * std::hypot(orbit->tonight->raError, orbit->tonight->orbitRaArcsec));
    EXPECT_LT(orbit->bounds->place.major.arcsec(), 0.3);
}

} // namespace
} // namespace pathmark
