#include "tests/support/report_files.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <chrono>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>
#include <thread>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::Ended;
using test_support::runCommand;
using test_support::TemporaryFolder;

std::string textOf(const fs::path& path) {
    std::ifstream stream(path, std::ios::binary);
    std::ostringstream read;
    read << stream.rdbuf();
    return read.str();
}

/// A night whose last three lights land while it is watched, one of them in two pieces.
class WatchCommandTest : public testing::Test {
  protected:
    void SetUp() override {
        test_support::makeSmallNight(folder_ / "night");
        for (const auto& entry : fs::recursive_directory_iterator(folder_ / "night")) {
            if (entry.path().string().find("lights") != std::string::npos &&
                entry.is_regular_file()) {
                lights_.insert(entry.path());
            }
        }
        ASSERT_GE(lights_.size(), 5U);
        fs::create_directories(folder_ / "hold");
        for (int k = 0; k < 3; ++k) {
            const fs::path last = *std::prev(lights_.end());
            held_.insert(last);
            lights_.erase(last);
            fs::rename(last, folder_ / "hold" / last.filename());
        }
    }

    /// What a camera's program does: writes a file piece by piece, or under another name first.
    void land() const {
        bool inPieces = true;
        for (const fs::path& target : held_) {
            std::this_thread::sleep_for(std::chrono::milliseconds(1500));
            const std::string content = textOf(folder_ / "hold" / target.filename());
            if (inPieces) {
                std::ofstream stream(target, std::ios::binary);
                stream << content.substr(0, content.size() / 2) << std::flush;
                std::this_thread::sleep_for(std::chrono::milliseconds(700));
                stream << content.substr(content.size() / 2);
            } else {
                const fs::path other = target.string() + ".part";
                std::ofstream(other, std::ios::binary) << content;
                fs::rename(other, target);
            }
            inPieces = false;
        }
    }

    [[nodiscard]] Ended call(const std::string& words) const { return runCommand(words, folder_); }

    [[nodiscard]] std::string night() const { return (folder_ / "night").string(); }

    [[nodiscard]] std::string out(const char* name) const { return (folder_ / name).string(); }

    TemporaryFolder folder_;
    std::set<fs::path> lights_;
    std::set<fs::path> held_;
};

TEST_F(WatchCommandTest, TheNightItLeavesIsThatOfARun) {
    std::thread camera([this] { land(); });
    const Ended watched = call(fmt::format("watch '{0}' --recipe '{0}/recipe.toml' --out '{1}' "
                                           "--settle 1 --until-idle 6 --json --quiet",
                                           night(),
                                           out("watched")));
    camera.join();
    ASSERT_EQ(watched.status, 0) << watched.errors;
    const json document = json::parse(watched.output);
    std::set<std::string> frames;
    std::set<std::string> bodies;
    for (const json& event : document.at("events")) {
        if (event.at("event") == "frame") {
            EXPECT_TRUE(event.at("solved").get<bool>()) << event.dump();
            EXPECT_TRUE(frames.insert(event.at("file").get<std::string>()).second) << event.dump();
        } else if (event.at("event") == "body" && event.at("seen").get<bool>()) {
            bodies.insert(event.at("body").get<std::string>());
        }
    }
    EXPECT_EQ(frames.size(), lights_.size() + held_.size());
    EXPECT_FALSE(bodies.empty());
    const Ended ran = call(fmt::format(
        "run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --quiet", night(), out("ran")));
    ASSERT_EQ(ran.status, 0) << ran.errors;
    for (const char* name : {"report.psv", "report.80.txt", "measurements.csv"}) {
        const std::string left = textOf(folder_ / "watched" / name);
        EXPECT_FALSE(left.empty()) << name;
        EXPECT_TRUE(left == textOf(folder_ / "ran" / name)) << name;
    }
}

TEST_F(WatchCommandTest, WhatCannotBeMeantIsWrongUse) {
    for (const std::string& words :
         {fmt::format("'{0}/nowhere' --recipe '{0}/recipe.toml'", night()),
          fmt::format("'{0}' --recipe '{0}/recipe.toml' --settle -1", night()),
          fmt::format("'{0}' --recipe '{0}/recipe.toml' --lines --json", night()),
          fmt::format("'{0}' --recipe '{0}/recipe.toml' --observer X --until-idle 1", night())}) {
        EXPECT_EQ(call(fmt::format("watch {} --out '{}'", words, out("none"))).status, 2) << words;
    }
}

TEST_F(WatchCommandTest, AnEmptyFolderIsWaitedFor) {
    fs::create_directories(folder_ / "empty");
    const Ended ended = call(fmt::format("watch '{}' --recipe '{}/recipe.toml' --out '{}' "
                                         "--until-idle 1 --json",
                                         (folder_ / "empty").string(),
                                         night(),
                                         out("none")));
    EXPECT_EQ(ended.status, 0) << ended.errors;
    EXPECT_EQ(json::parse(ended.output).at("lights"), 0);
}

} // namespace
} // namespace pathmark
