#include "core/catalog/store_writer.h"
#include "core/solve/solve_frame.h"
#include "core/solve/wcs_fit.h"
#include "tests/support/made_field.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <random>

// Truth: the simulator's vector optics with a cubic distortion, which shares no code with the program's projection.

namespace pathmark::solve {
namespace {

using test_support::kHeight;
using test_support::kWidth;
using test_support::MadeField;

const Utc kDate = Utc::julian(2457389.0);

simulate::Optics lensOf(double distortionPixels) {
    simulate::Optics optics;
    optics.axis = simulate::unitVector(210.0, 41.0);
    optics.arcsecPerPixel = 1.5;
    optics.rotationDegrees = 127.0;
    optics.middleX = 0.5 * (kWidth - 1);
    optics.middleY = 0.5 * (kHeight - 1);
    optics.cubic = distortionPixels / std::pow(0.5 * std::hypot(kWidth, kHeight), 3.0);
    return optics;
}

/// A place of the frame on the sky, by bisection of the optics' own direction: a step of Newton's method from differences.
SkyPos skyOf(const simulate::Optics& optics, frame::PixelPos pixel) {
    double ra = 210.0;
    double dec = 41.0;
    for (int round = 0; round < 8; ++round) {
        const auto at = [&](double a, double d) {
            return *optics.place(simulate::unitVector(a, d));
        };
        constexpr double h = 1e-4;
        const auto here = at(ra, dec);
        const auto east = at(ra + h, dec);
        const auto north = at(ra, dec + h);
        const double xa = (east.x - here.x) / h;
        const double ya = (east.y - here.y) / h;
        const double xd = (north.x - here.x) / h;
        const double yd = (north.y - here.y) / h;
        const double det = xa * yd - xd * ya;
        const double dx = pixel.x - here.x;
        const double dy = pixel.y - here.y;
        ra += (yd * dx - xd * dy) / det;
        dec += (xa * dy - ya * dx) / det;
    }
    return skyDegrees(ra, dec);
}

/// Stars anywhere on the frame, each measured with an error of its own.
std::vector<StarPair> drawPairs(const simulate::Optics& optics,
                                int stars,
                                std::mt19937& random,
                                const std::function<double(int)>& sigmaOf) {
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::normal_distribution<double> normal(0.0, 1.0);
    std::vector<StarPair> pairs;
    for (int i = 0; i < stars; ++i) {
        const double x = share(random) * kWidth;
        const double y = share(random) * kHeight;
        const double sigma = sigmaOf(i);
        const double dx = sigma * normal(random);
        const double dy = sigma * normal(random);
        pairs.push_back({{x + dx, y + dy}, skyOf(optics, {x, y}), sigma, 0.8});
    }
    return pairs;
}

/// So many stars, and lenses that bend by up to so many pixels at the corner.
struct Few {
    int stars;
    double most;
};

class FewStarsTest : public testing::TestWithParam<Few> {};

/// Lenses of any bend up to a bound, stars of all brightnesses: errors are what is stated, whatever the few stars leave open.
TEST_P(FewStarsTest, WhatTheyLeaveOpenIsInTheError) {
    std::mt19937 random(77);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    double ratio = 0.0;
    int count = 0;
    constexpr int kDraws = 120;
    for (int draw = 0; draw < kDraws; ++draw) {
        const auto optics = lensOf(GetParam().most * (2.0 * share(random) - 1.0));
        const auto pairs = drawPairs(optics, GetParam().stars, random, [&](int) {
            return std::pow(10.0, -1.7 + 1.3 * share(random));
        });
        const auto fit = fitWcs(pairs, kWidth, kHeight);
        ASSERT_TRUE(fit);
        for (int node = 0; node < 24; ++node) {
            const int row = node / 6;
            const frame::PixelPos pixel{(node % 6 + 0.5) * kWidth / 6.0,
                                        (row + 0.5) * kHeight / 4.0};
            const auto found = fit->wcs.toPixel(skyOf(optics, pixel));
            ASSERT_TRUE(found);
            const double stated = fit->error.at(pixel);
            ratio += (std::pow(found->x - pixel.x, 2.0) + std::pow(found->y - pixel.y, 2.0)) /
                     (2.0 * stated * stated);
            ++count;
        }
    }
    RecordProperty("chi", std::to_string(std::sqrt(ratio / count)));
    EXPECT_GT(std::sqrt(ratio / count), 0.75);
    EXPECT_LT(std::sqrt(ratio / count), 1.25);
}

// The last bend by about what their many stars can just tell.
INSTANTIATE_TEST_SUITE_P(Numbers,
                         FewStarsTest,
                         testing::Values(Few{8, 2.5},
                                         Few{12, 2.5},
                                         Few{18, 2.5},
                                         Few{30, 2.5},
                                         Few{60, 2.5},
                                         Few{130, 0.12}));

/// These lenses have no quadratic part. Stars seem to show one by chance now and then, which bends the corners by a pixel where they are
/// few, and by a twentieth where they are two hundred.
class ChanceCurveTest : public testing::TestWithParam<int> {};

TEST_P(ChanceCurveTest, NoneIsFound) {
    std::mt19937 random(7);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    int curved = 0;
    constexpr int kDraws = 400;
    for (int draw = 0; draw < kDraws; ++draw) {
        const auto optics = lensOf(0.3 * (2.0 * share(random) - 1.0));
        const auto pairs = drawPairs(optics, GetParam() + draw % GetParam(), random, [&](int i) {
            return i < 3 ? 0.05 : 0.2 + 0.2 * share(random);
        });
        const auto fit = fitWcs(pairs, kWidth, kHeight);
        ASSERT_TRUE(fit);
        curved += fit->order == 2 ? 1 : 0;
    }
    EXPECT_LE(curved, kDraws / 50);
}

INSTANTIATE_TEST_SUITE_P(Numbers, ChanceCurveTest, testing::Values(12, 25, 100));

/// A planet of magnitude 12 that stands on a star of the nineteenth: its place is the most exact of all, and is no star's.
TEST(StrangerTest, ABrightBodyOnAFaintStarBendsNothing) {
    MadeField made({40.0, false, 1.5, 0.5, 0.0, 0.985, 0.0}, 5);
    const test_support::TemporaryFolder folder;
    ASSERT_TRUE(catalog::writeStore(folder.path(), "s", made.rows));
    const auto store = catalog::StarStore::open(folder.path(), "s");
    ASSERT_TRUE(store);
    ASSERT_LT(made.detection.sources.size(), 40U);
    ASSERT_GT(made.detection.sources.size(), 7U);
    std::vector<StarPair> exact;
    const catalog::StarRow* faint = nullptr;
    frame::PixelPos faintPlace;
    for (const catalog::StarRow& row : made.rows) {
        const auto p = made.optics.place(simulate::unitVector(row.raDegrees, row.decDegrees));
        if (p && p->x > 100.0 && p->y > 100.0 && p->x < kWidth - 100 && p->y < kHeight - 100) {
            exact.push_back({{p->x, p->y}, skyDegrees(row.raDegrees, row.decDegrees), 0.05, 0.8});
            if (row.magG > 18.9F && std::abs(p->x - 0.5 * kWidth) > 250.0) {
                faint = &row;
                faintPlace = {p->x, p->y};
            }
        }
    }
    ASSERT_NE(faint, nullptr);
    const auto rough = fitWcs(exact, kWidth, kHeight);
    ASSERT_TRUE(rough);
    for (detect::Source& source : made.detection.sources) {
        source.xError = source.yError = 0.3;
    }
    made.add(faintPlace.x + 1.2, faintPlace.y - 0.9, 12.0);
    made.detection.sources.back().xError = 0.005;
    made.detection.sources.back().yError = 0.005;
    std::rotate(made.detection.sources.begin(),
                made.detection.sources.end() - 1,
                made.detection.sources.end());
    const auto solution =
        refineSolution(made.detection, {kWidth, kHeight}, kDate, rough->wcs, 3.0, *store);
    ASSERT_TRUE(solution) << solution.error().detail;
    double worst = 0.0;
    for (const StarPair& pair : exact) {
        const auto pixel = solution->wcs.toPixel(pair.sky);
        worst = std::max(worst, std::hypot(pixel->x - pair.pixel.x, pixel->y - pair.pixel.y));
    }
    EXPECT_LT(worst, 0.2);
}

} // namespace
} // namespace pathmark::solve
