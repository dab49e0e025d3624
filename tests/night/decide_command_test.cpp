#include "tests/support/json_keys.h"
#include "tests/support/report_files.h"
#include "tests/support/run_command.h"
#include "tests/support/tiny_night_test.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <set>
#include <sstream>

// What the window decides, without it: every act by the command, its reports, and its way back.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::contentOf;
using test_support::Ended;
using test_support::runCommand;

class DecideCommandTest : public test_support::TinyNightTest {
  protected:
    void SetUp() override {
        TinyNightTest::SetUp();
        run();
        ids_ = idsOf(contentOf(out() / "measurements.csv"));
        ASSERT_GE(ids_.size(), 4U);
    }

    [[nodiscard]] fs::path out() const { return own_ / "out"; }

    void run() const {
        const Ended ran = runCommand(fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' "
                                                 "--quiet",
                                                 night().string(),
                                                 out().string()),
                                     own_);
        ASSERT_EQ(ran.status, 0) << ran.errors;
    }

    /// The column `id` of the table of measurements.
    static std::vector<std::string> idsOf(const std::string& table) {
        std::istringstream lines(table);
        std::string line;
        std::getline(lines, line);
        const auto column = [&line](const std::string& name) {
            std::istringstream names(line);
            std::string word;
            for (std::size_t i = 0; std::getline(names, word, ','); ++i) {
                if (word == name) {
                    return i;
                }
            }
            ADD_FAILURE() << "no column " << name;
            return std::size_t{0};
        };
        const std::size_t at = column("id");
        std::vector<std::string> ids;
        while (std::getline(lines, line)) {
            std::istringstream fields(line);
            std::string word;
            for (std::size_t i = 0; i <= at; ++i) {
                std::getline(fields, word, ',');
            }
            ids.push_back(word);
        }
        return ids;
    }

    [[nodiscard]] json decide(const std::string& options, int status = 0) const {
        const Ended ended = runCommand(
            fmt::format("decide '{}' {} --json", (out() / "night.pmnight").string(), options),
            own_);
        EXPECT_EQ(ended.status, status) << options << "\n" << ended.errors;
        return json::parse(ended.output, nullptr, false);
    }

    /// The lines of observations of the report written now.
    [[nodiscard]] std::vector<std::string> reported() const {
        const fs::path place = own_ / "reports";
        const Ended ended = runCommand(fmt::format("report '{}' --out '{}' --json",
                                                   (out() / "night.pmnight").string(),
                                                   place.string()),
                                       own_);
        EXPECT_EQ(ended.status, 0) << ended.errors;
        std::istringstream lines(contentOf(place / "report.psv"));
        std::vector<std::string> observations;
        for (std::string line; std::getline(lines, line);) {
            // Neither heads, nor the line that names the columns.
            if (!line.empty() && line.front() != '#' && line.front() != '!' &&
                line.find("obsTime") == std::string::npos) {
                observations.push_back(line);
            }
        }
        return observations;
    }

    std::vector<std::string> ids_;
};

TEST_F(DecideCommandTest, WhatIsDroppedIsNotReportedAndComesBack) {
    const auto before = reported();
    ASSERT_GE(before.size(), 2U);
    const json dropped = decide("--drop '(2711043)' --reason 'on a satellite trail'");
    EXPECT_EQ(dropped.at("done"), true);
    EXPECT_GE(dropped.at("decided").get<int>(), 2);
    const auto without = reported();
    EXPECT_LT(without.size(), before.size());
    for (const std::string& line : without) {
        EXPECT_EQ(line.find("2711043"), std::string::npos) << line;
    }
    EXPECT_EQ(decide("--undo 1").at("undone").size(), 1U);
    EXPECT_EQ(reported(), before);
    EXPECT_EQ(decide("--redo 1").at("redone").size(), 1U);
    EXPECT_EQ(reported(), without);
}

TEST_F(DecideCommandTest, OneMeasurementIsNamedByItsId) {
    const auto before = reported();
    // The first that is in the report: parked ones change nothing.
    std::size_t changed = 0;
    for (const std::string& id : ids_) {
        const json parked = decide(fmt::format("--park {}", id));
        EXPECT_EQ(parked.at("decided"), 1) << id;
        changed += before.size() - reported().size();
        (void)decide("--undo 1");
    }
    EXPECT_EQ(changed, before.size()) << "each observation belongs to one id";
    EXPECT_EQ(reported(), before);
    // Kept, what was parked is in the report.
    (void)decide("--park '(2711043)'");
    EXPECT_LT(reported().size(), before.size());
    (void)decide("--keep '(2711043)'");
    EXPECT_EQ(reported(), before);
}

TEST_F(DecideCommandTest, TheHistoryHoldsEveryActWithItsReason) {
    (void)decide(fmt::format("--drop {} --reason 'a star'", ids_[0]));
    (void)decide("--exclude west_002.fits --reason cloud");
    (void)decide("--undo 1");
    const json history = decide("--history").at("history");
    ASSERT_EQ(history.size(), 2U);
    EXPECT_EQ(test_support::keysOf(history.at(0)),
              (std::set<std::string>{"number", "at", "words", "in_force", "decisions"}));
    EXPECT_EQ(history.at(0).at("in_force"), true);
    EXPECT_EQ(history.at(1).at("in_force"), false);
    EXPECT_NE(history.at(0).dump().find("a star"), std::string::npos);
    EXPECT_NE(history.at(1).at("words").get<std::string>().find("west_002"), std::string::npos);
    // What is decided now ends what could be made again.
    (void)decide(fmt::format("--drop {}", ids_[1]));
    const json redone = decide("--redo 1");
    EXPECT_TRUE(redone.at("redone").empty()) << redone.dump();
}

TEST_F(DecideCommandTest, AFrameLeftOutCountsFromTheNextRunOn) {
    const auto run = [&] {
        const Ended ran = runCommand(fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' "
                                                 "--json",
                                                 night().string(),
                                                 out().string()),
                                     own_);
        EXPECT_EQ(ran.status, 0) << ran.errors;
        return idsOf(contentOf(out() / "measurements.csv")).size();
    };
    const auto before = reported();
    (void)decide("--exclude west_002 --reason cloud");
    EXPECT_LT(run(), ids_.size());
    EXPECT_LT(reported().size(), before.size());
    (void)decide("--include west_002.fits");
    EXPECT_EQ(run(), ids_.size());
    EXPECT_EQ(reported(), before);
}

TEST_F(DecideCommandTest, WhatIsNotThereIsSaidAndNothingIsDecided) {
    for (const char* options : {"--drop 0123456789abcdef",
                                "--keep 'C/2099 Z9'",
                                "--exclude nothing.fits",
                                "--undo 0",
                                "--redo x",
                                "--drop"}) {
        const json refused = decide(options, 2);
        EXPECT_TRUE(refused.is_object()) << options;
    }
    // One wrong name among right ones: none of them.
    (void)decide(fmt::format("--drop {} 0123456789abcdef", ids_[0]), 2);
    EXPECT_TRUE(decide("--history").at("history").empty());
    // Taking back what was never done takes back nothing, and is no failure.
    EXPECT_TRUE(decide("--undo 3").at("undone").empty());
}

/// Truth: the four lights of the night are one series, two in the east and two in the west; the recipe makes one stack of them.
TEST_F(DecideCommandTest, BracketsMakeStacksOfTheirOwn) {
    const auto stacks = [this] {
        std::multiset<int> frames; // of the stacks on the body that no frame shows
        for (const auto& entry : fs::directory_iterator(out() / "stacks")) {
            const std::string name = entry.path().filename().string();
            if (name.starts_with("2034-EW2")) {
                std::istringstream words(name);
                std::string word;
                for (int i = 0; i < 4; ++i) {
                    std::getline(words, word, '_');
                }
                frames.insert(std::stoi(word));
            }
        }
        return frames;
    };
    const auto decideAndRun = [this](const std::string& options, int status = 0) {
        EXPECT_FALSE(decide(options, status).empty());
        run();
    };
    ASSERT_EQ(stacks(), (std::multiset<int>{4}));
    decideAndRun("--bracket east_001 east_002 --bracket west_002.fits west_001.fits");
    EXPECT_EQ(stacks(), (std::multiset<int>{2, 2}));
    // A bracket takes its frames out of the one they were in; what is in none is in no stack.
    decideAndRun("--bracket east_002 west_001");
    EXPECT_EQ(stacks(), (std::multiset<int>{1, 1, 2}));
    decideAndRun("--no-bracket east_001 --no-bracket west_002");
    EXPECT_EQ(stacks(), (std::multiset<int>{2}));
    decideAndRun("--no-bracket east_001", 2);
    decideAndRun("--bracket east_001 nowhere", 2);
    EXPECT_EQ(stacks(), (std::multiset<int>{2}));
    decideAndRun("--undo 3");
    EXPECT_EQ(stacks(), (std::multiset<int>{4}));
}

/// Truth: the body was painted on its orbit. On a motion that is three arcsec a minute faster it is smeared away.
TEST_F(DecideCommandTest, ABodyIsStackedOnTheMotionThatIsTold) {
    const auto measured = [this] {
        std::vector<std::string> fields; // of the body that no frame shows
        std::istringstream lines(contentOf(out() / "measurements.csv"));
        for (std::string line; std::getline(lines, line);) {
            if (line.starts_with("2034 EW2")) {
                std::istringstream words(line);
                for (std::string word; std::getline(words, word, ',');) {
                    fields.push_back(word);
                }
            }
        }
        fields.resize(std::max<std::size_t>(fields.size(), 14U));
        return fields;
    };
    const auto decideAndRun = [this](const std::string& options) {
        EXPECT_FALSE(decide(options).empty());
        run();
    };
    const auto onOrbit = measured();
    const double snr = std::stod(onOrbit[11]);
    const double rate = std::stod(onOrbit[12]);
    decideAndRun(fmt::format("--motion '2034 EW2' {} {}", rate + 3.0, onOrbit[13]));
    EXPECT_TRUE(measured()[11].empty() || std::stod(measured()[11]) < 0.7 * snr) << measured()[11];
    decideAndRun(fmt::format("--motion '2034 EW2' {} {}", rate, onOrbit[13]));
    EXPECT_NEAR(std::stod(measured()[11]), snr, 0.1 * snr);
    decideAndRun("--no-motion '2034 EW2'");
    EXPECT_EQ(measured(), onOrbit);
    for (const char* wrong : {"--motion nobody 1 2", "--motion '2034 EW2' -1 2"}) {
        EXPECT_FALSE(decide(wrong, 2).empty()); // says why
    }
}

} // namespace
} // namespace pathmark
