#include "core/stack/matched_difference.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>
#include <vector>

namespace pathmark::stack {
namespace {

constexpr int kSide = 640;
constexpr double kSky = 180.0;     ///< electrons of a pixel
constexpr double kNewLight = 6000; ///< of each light that stands in one picture alone

struct Light {
    double x = 0.0;
    double y = 0.0;
    double electrons = 0.0;
};

/// How a picture's stars are spread: a Moffat profile, drawn out along a line.
struct Spread {
    double fwhm = 3.0;
    double beta = 2.8;
    double drawnOut = 1.0;
    double angle = 0.0;
};

/// Truth: every photon is thrown by itself. How far from the middle it falls follows from the share of a Moffat profile's light within a
/// radius, 1 - (1 + r²/a²)^(1 - beta) (Trujillo et al. 2001, MNRAS 328, 977), so that no kernel, no pixel integral and no noise
/// formula is shared with what is tested.
frame::Image thrown(const std::vector<Light>& lights, const Spread& spread, unsigned seed) {
    std::mt19937_64 random(seed);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    frame::Image image(kSide, kSide, 0.0F);
    const double a = 0.5 * spread.fwhm / std::sqrt(std::exp2(1.0 / spread.beta) - 1.0);
    for (const Light& light : lights) {
        std::poisson_distribution<int> photons(light.electrons);
        for (int n = photons(random); n > 0; --n) {
            const double r =
                a * std::sqrt(std::pow(1.0 - share(random), 1.0 / (1.0 - spread.beta)) - 1.0);
            const double turn = 2.0 * std::numbers::pi * share(random);
            const double along = r * std::cos(turn) * spread.drawnOut;
            const double across = r * std::sin(turn) / spread.drawnOut;
            const double c = std::cos(spread.angle);
            const double s = std::sin(spread.angle);
            const int x = static_cast<int>(std::lround(light.x + along * c - across * s));
            const int y = static_cast<int>(std::lround(light.y + along * s + across * c));
            if (image.contains(x, y)) {
                image.at(x, y) += 1.0F;
            }
        }
    }
    std::poisson_distribution<int> sky(kSky);
    for (float& v : image.pixels()) {
        v += static_cast<float>(sky(random));
    }
    return image;
}

struct Field {
    std::vector<Light> stars;
    std::vector<Light> news;
};

Field madeField() {
    std::mt19937_64 random(4);
    std::uniform_real_distribution<double> place(30.0, kSide - 30.0);
    std::uniform_real_distribution<double> magnitudes(0.0, 4.5);
    Field field;
    for (int i = 0; i < 260; ++i) {
        field.stars.push_back(
            {place(random), place(random), 6e4 * std::pow(10.0, -0.4 * magnitudes(random))});
    }
    for (int i = 0; i < 12; ++i) {
        field.news.push_back({60.0 + 45.0 * i + 0.31, 620.0 - 47.0 * i - 0.17, kNewLight});
    }
    return field;
}

double within(const frame::Image& image, const Light& light, double radius) {
    double sum = 0.0;
    for (int y = static_cast<int>(light.y - radius); y <= light.y + radius + 1; ++y) {
        for (int x = static_cast<int>(light.x - radius); x <= light.x + radius + 1; ++x) {
            if (std::hypot(x - light.x, y - light.y) <= radius) {
                sum += static_cast<double>(image.at(x, y));
            }
        }
    }
    return sum;
}

struct Told {
    double light = 0.0; ///< mean of what stands in one alone, over the truth
    double error = 0.0; ///< of it, from the scatter
    double wild = 0.0;  ///< share of pixels beyond 5 sigma elsewhere
    double known = 0.0; ///< share of pixels with a value
};

constexpr double kRadius = 9.0;  ///< that light is summed within
constexpr double kMissed = 0.01; ///< of a star's light that a kernel may miss

/// `inside`: the share of a star's light within the circle. `photons`: the variance that a star's light adds, over that light.
Told toldBy(const MatchedDifference& difference,
            const Field& field,
            const frame::Image& now,
            double inside,
            double photons) {
    Told told;
    std::vector<double> sums;
    for (const Light& light : field.news) {
        const double sum = within(difference.values, light, kRadius);
        if (std::isfinite(sum)) {
            sums.push_back(sum / (inside * kNewLight));
        }
    }
    for (const double sum : sums) {
        told.light += sum / static_cast<double>(sums.size());
    }
    double scatter = 0.0;
    for (const double sum : sums) {
        scatter += std::pow(sum - told.light, 2) / static_cast<double>(sums.size() - 1);
    }
    told.error = std::sqrt(scatter / static_cast<double>(sums.size()));
    EXPECT_GE(sums.size(), 9U) << "a new light may lie on a bright star";
    double wild = 0.0;
    double known = 0.0;
    for (int y = 20; y < kSide - 20; ++y) {
        for (int x = 20; x < kSide - 20; ++x) {
            const auto v = static_cast<double>(difference.values.at(x, y));
            bool isNew = false;
            for (const Light& light : field.news) {
                isNew = isNew || std::hypot(x - light.x, y - light.y) < 25.0;
            }
            if (std::isfinite(v) && !isNew) {
                known += 1.0;
                const double light = std::max(0.0, static_cast<double>(now.at(x, y)) - kSky);
                const double sigma =
                    std::hypot(difference.noise, std::sqrt(photons * light), kMissed * light);
                wild += std::abs(v) > 5.0 * sigma ? 1.0 : 0.0;
            }
        }
    }
    told.wild = wild / known;
    told.known = known / std::pow(kSide - 40.0, 2);
    return told;
}

/// The share of a Moffat profile's light within a radius, of the broader picture.
double insideOf(const Spread& spread, double radius) {
    const double a = 0.5 * spread.fwhm / std::sqrt(std::exp2(1.0 / spread.beta) - 1.0);
    return 1.0 - std::pow(1.0 + radius * radius / (a * a), 1.0 - spread.beta);
}

struct Case {
    const char* name;
    Spread first;
    Spread second;
    double ratio; ///< of the second's light to the first's
};

class MatchedDifferenceTest : public testing::TestWithParam<Case> {};

TEST_P(MatchedDifferenceTest, StarsGoAndWhatIsNewKeepsItsLight) {
    const Case& c = GetParam();
    const Field field = madeField();
    std::vector<Light> all = field.stars;
    all.insert(all.end(), field.news.begin(), field.news.end());
    frame::Image now = thrown(all, c.first, 71);
    for (int i = 0; i < 200; ++i) {
        now.at(3 + 37 * i % (kSide - 6), 3 + 211 * i % (kSide - 6)) = frame::kNoValue; // defects
    }
    std::vector<Light> dimmed = field.stars;
    for (Light& star : dimmed) {
        star.electrons *= c.ratio;
    }
    const frame::Image then = thrown(dimmed, c.second, 72);
    const auto difference = matchedDifference({now, c.first.fwhm}, {then, c.second.fwhm});
    ASSERT_TRUE(difference) << difference.error().detail;
    const bool isNowBroader = c.first.fwhm > c.second.fwhm;
    const Told told = toldBy(*difference,
                             field,
                             now,
                             insideOf(isNowBroader ? c.first : c.second, kRadius),
                             1.0 + 1.0 / c.ratio);
    EXPECT_NEAR(told.light, 1.0, 3.0 * told.error + 0.005);
    EXPECT_LT(told.error, 0.03);
    EXPECT_LT(told.wild, 3e-5) << "of a million Gaussian pixels none is";
    EXPECT_GT(told.known, 0.85);
}

INSTANTIATE_TEST_SUITE_P(
    Pictures,
    MatchedDifferenceTest,
    testing::Values(Case{"sharper_before", {4.6, 3.2, 1.0, 0.0}, {3.1, 2.8, 1.05, 0.6}, 1.4},
                    Case{"broader_before", {3.0, 2.8, 1.05, 0.3}, {5.0, 3.4, 1.0, 0.0}, 2.5},
                    Case{"drawn_out_before", {2.8, 3.0, 1.0, 0.0}, {4.4, 3.0, 1.12, 0.9}, 0.7}),
    [](const auto& made) { return std::string(made.param.name); });

TEST(MatchedDifferenceAloneTest, AnEmptyPictureIsRefused) {
    const frame::Image empty = thrown({}, {}, 5);
    const auto difference = matchedDifference({empty, 3.0}, {empty, 3.0});
    ASSERT_FALSE(difference);
    EXPECT_EQ(difference.error().id, ErrorId::SolveTooFewStars);
}

} // namespace
} // namespace pathmark::stack
