#include "core/sweep/standing_light.h"

#include "core/sweep/tracks.h"
#include "tests/support/made_maps.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::sweep {
namespace {

using test_support::MadeField;

/// A ring about a bright star that the first half of the frames has too bright, and a line that a saturated one bleeds in the second half.
void addStanding(int frame, int frames, FramePixels& pixels) {
    for (int y = 0; y < pixels.light.height(); ++y) {
        for (int x = 0; x < pixels.light.width(); ++x) {
            const double far = std::hypot(x - 60.0, y - 60.0);
            if (2 * frame < frames && far > 6.0 && far < 14.0) {
                pixels.light.at(x, y) += 18.0F;
            }
            if (2 * frame >= frames && std::abs(x - 180) <= 1 && y > 50 && y < 110) {
                pixels.light.at(x, y) += 22.0F;
            }
        }
    }
}

class StandingLightTest : public testing::Test {
  protected:
    StandingLightTest() {
        field_.frames = 16;
        // One that goes on, one that is slow and faint, and a bright slow one.
        field_.bodies = {{128.0, 150.0, 30.0, 6.0, field_.electronsFor(12.0)},
                         {40.0, 150.0, 5.0, 0.0, field_.electronsFor(9.0)},
                         {210.0, 150.0, -5.0, 2.0, field_.electronsFor(30.0)}};
    }

    [[nodiscard]] LightMaps maps() const {
        return field_.maps(
            [&](int frame, FramePixels& pixels) { addStanding(frame, field_.frames, pixels); });
    }

    [[nodiscard]] static int weightAt(const LightMaps& maps, std::size_t frame, int x, int y) {
        return maps.map(frame)
            .weight[static_cast<std::size_t>(y) * static_cast<std::size_t>(maps.grid().width) +
                    static_cast<std::size_t>(x)];
    }

    MadeField field_;
};

TEST_F(StandingLightTest, RingsAndLinesAreLeftOutWhereTheyStand) {
    LightMaps maps = this->maps();
    const double share = leaveOutStanding(maps);
    EXPECT_GT(share, 0.005);
    EXPECT_LT(share, 0.06);
    EXPECT_EQ(weightAt(maps, 2, 70, 60), 0);
    EXPECT_EQ(weightAt(maps, 2, 60, 50), 0);
    EXPECT_GT(weightAt(maps, 14, 70, 60), 150) << "where the other frames see it";
    EXPECT_EQ(weightAt(maps, 14, 180, 80), 0);
    EXPECT_GT(weightAt(maps, 2, 180, 80), 150);
    EXPECT_GT(weightAt(maps, 2, 120, 30), 150) << "sky";
}

/// Truth: the same maps before.
TEST_F(StandingLightTest, BodiesLoseNothing) {
    LightMaps maps = this->maps();
    std::vector<double> before;
    const auto tracks = [&] {
        std::vector<double> all;
        for (const auto& body : field_.bodies) {
            all.push_back(
                Tracks(maps).along({{body.x, body.y}, {body.vx, body.vy}}, {}, true).information);
        }
        return all;
    };
    before = tracks();
    leaveOutStanding(maps);
    const auto after = tracks();
    for (std::size_t k = 0; k < before.size(); ++k) {
        EXPECT_GT(after[k], 0.98 * before[k]) << k;
    }
}

TEST_F(StandingLightTest, NoiseAloneIsLeftAsItIs) {
    field_.bodies.clear();
    for (std::uint32_t seed = 1; seed <= 5; ++seed) {
        field_.seed = seed;
        LightMaps maps = field_.maps();
        EXPECT_EQ(leaveOutStanding(maps), 0.0);
    }
}

} // namespace
} // namespace pathmark::sweep
