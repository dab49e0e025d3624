#include "core/sweep/path_search.h"

#include "tests/support/made_maps.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace pathmark::sweep {
namespace {

using test_support::MadeField;

/// Three nights of eight frames of fields that have nothing in common but a line on which a body is somewhere: bent, 200 pixels long, and 12
/// pixels wide. The body goes along it in each night at another pace.
struct LostBody {
    double q = 0.37;
    double aside = -0.4;
    double snr = 9.0; ///< in all frames together
    bool isThere = true;
    bool hasHits = false;
    bool isLikelyInTheMiddle = false; ///< a normal distribution, 3 sigma at the ends
    std::uint32_t seed = 1;

    static constexpr int kNights = 3;
    static constexpr int kFrames = 8;

    /// Where the member of the family is on a frame of a night.
    static frame::PixelPos placeOf(double q, double aside, int night, double time) {
        const double way = night * 0.9 + 0.4;
        const double x =
            128.0 + 90.0 * q * std::cos(way) + 9.0 * q * q - 6.0 * aside * std::sin(way);
        const double y = 96.0 + 60.0 * q * std::sin(way) + 6.0 * aside * std::cos(way);
        // Faster at one end of the line than at the other.
        return {x + (8.0 + 2.0 * q) * time * std::cos(2.0 * way), y + 5.0 * time};
    }

    void make(std::vector<PathFrame>& frames, PathFamily& family) const {
        family.coordinates = 2;
        if (isLikelyInTheMiddle) {
            for (int k = 0; k <= 40; ++k) {
                family.logLikely.push_back(-4.5 * (k / 20.0 - 1.0) * (k / 20.0 - 1.0));
            }
            family.asideSigmas = {3.0, 3.0};
        }
        for (int night = 0; night < kNights; ++night) {
            MadeField field;
            field.frames = kFrames;
            field.seed = seed * 17U + static_cast<std::uint32_t>(night);
            field.noise = 20.0 + 4.0 * night;
            const double electrons =
                snr * 24.0 * std::sqrt(field.noisePixels() / (kNights * kFrames));
            for (int i = 0; i < kFrames; ++i) {
                const double time = field.time(i);
                field.bodies.clear();
                if (isThere) {
                    const auto at = placeOf(q, aside, night, time);
                    field.bodies.push_back({at.x, at.y, 0.0, 0.0, electrons});
                }
                auto pixels = field.pixels(i);
                if (hasHits && i == 3) {
                    const auto at = placeOf(0.1, 0.0, night, time);
                    pixels.light.at(static_cast<int>(at.x), static_cast<int>(at.y)) += 4000.0F;
                }
                frames.push_back(
                    {filterFrame(pixels, field.fwhm, field.beta),
                     {},
                     1.0,
                     field.fwhm,
                     static_cast<std::size_t>(2 * night + (2 * i >= kFrames ? 1 : 0))});
                FramePath path;
                for (int k = 0; k <= 40; ++k) {
                    path.line.push_back(placeOf(k / 20.0 - 1.0, 0.0, night, time));
                }
                const auto one = placeOf(0.0, 1.0, night, time);
                const auto nought = placeOf(0.0, 0.0, night, time);
                path.aside[0] = {one.x - nought.x, one.y - nought.y};
                family.frames.push_back(path);
            }
        }
    }

    [[nodiscard]] PathSearchResult search(double falseAlarms = 0.1) const {
        std::vector<PathFrame> frames;
        PathFamily family;
        make(frames, family);
        auto result = searchPaths(frames, family, falseAlarms, {});
        EXPECT_TRUE(result);
        return result ? *result : PathSearchResult();
    }
};

/// Truth: where the body was drawn.
TEST(PathSearchTest, ALostBodyIsFoundOverNightsThatShareNoField) {
    int found = 0;
    std::size_t others = 0;
    for (std::uint32_t seed = 1; seed <= 10; ++seed) {
        LostBody lost;
        lost.seed = seed;
        lost.hasHits = seed % 2 == 0;
        const auto result = lost.search();
        if (result.found.empty()) {
            continue;
        }
        ++found;
        others += result.found.size() - 1;
        EXPECT_NEAR(result.found[0].q[0], lost.q, 0.02) << seed;
        EXPECT_NEAR(result.found[0].q[1], lost.aside, 0.3) << seed;
        EXPECT_NEAR(result.found[0].snr, 8.9, 3.2) << seed;
        EXPECT_LT(result.found[0].log10FalseAlarms, -1.0);
        EXPECT_EQ(result.found[0].frames, 24);
    }
    EXPECT_GE(found, 9);
    EXPECT_LE(others, 4U) << "one is stated in ten searches";
}

/// Half a candidate stated in each of forty empty searches: twenty, give or take.
TEST(PathSearchTest, ChanceMakesAsManyAsStated) {
    std::size_t candidates = 0;
    for (std::uint32_t seed = 101; seed <= 140; ++seed) {
        LostBody lost;
        lost.isThere = false;
        lost.seed = seed;
        candidates += lost.search(0.5).found.size();
    }
    EXPECT_GE(candidates, 8U);
    EXPECT_LE(candidates, 36U);
}

/// The same where the body is likelier in the middle: as many by chance as stated, and a body there is found that is fainter than one must be
/// that may be anywhere.
TEST(PathSearchTest, ALikelyPlaceCountsForMore) {
    std::size_t byChance = 0;
    int foundAlike = 0;
    int foundLikely = 0;
    for (std::uint32_t seed = 201; seed <= 240; ++seed) {
        LostBody lost;
        lost.seed = seed;
        lost.isThere = false;
        lost.isLikelyInTheMiddle = true;
        byChance += lost.search(0.5).found.size();
        if (seed > 225) {
            continue;
        }
        lost.isThere = true;
        lost.q = 0.05;
        lost.aside = 0.0;
        lost.snr = 4.6;
        const auto counts = [&] {
            const auto found = lost.search(0.02).found;
            return !found.empty() && std::abs(found.front().q[0] - lost.q) < 0.03 ? 1 : 0;
        };
        foundLikely += counts();
        lost.isLikelyInTheMiddle = false;
        foundAlike += counts();
    }
    EXPECT_GE(byChance, 8U);
    EXPECT_LE(byChance, 36U);
    EXPECT_GE(foundLikely, foundAlike);
    EXPECT_GE(foundLikely, 13);
}

/// A curve of places at equal steps: between them it is followed to a thousandth of a pixel.
TEST(PathSearchTest, ThePathGoesSmoothlyBetweenItsPlaces) {
    FramePath path;
    for (int k = 0; k <= 20; ++k) {
        const double q = k / 10.0 - 1.0;
        path.line.push_back({100.0 * q + 8.0 * q * q, 50.0 * std::sin(q)});
    }
    for (const double q : {-0.97, -0.31, 0.0, 0.444, 0.96}) {
        EXPECT_NEAR(path.at({q, 0.0, 0.0}).x, 100.0 * q + 8.0 * q * q, 0.05);
        EXPECT_NEAR(path.at({q, 0.0, 0.0}).y, 50.0 * std::sin(q), 0.05);
    }
}

} // namespace
} // namespace pathmark::sweep
