#include "core/measure/ensemble.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace pathmark::measure {
namespace {

constexpr std::size_t kFrames = 40;
constexpr std::size_t kStarCount = 60;

/// Truth: magnitudes, clouds and an extinction that depends on colour, drawn here; three stars vary, and the catalogue is off by its own
/// scatter.
struct MadeSeries {
    std::vector<SeriesStar> stars;
    std::vector<double> zeroPoints; ///< of a star of colour 0.88
    std::vector<double> truth;      ///< of each star

    MadeSeries() {
        std::mt19937 random(12);
        std::normal_distribution<double> unit(0.0, 1.0);
        std::uniform_real_distribution<double> part(0.0, 1.0);
        std::vector<double> slopes;
        for (std::size_t f = 0; f < kFrames; ++f) {
            const double cloud = f > 20 && f < 30 ? 0.8 * part(random) : 0.0;
            zeroPoints.push_back(22.0 - 0.002 * static_cast<double>(f) - cloud);
            slopes.push_back(0.05 - 0.001 * static_cast<double>(f));
        }
        for (std::size_t s = 0; s < kStarCount; ++s) {
            SeriesStar star;
            star.frames = static_cast<int>(kFrames);
            const double mag = 12.0 + 4.0 * part(random);
            truth.push_back(mag);
            star.colour = 0.3 + 2.0 * part(random);
            star.catalogueMag = mag + 0.02 * unit(random);
            for (std::size_t f = 0; f < kFrames; ++f) {
                const double error = 0.003 * std::pow(10.0, 0.25 * (mag - 12.0));
                const double varies =
                    s < 3 ? 0.1 * std::sin(0.3 * static_cast<double>(f * (s + 1))) : 0.0;
                star.mags.push_back(mag + varies - zeroPoints[f] -
                                    slopes[f] * (star.colour - 0.88) + error * unit(random));
                star.errors.push_back(error);
            }
            stars.push_back(std::move(star));
        }
    }
};

TEST(EnsembleTest, ZeroPointsFollowCloudsAndColour) {
    const MadeSeries made;
    const auto ensemble = fitEnsemble(made.stars, kFrames, 0.88);
    // The level is the catalogue's: one offset for all.
    double offset = 0.0;
    for (std::size_t f = 0; f < kFrames; ++f) {
        offset += (ensemble.frames[f].zeroPoint - made.zeroPoints[f]) / kFrames;
    }
    EXPECT_NEAR(offset, 0.0, 0.02 * 3.0 / std::sqrt(57.0) + 0.003);
    double chi = 0.0;
    for (std::size_t f = 0; f < kFrames; ++f) {
        const double rest = ensemble.frames[f].zeroPoint - made.zeroPoints[f] - offset;
        EXPECT_LT(std::abs(rest), 0.005) << f;
        chi += std::pow(rest / ensemble.frames[f].error, 2) / kFrames;
    }
    EXPECT_LT(chi, 2.0);
    // The change of the slope from the first frame to the last.
    EXPECT_NEAR(ensemble.frames.front().colourSlope - ensemble.frames.back().colourSlope,
                0.001 * (kFrames - 1),
                0.006);
}

TEST(EnsembleTest, VariableStarsAreNoComparison) {
    const MadeSeries made;
    const auto ensemble = fitEnsemble(made.stars, kFrames, 0.88);
    for (std::size_t s = 0; s < kStarCount; ++s) {
        const auto& star = ensemble.stars[s];
        EXPECT_EQ(star.used, s >= 3) << s;
        if (s >= 3) {
            EXPECT_NEAR(star.rms / star.expectedRms, 1.0, 0.45) << s;
        } else {
            EXPECT_GT(star.chiSquareWithoutWorst, 10.0) << s;
        }
    }
    EXPECT_LT(ensemble.floor, 0.003);
}

/// Two stars, one frame without any: nothing breaks, and the frame has no zero point.
TEST(EnsembleTest, LittleIsEnoughAndNothingIsNothing) {
    std::vector<SeriesStar> stars(2);
    for (auto& star : stars) {
        star.catalogueMag = 15.0;
        star.colour = 1.0;
        star.mags = {-5.0, std::nan(""), -5.1};
        star.errors = {0.01, std::nan(""), 0.01};
    }
    const auto ensemble = fitEnsemble(stars, 3, 0.88);
    EXPECT_NEAR(ensemble.magnitude(0, -5.0, 1.0), ensemble.magnitude(2, -5.1, 1.0), 1e-6);
    EXPECT_TRUE(std::isnan(ensemble.magnitude(1, -5.0, 1.0)));
}

} // namespace
} // namespace pathmark::measure
