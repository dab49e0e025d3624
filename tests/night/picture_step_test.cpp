#include "core/night/linear_picture.h"
#include "core/night/night_file.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <fstream>
#include <set>

// A run joins a picture of a comet by itself. Truth: where the frames were made with the comet.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::contentOf;

constexpr const char* kPictured = "C/2034 E4";

simulate::Scenario cometNight() {
    simulate::Scenario s = test_support::smallScenario();
    s.extraOrbits = 5;
    s.series.resize(1);
    s.series.front().count = 5;
    s.bodies = {test_support::smallComet(14.5)};
    return s;
}

class PictureStepTest : public testing::Test {
  protected:
    void SetUp() override { test_support::makeNight(night(), cometNight()); }

    [[nodiscard]] fs::path night() const { return folder_ / "night"; }

    [[nodiscard]] test_support::Ended run() const {
        return test_support::runCommand(
            fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{0}/out'", night().string()),
            folder_);
    }

    [[nodiscard]] std::set<fs::path> pictures(const char* ending) const {
        std::set<fs::path> found;
        std::error_code status;
        for (const auto& entry : fs::directory_iterator(night() / "out" / "pictures", status)) {
            if (entry.path().extension() == ending) {
                found.insert(entry.path());
            }
        }
        return found;
    }

    test_support::TemporaryFolder folder_;
};

TEST_F(PictureStepTest, TheCometStandsInIt) {
    ASSERT_EQ(run().status, 0);
    const auto made = pictures(".fits");
    ASSERT_EQ(made.size(), 1U);
    EXPECT_EQ(pictures(".png").size(), 1U);
    const auto picture = night::readLinear(*made.begin());
    ASSERT_TRUE(picture);
    EXPECT_TRUE(picture->layers.whole.isGrey) << "one filter";
    // In the middle of five frames of an even pace stands the third.
    const auto truth = json::parse(contentOf(night() / "truth.json"));
    const auto& body = truth.at("frames").at(2).at("bodies").at(kPictured);
    const auto at =
        picture->wcs.toPixel(skyDegrees(body.at("ra").get<double>(), body.at("dec").get<double>()));
    ASSERT_TRUE(at);
    const frame::Image& light = picture->layers.whole.planes[1];
    int bestX = 0;
    int bestY = 0;
    const int x0 = static_cast<int>(std::lround(at->x));
    const int y0 = static_cast<int>(std::lround(at->y));
    float best = -1e9F;
    for (int y = y0 - 5; y <= y0 + 5; ++y) {
        for (int x = x0 - 5; x <= x0 + 5; ++x) {
            if (light.contains(x, y) && light.at(x, y) > best) {
                best = light.at(x, y);
                bestX = x;
                bestY = y;
            }
        }
    }
    EXPECT_LE(std::hypot(bestX - at->x, bestY - at->y), 1.5);
}

TEST_F(PictureStepTest, IsMadeOnceAndAnewWhenAFrameIsLeftOut) {
    ASSERT_EQ(run().status, 0);
    const auto first = pictures(".fits");
    ASSERT_EQ(first.size(), 1U);
    const auto time = fs::last_write_time(*first.begin());
    ASSERT_EQ(run().status, 0);
    EXPECT_EQ(pictures(".fits"), first);
    EXPECT_EQ(fs::last_write_time(*first.begin()), time) << "nothing was made again";
    const auto file = night::NightFile::open(night() / "out" / "night.pmnight");
    ASSERT_TRUE(file);
    const auto lights = file->lights();
    ASSERT_TRUE(lights);
    ASSERT_EQ(test_support::runCommand(fmt::format("decide '{}' --exclude {}",
                                                   file->path().string(),
                                                   lights->front().frame.text()),
                                       folder_)
                  .status,
              0);
    ASSERT_EQ(run().status, 0);
    const auto second = pictures(".fits");
    ASSERT_EQ(second.size(), 1U) << "the old one is gone";
    EXPECT_NE(second, first);
    EXPECT_EQ(pictures(".png").size(), 1U);
}

TEST_F(PictureStepTest, IsNotMadeWhereTheRecipeSaysSo) {
    std::ofstream(night() / "recipe.toml", std::ios::app) << "[picture]\ncomets = false\n";
    ASSERT_EQ(run().status, 0);
    EXPECT_TRUE(pictures(".fits").empty());
}

} // namespace
} // namespace pathmark
