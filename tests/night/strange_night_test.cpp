#include "core/frame/fits_file.h"
#include "core/night/night_file.h"
#include "simulate/header_cards.h"
#include "tests/support/report_files.h"
#include "tests/support/temporary_folder.h"
#include "tests/support/tiny_night_test.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <set>

// Nights as they come from a disk after years: clocks that were wrong, frames twice, headers that lie, names that nobody
// thought of. What is wrong is said, and everything else is done.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using test_support::contentOf;
using test_support::Ended;
using test_support::reportsIn;

class StrangeNightTest : public test_support::TinyNightTest {
  protected:
    [[nodiscard]] fs::path out() const { return own_ / "out"; }

    /// Puts a card over the one of that keyword, or one more behind the last.
    void
    setCard(const std::string& stem, const std::string& keyword, const std::string& value) const {
        auto cards = simulate::HeaderCards::read(light(stem));
        ASSERT_TRUE(cards);
        cards->set(keyword, value);
        std::ofstream(light(stem), std::ios::binary) << cards->bytes();
    }

    void
    renameCard(const std::string& stem, const std::string& keyword, const std::string& to) const {
        auto cards = simulate::HeaderCards::read(light(stem));
        ASSERT_TRUE(cards);
        ASSERT_TRUE(cards->rename(keyword, to));
        std::ofstream(light(stem), std::ios::binary) << cards->bytes();
    }

    [[nodiscard]] Ended run(const std::string& more = {}) const {
        return test_support::runCommand(
            fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --json {2}",
                        night().string(),
                        out().string(),
                        more),
            own_);
    }

    [[nodiscard]] night::NightFile file() const {
        auto opened = night::NightFile::open(out() / "night.pmnight");
        EXPECT_TRUE(opened);
        return std::move(*opened);
    }

    [[nodiscard]] static std::set<std::string> failures(const Ended& ended) {
        std::set<std::string> ids;
        for (const auto parsed = nlohmann::json::parse(ended.output);
             const auto& failure : parsed.at("failures")) {
            ids.insert(failure.at("id"));
        }
        return ids;
    }

    /// Times that a report gives, by their lines.
    [[nodiscard]] std::vector<Utc> reportedTimes() const {
        std::vector<Utc> times;
        for (const auto list = file().measurements().value(); const auto& m : list) {
            if (m.seen && !m.onStack && m.state == night::MeasurementState::Kept) {
                times.push_back(m.time);
            }
        }
        return times;
    }
};

/// Truth: a clock 12.5 s fast says times 12.5 s late. The correction reaches a night that has run already.
TEST_F(StrangeNightTest, AClockOffsetReachesANightThatHasRun) {
    addToRecipe("[equipment]\nfile = 'equipment.toml'\n");
    const std::string camera = "[[camera]]\nname = 'Brack S1'\nclock_offset_s = ";
    std::ofstream(night() / "equipment.toml") << camera << "0.0\n";
    ASSERT_EQ(run().status, 0);
    const auto before = reportedTimes();
    ASSERT_EQ(before.size(), 4U);
    std::ofstream(night() / "equipment.toml") << camera << "12.5\n";
    ASSERT_EQ(run().status, 0);
    const auto after = reportedTimes();
    ASSERT_EQ(after.size(), before.size());
    for (std::size_t i = 0; i < before.size(); ++i) {
        EXPECT_NEAR(after[i].secondsSince(before[i]), -12.5, 1e-6);
    }
    const auto header = frame::readFitsHeader(out() / "calibrated" / "east_001.fits");
    const auto middle = parseUtc(*header->text("DATE-AVG"));
    EXPECT_NEAR(middle->secondsSince(file().lights().value()[0].middle), 0.0, 1e-3);
}

/// A stack of one frame on the stars is not the stack of that frame on a body, though nothing is shifted in either.
TEST_F(StrangeNightTest, AStackOfOneFrameIsMade) {
    for (const char* stem : {"east_002", "west_001", "west_002"}) {
        fs::remove(light(stem));
    }
    addToRecipe("[stack]\n");
    std::string recipe = contentOf(night() / "recipe.toml");
    recipe = std::string(recipe).replace(recipe.find("faint_groups = 1"), 16, "groups = 1");
    recipe.erase(recipe.rfind("[stack]\n"));
    std::ofstream(night() / "recipe.toml") << recipe;
    const Ended ended = run();
    ASSERT_EQ(ended.status, 0) << ended.errors;
    int stacks = 0;
    for (const auto list = file().measurements().value(); const auto& m : list) {
        EXPECT_TRUE(m.onStack);
        EXPECT_TRUE(fs::exists(m.picture)) << m.picture;
        stacks += m.seen ? 1 : 0;
    }
    EXPECT_GE(stacks, 1);
    EXPECT_NE(contentOf(out() / "report.psv").find("stack of 1 frames"), std::string::npos);
}

/// More lights, of a series that comes before the others, take nothing away from what was kept.
TEST_F(StrangeNightTest, MoreLightsOfAnotherSeriesLoseNothing) {
    ASSERT_EQ(run().status, 0);
    const std::string before = contentOf(out() / "report.psv");
    for (const char* stem : {"east_001", "east_002"}) {
        const std::string copy = std::string("early_") + stem;
        fs::copy(light(stem), light(copy));
        setCard(copy, "EXPTIME", "                30.0");
        setCard(copy,
                "DATE-OBS",
                stem == std::string("east_001") ? "'2034-03-17T21:10:00.000'"
                                                : "'2034-03-17T21:12:00.000'");
    }
    const Ended ended = run();
    EXPECT_NE(ended.status, 2) << ended.errors;
    const std::string after = contentOf(out() / "report.psv");
    std::istringstream lines(before);
    for (std::string line; std::getline(lines, line);) {
        if (line.find("2034-03-17T22") != std::string::npos) {
            EXPECT_NE(after.find(line.substr(0, line.find("2034-03-17T22") + 24)),
                      std::string::npos)
                << line;
        }
    }
}

TEST_F(StrangeNightTest, TheSameLightTwiceIsSaidAndUsedOnce) {
    fs::copy(light("east_001"), light("a copy"));
    fs::create_directories(night() / "lights" / "again");
    fs::copy(light("west_001"), night() / "lights" / "again" / "west_001.fits");
    const Ended ended = run();
    EXPECT_EQ(ended.status, 1);
    EXPECT_EQ(failures(ended), std::set<std::string>{"frame.twice"});
    EXPECT_EQ(nlohmann::json::parse(ended.output).at("lights"), 4);
    EXPECT_EQ(reportedTimes().size(), 4U);
}

/// Truth: without its exposure nobody knows the middle of it. Zero and less are no exposure.
TEST_F(StrangeNightTest, ALightWithoutItsExposureIsMeasuredAndNotReported) {
    renameCard("east_001", "EXPTIME", "XXPTIME");
    setCard("west_001", "EXPTIME", "                -5.0");
    const Ended ended = run();
    ASSERT_EQ(ended.status, 0) << ended.errors;
    EXPECT_NE(ended.errors.find("the exposure is not known"), std::string::npos) << ended.errors;
    EXPECT_NE(ended.errors.find("cannot be an exposure"), std::string::npos) << ended.errors;
    int parked = 0;
    for (const auto list = file().measurements().value(); const auto& m : list) {
        const bool unsure = m.picture.stem() == "east_001" || m.picture.stem() == "west_001";
        if (m.seen && unsure) {
            EXPECT_EQ(m.state, night::MeasurementState::Parked) << m.picture;
            EXPECT_NE(m.reason.find("middle of the exposure"), std::string::npos);
            ++parked;
        }
    }
    EXPECT_GE(parked, 2);
    EXPECT_EQ(reportedTimes().size(), 2U);
}

/// One frame with an impossible date or exposure costs nobody else anything.
TEST_F(StrangeNightTest, OneImpossibleFrameDoesNotEndTheNight) {
    setCard("east_001", "DATE-OBS", "'2079-03-17T22:20:00.000'");
    setCard("west_001", "EXPTIME", "              1.0E30");
    const Ended ended = run();
    EXPECT_EQ(ended.status, 1);
    const auto ids = failures(ended);
    EXPECT_TRUE(ids.contains("frame.no_time")) << ended.errors;
    EXPECT_TRUE(ids.contains("orbit.outside_ephemeris")) << ended.errors;
    EXPECT_NE(ended.errors.find("east_001.fits: The planets' files"), std::string::npos)
        << ended.errors;
    EXPECT_FALSE(contentOf(out() / "report.psv").empty());
    EXPECT_EQ(reportedTimes().size(), 2U);
}

struct Lie {
    const char* keyword;
    const char* value;
    const char* said;
};

class LyingHeaderTest : public StrangeNightTest, public testing::WithParamInterface<Lie> {};

TEST_P(LyingHeaderTest, ASecondTimeThatDisagreesIsSaid) {
    setCard("east_001", GetParam().keyword, GetParam().value);
    const Ended ended = run();
    EXPECT_EQ(ended.status, 0) << ended.errors;
    EXPECT_NE(ended.errors.find(GetParam().said), std::string::npos) << ended.errors;
}

INSTANTIATE_TEST_SUITE_P(
    Times,
    LyingHeaderTest,
    testing::Values(Lie{"DATE-END", "'2034-03-17T21:00:00'", "DATE-OBS and DATE-END are"},
                    Lie{"MJD-OBS", "             64039.5", "DATE-OBS and MJD-OBS are"},
                    Lie{"TIME-OBS", "'20:00:00'", "DATE-OBS and DATE-OBS with TIME-OBS are"},
                    Lie{"DATE-AVG", "'2034-03-17T23:59:00'", "DATE-AVG is"},
                    Lie{"TIMESYS", "'LOCAL   '", "TIMESYS = 'LOCAL' names no time scale"}));

/// Two targets beside each other under one camera, filter, exposure and temperature are two series. Truth: the simulator's
/// pointings; the second target's frames are those of the west, whose header says another name and place.
TEST_F(StrangeNightTest, TwoTargetsNeverShareASeries) {
    for (const char* stem : {"west_001", "west_002"}) {
        setCard(stem, "OBJECT", "'Another field'");
        setCard(stem, "RA", "'11 48 48.0'");
        setCard(stem, "OBJCTRA", "'11 48 48.0'");
    }
    const Ended ended = run();
    EXPECT_NE(ended.status, 2) << ended.errors;
    const auto lights = file().lights().value();
    ASSERT_EQ(lights.size(), 4U);
    EXPECT_EQ(lights[0].series, lights[1].series);
    EXPECT_EQ(lights[2].series, lights[3].series);
    EXPECT_NE(lights[0].series, lights[2].series);
    for (const auto list = file().measurements().value(); const auto& m : list) {
        EXPECT_LE(m.frames, 2) << m.picture;
    }
}

TEST_F(StrangeNightTest, ANameThatIsNoUtf8IsAName) {
    fs::rename(light("east_001"), night() / "lights" / "caf\xe9.fits");
    const Ended ended = run();
    EXPECT_EQ(ended.status, 0) << ended.errors;
    EXPECT_EQ(nlohmann::json::parse(ended.output).at("solved"), 4);
    EXPECT_EQ(reportedTimes().size(), 4U);
    const Ended gathered =
        test_support::runCommand(fmt::format("gather '{}' --json", night().string()), own_);
    EXPECT_EQ(gathered.status, 0) << gathered.errors;
    EXPECT_TRUE(nlohmann::json::parse(gathered.output).is_object());
}

/// An orbit's name may hold what ends a field of a table. Reports have no form for it: the body is left out of them, and that is said.
TEST_F(StrangeNightTest, ANameWithCommasAndBarsBreaksNoTable) {
    std::string orbits = contentOf(night() / "orbits" / "orbits.json");
    const auto at = orbits.find("(2711043)");
    ASSERT_NE(at, std::string::npos);
    orbits.replace(at, 9, "a,b|c");
    std::ofstream(night() / "orbits" / "orbits.json") << orbits;
    std::ofstream(night() / "orbits" / "minor-planets.txt") << "";
    std::string recipe = contentOf(night() / "recipe.toml");
    const std::string both = "'orbits/orbits.json', 'orbits/minor-planets.txt'";
    recipe.replace(recipe.find(both), both.size(), "'orbits/orbits.json'");
    std::ofstream(night() / "recipe.toml") << recipe;
    const Ended ended = run();
    EXPECT_TRUE(failures(ended).contains("report.no_packed_form")) << ended.errors;
    const std::string csv = contentOf(out() / "measurements.csv");
    EXPECT_NE(csv.find("\"a,b|c\","), std::string::npos) << csv.substr(0, 600);
    for (const char* report : {"report.psv", "report.xml", "report.80.txt"}) {
        EXPECT_EQ(contentOf(out() / report).find("a,b"), std::string::npos) << report;
    }
}

/// Text of a header is broken between words.
TEST_F(StrangeNightTest, HistoryIsBrokenBetweenWords) {
    ASSERT_EQ(run().status, 0);
    const auto header = frame::readFitsHeader(out() / "calibrated" / "east_001.fits");
    std::string history;
    for (const auto& card : header->cards()) {
        if (card.keyword == "HISTORY") {
            const std::string text = frame::cardText(card);
            EXPECT_LE(text.size(), 72U);
            EXPECT_FALSE(text.ends_with("&")) << text;
            history += text + " ";
        }
    }
    EXPECT_NE(history.find("too few to measure a scatter, so the median"), std::string::npos)
        << history;
    // No value of a keyword is too long for its card, in masters either.
    for (const auto& master : fs::directory_iterator(out() / "masters")) {
        const auto own = frame::readFitsHeader(master.path());
        ASSERT_TRUE(own);
        EXPECT_LE(own->text("COMBINE").value_or("").size(), 68U);
        EXPECT_NE(own->find("HISTORY"), nullptr);
    }
}

/// The lens was covered: what would have been gone by is told all the same.
TEST_F(StrangeNightTest, AFrameWithoutStarsSaysWhatElseIsKnown) {
    auto loaded = frame::readFits(light("east_002"));
    ASSERT_TRUE(loaded);
    int i = 0;
    for (float& v : loaded->image.pixels()) {
        v = 500.0F + static_cast<float>(i++ * 7919 % 11);
    }
    ASSERT_TRUE(frame::writeFits(
        light("east_002"), loaded->image, loaded->header, frame::PixelType::UInt16));
    (void)run();
    for (const auto lights = file().lights().value(); const auto& record : lights) {
        if (record.raw.filename() == "east_002.fits") {
            ASSERT_TRUE(record.attempt);
            EXPECT_EQ(record.attempt->sources, 0);
            ASSERT_TRUE(record.attempt->centre) << "its header points somewhere";
            EXPECT_GT(record.attempt->starsAround, 20) << "and the catalogue has stars there";
            return;
        }
    }
    FAIL() << "it stays in the night";
}

/// What the orbit says of a body's light is not there: a stack shows it all the same. Truth: the night's own faint body, of which
/// only the columns of H are blanked.
TEST_F(StrangeNightTest, ABodyWithoutAMagnitudeIsLookedForOnAStack) {
    const fs::path orbits = night() / "orbits" / "minor-planets.txt";
    std::string text = contentOf(orbits);
    const auto line = text.find("K34E02W");
    ASSERT_NE(line, std::string::npos);
    text.replace(line + 8, 5, "     ");
    std::ofstream(orbits, std::ios::binary) << text;
    ASSERT_EQ(run().status, 0);
    const auto measurements = file().measurements().value();
    const auto found = std::find_if(measurements.begin(), measurements.end(), [](const auto& m) {
        return m.body == night::BodyId::of("2034 EW2");
    });
    ASSERT_NE(found, measurements.end());
    EXPECT_TRUE(found->onStack);
    EXPECT_TRUE(found->seen);
}

} // namespace
} // namespace pathmark
