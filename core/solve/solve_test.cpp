#include "core/catalog/store_writer.h"
#include "core/frame/wcs_polynomial.h"
#include "core/solve/photometric_match.h"
#include "core/solve/solve_frame.h"
#include "core/solve/wcs_fit.h"
#include "tests/support/made_field.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <random>

namespace pathmark::solve {
namespace {

using test_support::kHeight;
using test_support::kWidth;
using test_support::MadeField;
using test_support::Scene;

class SolveFrameTest : public testing::TestWithParam<Scene> {};

/// Truth: the optics that placed the stars; 0.05 pixel of noise in each leaves a few thousandths in the fit.
TEST_P(SolveFrameTest, EveryCornerIsWhereTheOpticsPutIt) {
    const Scene& scene = GetParam();
    const test_support::TemporaryFolder folder;
    const MadeField made(scene, 17);
    ASSERT_TRUE(catalog::writeStore(folder.path(), "s", made.rows));
    const auto store = catalog::StarStore::open(folder.path(), "s");
    SolveHint hint;
    hint.centre = skyDegrees(150.0 + scene.hintError, 20.0 - 0.3 * scene.hintError);
    hint.radius = Angle::degrees(std::max(0.5, 1.2 * scene.hintError));
    hint.scaleLow = 0.83 * scene.scale;
    hint.scaleHigh = 1.19 * scene.scale;
    const auto solution = solveFrame(
        made.detection, {kWidth, kHeight}, Utc::julian(2457389.0), hint, {&*store, nullptr, {}});
    ASSERT_TRUE(solution) << solution.error().detail;
    EXPECT_LT(solution->falseAlarmLog10, kFalseAlarmBound);
    EXPECT_EQ(solution->wcs.mirrored(), scene.mirrored);
    double worst = 0.0;
    for (const catalog::StarRow& row : made.rows) {
        const auto truth = made.optics.place(simulate::unitVector(row.raDegrees, row.decDegrees));
        if (!truth || truth->x < 0.0 || truth->y < 0.0 || truth->x > kWidth || truth->y > kHeight) {
            continue;
        }
        const auto pixel = solution->wcs.toPixel(skyDegrees(row.raDegrees, row.decDegrees));
        ASSERT_TRUE(pixel);
        worst = std::max(worst, std::hypot(pixel->x - truth->x, pixel->y - truth->y));
    }
    EXPECT_LT(worst, 0.12);
}

INSTANTIATE_TEST_SUITE_P(Scenes,
                         SolveFrameTest,
                         testing::Values(Scene{0.0, false, 1.0, 0.0, 0.0, 0.1, 0.1},
                                         Scene{181.0, false, 1.0, 3.0, 0.4, 0.1, 0.1},
                                         Scene{67.0, true, 1.0, 3.0, 0.1, 0.1, 0.1},
                                         Scene{-92.0, false, 1.2, 6.0, 0.3, 0.3, 0.3},
                                         Scene{12.0, true, 1.8, 0.0, 0.4, 0.1, 0.3}));

TEST(SolveFrameTest, JunkIsNotSolved) {
    const test_support::TemporaryFolder folder;
    const MadeField made({0.0, false, 1.0, 0.0, 0.0, 0.0, 0.0}, 18);
    ASSERT_TRUE(catalog::writeStore(folder.path(), "s", made.rows));
    const auto store = catalog::StarStore::open(folder.path(), "s");
    for (std::uint32_t seed = 0; seed < 40; ++seed) {
        MadeField junk({0.0, false, 1.0, 0.0, 0.0, 1.0, 0.0}, seed);
        junk.detection.sources.clear();
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> share(0.0, 1.0);
        for (int i = 0; i < 150; ++i) {
            junk.add(share(random) * kWidth, share(random) * kHeight, 12.0 + 6.0 * share(random));
        }
        SolveHint hint;
        hint.centre = skyDegrees(150.0, 20.0);
        hint.radius = Angle::degrees(0.5);
        hint.scaleLow = 0.8;
        hint.scaleHigh = 1.2;
        const auto solution = solveFrame(junk.detection,
                                         {kWidth, kHeight},
                                         Utc::julian(2457389.0),
                                         hint,
                                         {&*store, nullptr, {}});
        ASSERT_FALSE(solution) << seed;
        EXPECT_EQ(solution.error().id, ErrorId::SolveNoMatch);
    }
}

TEST(SolveFrameTest, FourStarsAreTooFew) {
    const test_support::TemporaryFolder folder;
    MadeField made({0.0, false, 1.0, 0.0, 0.0, 0.0, 0.0}, 19);
    made.detection.sources.resize(4);
    ASSERT_TRUE(catalog::writeStore(folder.path(), "s", made.rows));
    const auto store = catalog::StarStore::open(folder.path(), "s");
    const auto solution = solveFrame(made.detection,
                                     {kWidth, kHeight},
                                     Utc::julian(2457389.0),
                                     {skyDegrees(150.0, 20.0), Angle::degrees(0.5), 0.8, 1.2, {}},
                                     {&*store, nullptr, {}});
    EXPECT_EQ(solution.error().id, ErrorId::SolveTooFewStars);
}

/// Truth: the painted optics; the pull of wrong pairs is what clipping must take out.
TEST(FitWcsTest, WrongPairsAreClippedAndTheInverseIsGood) {
    const MadeField made({33.0, false, 1.0, 4.0, 0.0, 0.0, 0.0}, 21);
    std::vector<StarPair> pairs;
    std::mt19937 random(4);
    std::normal_distribution<double> noise(0.0, 0.02);
    for (const auto& row : made.rows) {
        const auto p = made.optics.place(simulate::unitVector(row.raDegrees, row.decDegrees));
        if (p && p->x > 0.0 && p->y > 0.0 && p->x < kWidth && p->y < kHeight) {
            pairs.push_back({{p->x + noise(random), p->y + noise(random)},
                             skyDegrees(row.raDegrees, row.decDegrees),
                             0.02});
        }
    }
    ASSERT_GT(pairs.size(), 100U);
    for (std::size_t i = 0; i < pairs.size(); i += 15) {
        pairs[i].pixel.x += 3.0;
    }
    auto fit = fitWcs(pairs, kWidth, kHeight);
    ASSERT_TRUE(fit);
    frame::addInverse(fit->wcs, kWidth, kHeight);
    EXPECT_GE(fit->order, 3);
    // 250 degrees of freedom: 0.09 is one sigma.
    EXPECT_NEAR(fit->chiSquare, 1.0, 0.3);
    for (std::size_t i = 0; i < pairs.size(); i += 15) {
        EXPECT_FALSE(fit->kept[i]);
    }
    for (double y = 0.0; y < kHeight; y += 150.0) {
        for (double x = 0.0; x < kWidth; x += 160.0) {
            const double u = x - fit->wcs.referencePixel.x;
            const double v = y - fit->wcs.referencePixel.y;
            const double du = u + fit->wcs.a.value(u, v);
            const double dv = v + fit->wcs.b.value(u, v);
            EXPECT_NEAR(du + fit->wcs.ap.value(du, dv), u, 0.003);
            EXPECT_NEAR(dv + fit->wcs.bp.value(du, dv), v, 0.003);
        }
    }
}

constexpr FrameSize kSize{kWidth, kHeight};

TEST(MatchPhotometryTest, FindsZeroPointAndColourTerm) {
    // Truth: the zero point and colour term that the fluxes are made with; a tenth of the stars is variable.
    std::mt19937 random(6);
    std::uniform_real_distribution<double> colour(0.3, 1.8);
    std::uniform_real_distribution<double> magnitude(12.0, 17.0);
    MadeField made({0.0, false, 1.0, 0.0, 0.0, 1.0, 0.0}, 22);
    made.detection.sources.clear();
    Solution solution;
    for (std::size_t i = 0; i < 300; ++i) {
        catalog::Star star;
        star.magG = magnitude(random);
        star.colour = colour(random);
        const double inBand =
            catalog::toBand(catalog::Band::R, star.magG, star.colour) + (i % 10 == 0 ? 0.8 : 0.0);
        const double instrumental = inBand - 0.07 * (star.colour - 0.8);
        detect::Source s;
        s.flux = 60.0 * std::pow(10.0, 0.4 * (22.4 - instrumental));
        s.snr = 200.0;
        made.detection.sources.push_back(s);
        solution.matched.push_back({i, star, true});
    }
    const auto match = matchPhotometry(made.detection, solution, kSize, catalog::Band::R, 60.0);
    ASSERT_TRUE(match);
    EXPECT_NEAR(match->zeroPoint, 22.4, 0.003);
    EXPECT_NEAR(match->colourTerm, 0.07, 0.006);
    EXPECT_NEAR(toMagnitude(*match, toElectrons(*match, 17.5, 60.0, 1.1), 60.0, 1.1), 17.5, 1e-12);
}

/// By how much fainter a star is at a place than on the axis of the optics, magnitudes.
double vignetting(double x, double y, double inCorners) {
    const double dx = (x - 0.45 * kWidth) / kWidth;
    const double dy = (y - 0.55 * kHeight) / kHeight;
    const double corner =
        std::pow(10.0, 0.1 * inCorners); // 1 / cosine where the fourth power is inCorners
    const double tangent2 = (corner * corner - 1.0) * (dx * dx + dy * dy) / 0.5;
    return 5.0 * std::log10(1.0 + tangent2);
}

/// Stars of a made frame with a zero point of 21.3 in R, and the colour term 0.
struct PoorField {
    MadeField made{{0.0, false, 1.0, 0.0, 0.0, 1.0, 0.0}, 22};
    Solution solution;
    std::mt19937 random{31};

    PoorField() { made.detection.sources.clear(); }

    void add(double snr, double colourKnown, double colour, std::uint32_t flags = 0) {
        std::normal_distribution<double> noise(0.0, 1.0);
        catalog::Star star;
        star.magG = 15.0 + 0.2 * noise(random);
        star.colour = colourKnown;
        detect::Source s;
        s.snr = snr;
        s.flags = flags;
        s.flux =
            30.0 *
            std::pow(10.0, 0.4 * (21.3 - catalog::toBand(catalog::Band::R, star.magG, colour))) *
            (1.0 + noise(random) / snr);
        solution.matched.push_back({made.detection.sources.size(), star, true});
        made.detection.sources.push_back(s);
    }
};

/// Truth: the zero point that the fluxes are made with, over 200 fields of four faint stars: the stated error holds.
TEST(MatchPhotometryTest, FewFaintStarsDoWithAnHonestError) {
    PoorField field;
    double chi = 0.0;
    constexpr int fields = 200;
    for (int k = 0; k < fields; ++k) {
        field.made.detection.sources.clear();
        field.solution.matched.clear();
        for (const double colour : {0.6, 0.8, 0.9, 1.2}) {
            field.add(9.0, colour, colour);
        }
        const auto match =
            matchPhotometry(field.made.detection, field.solution, kSize, catalog::Band::R, 30.0);
        ASSERT_TRUE(match);
        chi += std::pow((match->zeroPoint - 21.3) / match->zeroPointError, 2.0) / fields;
    }
    EXPECT_LT(std::sqrt(chi), 1.1);
    EXPECT_GT(std::sqrt(chi), 0.5);
}

/// Truth: colours between 0.45 and 1.15 that the catalogue does not tell.
TEST(MatchPhotometryTest, ACatalogueWithoutColoursStillGivesAZeroPoint) {
    PoorField field;
    std::uniform_real_distribution<double> colour(0.45, 1.15);
    for (int k = 0; k < 40; ++k) {
        field.add(100.0, std::numeric_limits<double>::quiet_NaN(), colour(field.random));
    }
    const auto match =
        matchPhotometry(field.made.detection, field.solution, kSize, catalog::Band::R, 30.0);
    ASSERT_TRUE(match);
    EXPECT_NEAR(match->zeroPoint, 21.3, 4.0 * match->zeroPointError);
    EXPECT_GT(match->zeroPointError, 0.01);
    EXPECT_LT(match->zeroPointError, 0.05);
}

/// Truth: the zero point of the others. The brightest star is a pair that no frame parts: its source has the light of both.
TEST(MatchPhotometryTest, ABrightDoubleStarDecidesNothing) {
    PoorField field;
    for (int k = 0; k < 10; ++k) {
        field.add(25.0, 0.8, 0.8);
    }
    field.add(300.0, 0.8, 0.8);
    field.made.detection.sources.back().flux *= 1.5;
    field.solution.matched.back().beside = 0.5;
    const auto match =
        matchPhotometry(field.made.detection, field.solution, kSize, catalog::Band::R, 30.0);
    ASSERT_TRUE(match);
    EXPECT_NEAR(match->zeroPoint, 21.3, 4.0 * match->zeroPointError);
    EXPECT_LT(match->zeroPointError, 0.03);
}

/// Stars anywhere on a frame that takes them fainter by the vignetting of a lens, the fourth power of the cosine, with its axis off the
/// middle; by so much in the corners.
PoorField vignettedField(int stars, double fainterInCorners, std::uint32_t seed) {
    PoorField field;
    field.random.seed(seed);
    std::uniform_real_distribution<double> part(0.0, 1.0);
    for (int added = 0; added < stars; ++added) {
        field.add(80.0, 0.8, 0.8);
        auto& source = field.made.detection.sources.back();
        source.x = kWidth * part(field.random);
        source.y = kHeight * part(field.random);
        source.flux *= std::pow(10.0, -0.4 * vignetting(source.x, source.y, fainterInCorners));
    }
    return field;
}

/// Truth: the vignetting that the fluxes were made with; a body's magnitude goes by the stars about it. Without that it is off by
/// 0.1 magnitudes in the middle and more in the corners.
TEST(MatchPhotometryTest, WithoutAFlatThePlaceCounts) {
    const PoorField field = vignettedField(300, 0.4, 3);
    const auto match =
        matchPhotometry(field.made.detection, field.solution, kSize, catalog::Band::R, 30.0);
    ASSERT_TRUE(match);
    for (const double x : {0.1, 0.5, 0.9}) {
        for (const double y : {0.1, 0.5, 0.9}) {
            const frame::PixelPos pixel{x * kWidth, y * kHeight};
            const auto local = match->about(pixel, kSize);
            EXPECT_NEAR(local.zeroPoint, 21.3 - vignetting(pixel.x, pixel.y, 0.4), 0.02)
                << x << " " << y;
            EXPECT_LT(local.zeroPointError, 0.01);
        }
    }
    EXPECT_LT(match->unexplained, 0.02);
}

/// Truth: a flat field, over 100 of them: what is no more than chance is not followed.
TEST(MatchPhotometryTest, AFlatFrameStaysFlat) {
    for (std::uint32_t seed = 1; seed <= 100; ++seed) {
        const PoorField field = vignettedField(100, 0.0, seed);
        const auto match =
            matchPhotometry(field.made.detection, field.solution, kSize, catalog::Band::R, 30.0);
        ASSERT_TRUE(match);
        EXPECT_TRUE(match->uneven.isEven());
    }
}

/// Three stars that differ by magnitudes are paired by chance.
TEST(MatchPhotometryTest, StrangersGiveNoZeroPoint) {
    PoorField field;
    for (const double wrong : {0.0, 1.7, 3.9, 5.8}) {
        field.add(50.0, 0.8, 0.8);
        field.made.detection.sources.back().flux *= std::pow(10.0, 0.4 * wrong);
    }
    const auto match =
        matchPhotometry(field.made.detection, field.solution, kSize, catalog::Band::R, 30.0);
    EXPECT_TRUE(!match || std::isfinite(match->zeroPoint));
    EXPECT_TRUE(!match || match->zeroPointError > 0.3);
}

} // namespace
} // namespace pathmark::solve
