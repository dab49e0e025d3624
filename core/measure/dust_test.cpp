#include "core/measure/dust.h"

#include "core/base/angle.h"
#include "core/measure/tail.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace pathmark::measure {
namespace {

/// Truth: the definition itself. A circle filled with dust of albedo A scatters A rho^2 / (2 r Delta)^2 of the Sun's light, so that
/// A f rho is A rho.
TEST(DustTest, AFilledCircleHasTheAlbedoTimesItsRadius) {
    const CometDistance distance{1.7, 0.9};
    constexpr double au = 1.495978707e13;
    constexpr double albedo = 0.04;
    for (const double radius : {5.0, 20.0}) {
        const double rho = distance.earthAu * au * Angle::arcsec(radius).radians();
        const double ratio =
            albedo * std::pow(rho / (2.0 * distance.earthAu * au), 2) / std::pow(distance.sunAu, 2);
        const double magnitude = -26.76 - 2.5 * std::log10(ratio);
        EXPECT_NEAR(afrhoCentimetres(magnitude, catalog::Band::V, radius, distance) /
                        (albedo * rho),
                    1.0,
                    1e-6);
    }
}

/// In a coma of brightness 1 / rho the light within a circle grows as its radius.
TEST(DustTest, ASteadyComaHasOneValueAtEveryRadius) {
    const CometDistance distance{2.0, 1.2};
    const double first = afrhoCentimetres(15.0, catalog::Band::R, 4.0, distance);
    const double second =
        afrhoCentimetres(15.0 - 2.5 * std::log10(3.0), catalog::Band::R, 12.0, distance);
    EXPECT_NEAR(second / first, 1.0, 1e-6);
}

/// The curve's own ends: all of it at phase zero, less and less from there, and nothing is said where nobody measured.
TEST(DustTest, DustIsFainterOffPhaseZero) {
    EXPECT_DOUBLE_EQ(dustPhase(Angle::degrees(0.0)).value(), 1.0);
    double before = 1.0;
    for (double phase = 5.0; phase <= 50.0; phase += 5.0) {
        const auto now = dustPhase(Angle::degrees(phase));
        ASSERT_TRUE(now);
        EXPECT_LT(*now, before) << phase;
        before = *now;
    }
    EXPECT_NEAR(dustPhase(Angle::degrees(30.0)).value(), 0.41, 0.02);
    EXPECT_FALSE(dustPhase(Angle::degrees(70.0)));
}

/// A coma with a tail that way, and noise.
frame::Image tailed(double truth, std::mt19937& random) {
    std::normal_distribution<float> noise(0.0F, 12.0F);
    frame::Image image(300, 300);
    for (int y = 0; y < 300; ++y) {
        for (int x = 0; x < 300; ++x) {
            const double dx = x - 150.3;
            const double dy = y - 149.6;
            const double rho = std::hypot(dx, dy) + 0.5;
            const double along = dx * std::cos(truth) + dy * std::sin(truth);
            const double across = dy * std::cos(truth) - dx * std::sin(truth);
            double light = 4000.0 / rho * std::exp(-std::pow(rho / 80.0, 2.0));
            light += along > 0.0
                         ? 60.0 * std::exp(-along / 60.0 -
                                           0.5 * std::pow(across / (4.0 + 0.15 * along), 2.0))
                         : 0.0;
            image.at(x, y) = static_cast<float>(light) + noise(random);
        }
    }
    return image;
}

/// Truth: the direction that was painted; stars and noise lie over it.
TEST(TailTest, ATailIsSeenWhereItWasPainted) {
    std::mt19937 random(8);
    std::normal_distribution<float> noise(0.0F, 12.0F);
    std::uniform_real_distribution<double> anywhere(0.0, 300.0);
    for (const double truth : {0.3, 2.0, -1.4}) {
        frame::Image image = tailed(truth, random);
        for (int k = 0; k < 60; ++k) {
            const int x = static_cast<int>(anywhere(random));
            const int y = static_cast<int>(anywhere(random));
            image.at(x, y) += 5000.0F;
        }
        const auto tail = tailDirection(image, {150.3, 149.6}, 110.0, 12.0);
        ASSERT_TRUE(tail) << truth;
        EXPECT_NEAR(std::remainder(tail->angle - truth, 2.0 * std::numbers::pi), 0.0, 0.05)
            << truth;
    }
    frame::Image round(300, 300);
    for (int y = 0; y < 300; ++y) {
        for (int x = 0; x < 300; ++x) {
            round.at(x, y) = static_cast<float>(4000.0 / (std::hypot(x - 150.3, y - 149.6) + 0.5)) +
                             noise(random);
        }
    }
    EXPECT_FALSE(tailDirection(round, {150.3, 149.6}, 110.0, 12.0));
}

/// Truth: the direction that was painted. A bright star that the mount drew out lies beside the tail: left in, it turns it.
TEST(TailTest, AStarInATailDoesNotTurnIt) {
    std::mt19937 random(9);
    constexpr double truth = 0.3;
    frame::Image image = tailed(truth, random);
    // At 25 degrees from the tail, 30 pixels long across it.
    const frame::PixelPos star{150.3 + 70.0 * std::cos(0.74), 149.6 + 70.0 * std::sin(0.74)};
    constexpr double flux = 4.0e5;
    for (int step = 0; step < 300; ++step) {
        const double at = 30.0 * ((step + 0.5) / 300.0 - 0.5);
        const int cx = static_cast<int>(std::lround(star.x));
        const int cy = static_cast<int>(std::lround(star.y + at));
        for (int y = cy - 15; y <= cy + 15; ++y) {
            for (int x = cx - 15; x <= cx + 15; ++x) {
                const double r = std::hypot(x - star.x, y - star.y - at) / 2.5;
                image.at(x, y) +=
                    static_cast<float>(flux / 300.0 * 0.1 * std::pow(1.0 + r * r, -3.0));
            }
        }
    }
    const auto angleOff = [&](const frame::Image& light) {
        const auto tail = tailDirection(light, {150.3, 149.6}, 110.0, 12.0);
        EXPECT_TRUE(tail);
        return tail ? std::abs(std::remainder(tail->angle - truth, 2.0 * std::numbers::pi)) : 9.0;
    };
    EXPECT_GT(angleOff(image), 0.06);
    Picture picture;
    picture.shape = detect::Moffat::round(2.55, 3.0); // of a core of 2.5 pixels
    picture.starTrailY = 30.0;
    picture.noise = 12.0;
    leaveOutStars(picture, std::vector<StarNearby>{{star, flux, 0.0}}, image);
    EXPECT_LT(angleOff(image), 0.05);
}

} // namespace
} // namespace pathmark::measure
