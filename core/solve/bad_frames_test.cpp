#include "core/catalog/store_writer.h"
#include "core/solve/solve_frame.h"
#include "simulate/optics.h"
#include "simulate/painter.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

// Frames as a night brings them: painted by the simulator, with noise of the standard library, then searched and solved.

namespace pathmark::solve {
namespace {

constexpr int kWidth = 900;
constexpr int kHeight = 700;
constexpr double kSaturation = 50000.0;

class BadFramesTest : public testing::Test {
  protected:
    BadFramesTest() {
        std::mt19937 random(31);
        std::uniform_real_distribution<double> offset(-0.6, 0.6);
        std::uniform_real_distribution<double> share(0.0, 1.0);
        optics_.axis = simulate::unitVector(80.0, -35.0);
        optics_.arcsecPerPixel = 1.2;
        optics_.rotationDegrees = 200.0;
        optics_.middleX = 0.5 * (kWidth - 1);
        optics_.middleY = 0.5 * (kHeight - 1);
        for (int i = 0; i < 3000; ++i) {
            catalog::StarRow row;
            row.sourceId = i;
            row.decDegrees = -35.0 + offset(random);
            row.raDegrees = 80.0 + offset(random) / std::cos(35.0 * kRadiansPerDegree);
            row.magG = static_cast<float>(18.0 + std::log10(share(random)) / 0.3);
            rows_.push_back(row);
        }
        EXPECT_TRUE(catalog::writeStore(folder_.path(), "s", rows_));
        store_.emplace(*catalog::StarStore::open(folder_.path(), "s"));
    }

    /// The sky of the catalogue: each star at the ends of (trailX, trailY), moved by (shiftX, shiftY).
    void
    paint(frame::Image& image, double trailX, double trailY, double shiftX, double shiftY) const {
        for (const auto& row : rows_) {
            const auto p = optics_.place(simulate::unitVector(row.raDegrees, row.decDegrees));
            if (!p || p->x < -20 || p->y < -20 || p->x > kWidth + 20 || p->y > kHeight + 20) {
                continue;
            }
            const double electrons = std::pow(10.0, 0.4 * (26.0 - static_cast<double>(row.magG)));
            const simulate::Blur blur{2.6, 0.0, 0.0, 3.0};
            if (trailX == 0.0 && trailY == 0.0) {
                simulate::paintPoint(image, blur, p->x + shiftX, p->y + shiftY, electrons);
            } else {
                simulate::paintTrail(image,
                                     blur,
                                     p->x - 0.5 * trailX,
                                     p->y - 0.5 * trailY,
                                     p->x + 0.5 * trailX,
                                     p->y + 0.5 * trailY,
                                     electrons);
            }
        }
    }

    static void addNoise(frame::Image& image, std::uint32_t seed) {
        std::mt19937 random(seed);
        std::normal_distribution<float> normal;
        for (float& v : image.pixels()) {
            v += std::sqrt(std::max(0.0F, v) + 30.0F) * normal(random);
        }
    }

    [[nodiscard]] Result<Solution> solve(const frame::Image& image,
                                         SkyPos centre = skyDegrees(80.05, -35.02)) const {
        detect::DetectOptions options;
        options.saturation = kSaturation;
        const auto detection = detect::detectSources(image, options);
        if (!detection) {
            return fail(detection.error());
        }
        trail_ = detection->trailLength();
        SolveHint hint;
        hint.centre = centre;
        hint.radius = Angle::degrees(0.3);
        hint.scaleLow = 1.0;
        hint.scaleHigh = 1.5;
        return solveFrame(
            *detection, {kWidth, kHeight}, Utc::julian(2457389.0), hint, {&*store_, nullptr, {}});
    }

    /// How far the solution is from the truth anywhere on the frame, in pixels.
    [[nodiscard]] double worst(const Solution& solution) const {
        double most = 0.0;
        for (const auto& row : rows_) {
            const auto truth = optics_.place(simulate::unitVector(row.raDegrees, row.decDegrees));
            if (!truth || truth->x < 0 || truth->y < 0 || truth->x > kWidth || truth->y > kHeight) {
                continue;
            }
            const auto pixel = solution.wcs.toPixel(skyDegrees(row.raDegrees, row.decDegrees));
            most = std::max(most, std::hypot(pixel->x - truth->x, pixel->y - truth->y));
        }
        return most;
    }

    test_support::TemporaryFolder folder_;
    simulate::Optics optics_;
    std::vector<catalog::StarRow> rows_;
    std::optional<catalog::StarStore> store_;
    mutable double trail_ = 0.0;
};

TEST_F(BadFramesTest, AGoodFrameIsSolved) {
    frame::Image image(kWidth, kHeight, 500.0F);
    paint(image, 0.0, 0.0, 0.0, 0.0);
    addNoise(image, 1);
    const auto solution = solve(image);
    ASSERT_TRUE(solution) << solution.error().detail;
    EXPECT_LT(worst(*solution), 0.1);
    EXPECT_NEAR(solution->chiSquare, 1.0, 0.35);
    // Stars enough: the solution itself is good to a few thousandths in the middle, less so in a corner.
    EXPECT_LT(solution->error.at({450.0, 350.0}), 0.02);
    EXPECT_GT(solution->error.at({0.0, 0.0}), solution->error.at({450.0, 350.0}));
}

TEST_F(BadFramesTest, TrailedStarsAreFittedAsTrailsAndSolved) {
    frame::Image image(kWidth, kHeight, 500.0F);
    paint(image, 17.0, 6.0, 0.0, 0.0);
    addNoise(image, 2);
    const auto solution = solve(image);
    ASSERT_TRUE(solution) << solution.error().detail;
    EXPECT_NEAR(trail_, std::hypot(17.0, 6.0), 1.0);
    EXPECT_LT(worst(*solution), 0.3);
}

TEST_F(BadFramesTest, ADoubleExposureIsSolvedAsOneOfTheTwo) {
    frame::Image image(kWidth, kHeight, 500.0F);
    paint(image, 0.0, 0.0, 0.0, 0.0);
    paint(image, 0.0, 0.0, 23.0, -14.0);
    addNoise(image, 3);
    const auto solution = solve(image);
    ASSERT_TRUE(solution) << solution.error().detail;
    const double off = worst(*solution);
    EXPECT_TRUE(off < 0.3 || std::abs(off - std::hypot(23.0, 14.0)) < 0.3) << off;
}

TEST_F(BadFramesTest, NoStarsAndThreeStarsAreSaid) {
    frame::Image empty(kWidth, kHeight, 500.0F);
    addNoise(empty, 4);
    EXPECT_EQ(solve(empty).error().id, ErrorId::DetectNoSources);
    frame::Image three(kWidth, kHeight, 500.0F);
    for (const auto& [x, y] : {std::pair{200.0, 200.0}, {600.0, 300.0}, {400.0, 500.0}}) {
        simulate::paintPoint(three, {2.6, 0.0, 0.0, 3.0}, x, y, 30000.0);
    }
    addNoise(three, 5);
    const auto solution = solve(three);
    ASSERT_FALSE(solution);
    EXPECT_EQ(solution.error().id, ErrorId::SolveTooFewStars);
    EXPECT_NE(solution.error().detail.find("Only 3"), std::string::npos) << solution.error().detail;
}

TEST_F(BadFramesTest, AFlatIsNoSky) {
    frame::Image flat(kWidth, kHeight);
    for (int y = 0; y < kHeight; ++y) {
        for (int x = 0; x < kWidth; ++x) {
            const double r2 =
                std::pow((x - 450.0) / 900.0, 2.0) + std::pow((y - 350.0) / 900.0, 2.0);
            flat.at(x, y) = static_cast<float>(25000.0 * (1.0 - 0.4 * r2));
        }
    }
    addNoise(flat, 6);
    const auto solution = solve(flat);
    ASSERT_FALSE(solution);
    EXPECT_EQ(solution.error().id, ErrorId::DetectNoSources);
}

TEST_F(BadFramesTest, SaturatedEverywhereIsSaid) {
    const frame::Image white(kWidth, kHeight, 65000.0F);
    const auto solution = solve(white);
    ASSERT_FALSE(solution);
    EXPECT_EQ(solution.error().id, ErrorId::DetectNoSources);
}

TEST_F(BadFramesTest, OutsideTheCatalogueIsSaid) {
    frame::Image image(kWidth, kHeight, 500.0F);
    paint(image, 0.0, 0.0, 0.0, 0.0);
    addNoise(image, 7);
    const auto solution = solve(image, skyDegrees(200.0, 40.0));
    ASSERT_FALSE(solution);
    EXPECT_EQ(solution.error().id, ErrorId::CatalogNoStars);
}

TEST_F(BadFramesTest, AFrameOfAnotherFieldIsNotSolved) {
    frame::Image image(kWidth, kHeight, 500.0F);
    std::mt19937 random(8);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    for (int i = 0; i < 120; ++i) {
        simulate::paintPoint(image,
                             {2.6, 0.0, 0.0, 3.0},
                             kWidth * share(random),
                             kHeight * share(random),
                             2000.0 / (share(random) + 0.01));
    }
    addNoise(image, 8);
    const auto solution = solve(image);
    ASSERT_FALSE(solution);
    EXPECT_EQ(solution.error().id, ErrorId::SolveNoMatch);
    EXPECT_NE(solution.error().detail.find("places were tried"), std::string::npos);
}

/// Truth: the catalogue and the frame themselves; the hint is wrong by a factor of two in scale.
TEST_F(BadFramesTest, AWrongScaleInTheHeaderIsOvercome) {
    frame::Image image(kWidth, kHeight, 500.0F);
    paint(image, 0.0, 0.0, 0.0, 0.0);
    addNoise(image, 9);
    const auto detection = detect::detectSources(image, {});
    ASSERT_TRUE(detection);
    SolveHint hint;
    hint.centre = skyDegrees(80.0, -35.0);
    hint.radius = Angle::degrees(0.3);
    hint.scaleLow = 2.1;
    hint.scaleHigh = 3.0;
    const auto solution = solveFrame(
        *detection, {kWidth, kHeight}, Utc::julian(2457389.0), hint, {&*store_, nullptr, {}});
    ASSERT_TRUE(solution) << solution.error().detail;
    EXPECT_EQ(solution->foundBy, FoundBy::WiderHint);
    EXPECT_NEAR(solution->wcs.scaleArcsec(), 1.2, 0.001);
}

TEST_F(BadFramesTest, WithoutAHintTheWholeCatalogueIsSearched) {
    frame::Image image(kWidth, kHeight, 500.0F);
    paint(image, 0.0, 0.0, 0.0, 0.0);
    addNoise(image, 10);
    const auto detection = detect::detectSources(image, {});
    ASSERT_TRUE(detection);
    CataloguePatterns patterns(folder_.path(), "s", *store_, {});
    const auto solution = solveFrame(
        *detection, {kWidth, kHeight}, Utc::julian(2457389.0), {}, {&*store_, &patterns, {}});
    ASSERT_TRUE(solution) << solution.error().detail;
    EXPECT_EQ(solution->foundBy, FoundBy::AllSky);
    EXPECT_LT(worst(*solution), 0.1);
    const auto nothing = solveFrame(
        *detection, {kWidth, kHeight}, Utc::julian(2457389.0), {}, {&*store_, nullptr, {}});
    EXPECT_EQ(nothing.error().id, ErrorId::SolveNoHint);
}

TEST_F(BadFramesTest, ANeighbourHelpsAndAWrongOneDoesNoHarm) {
    frame::Image image(kWidth, kHeight, 500.0F);
    paint(image, 0.0, 0.0, 0.0, 0.0);
    addNoise(image, 11);
    const auto detection = detect::detectSources(image, {});
    const auto first = solve(image);
    ASSERT_TRUE(first && detection);
    SolveHint hint{skyDegrees(80.0, -35.0), Angle::degrees(0.3), 1.0, 1.5, first->wcs};
    hint.neighbour->referencePixel.x += 55.0;
    hint.neighbour->referencePixel.y -= 31.0;
    const auto next = solveFrame(
        *detection, {kWidth, kHeight}, Utc::julian(2457389.0), hint, {&*store_, nullptr, {}});
    ASSERT_TRUE(next);
    EXPECT_EQ(next->foundBy, FoundBy::Neighbour);
    EXPECT_LT(worst(*next), 0.1);
    hint.neighbour->cd = {
        hint.neighbour->cd[1], hint.neighbour->cd[0], hint.neighbour->cd[3], hint.neighbour->cd[2]};
    const auto despite = solveFrame(
        *detection, {kWidth, kHeight}, Utc::julian(2457389.0), hint, {&*store_, nullptr, {}});
    ASSERT_TRUE(despite);
    EXPECT_EQ(despite->foundBy, FoundBy::Hint);
    EXPECT_LT(worst(*despite), 0.1);
}

} // namespace
} // namespace pathmark::solve
