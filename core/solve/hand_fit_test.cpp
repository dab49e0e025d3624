#include "core/solve/hand_fit.h"

#include "core/catalog/store_writer.h"
#include "core/solve/star_residuals.h"
#include "tests/support/made_field.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::solve {
namespace {

using test_support::kHeight;
using test_support::kWidth;
using test_support::MadeField;

const Utc kDate = Utc::julian(2457389.0);
constexpr FrameSize kSize{kWidth, kHeight};

/// A frame turned by 130 degrees and mirrored, with one spurious source for two true ones.
class HandFitTest : public testing::Test {
  protected:
    void SetUp() override {
        ASSERT_TRUE(catalog::writeStore(folder.path(), "s", made.rows));
        store.emplace(std::move(*catalog::StarStore::open(folder.path(), "s")));
        const frame::PixelPos middle{0.5 * (kWidth - 1), 0.5 * (kHeight - 1)};
        // What the frame truly shows, as a picture without distortion: three pixels of the optics' own give it.
        const auto at = [&](double ra, double dec) {
            return *made.optics.place(simulate::unitVector(ra, dec));
        };
        const double step = 0.05;
        const auto here = at(150.0, 20.0);
        const auto north = at(150.0, 20.0 + step);
        const auto east = at(150.0 + step / std::cos(20.0 * kRadiansPerDegree), 20.0);
        const double size = step * kRadiansPerDegree;
        const double a = (east.x - here.x) / size;
        const double b = (north.x - here.x) / size;
        const double c = (east.y - here.y) / size;
        const double d = (north.y - here.y) / size;
        const double determinant = a * d - b * c;
        truth.referenceSky = skyDegrees(150.0, 20.0);
        truth.referencePixel = middle;
        truth.cd = {d / determinant, -b / determinant, -c / determinant, a / determinant};
    }

    /// Worst distance from the optics' own places over the stars of the frame, in pixels.
    [[nodiscard]] double worstError(const frame::Wcs& wcs) const {
        double worst = 0.0;
        for (const catalog::StarRow& row : made.rows) {
            const auto place =
                made.optics.place(simulate::unitVector(row.raDegrees, row.decDegrees));
            if (place && place->x > 0.0 && place->y > 0.0 && place->x < kWidth &&
                place->y < kHeight) {
                const auto pixel = wcs.toPixel(skyDegrees(row.raDegrees, row.decDegrees));
                worst = std::max(worst, std::hypot(pixel->x - place->x, pixel->y - place->y));
            }
        }
        return worst;
    }

    MadeField made{{130.0, true, 1.7, 2.0, 0.0, 0.2, 0.5}, 23};
    test_support::TemporaryFolder folder;
    std::optional<catalog::StarStore> store;
    frame::Wcs truth;
};

TEST_F(HandFitTest, EachMoveDoesWhatItSaysToAStarOnTheFrame) {
    const frame::PixelPos about{300.0, 200.0};
    const SkyPos star = truth.toSky({400.0, 200.0});
    const auto place = [&](const frame::Wcs& wcs) { return *wcs.toPixel(star); };
    const auto dragged = place(moved(truth, {10.0, 10.0}, {35.0, -5.0}));
    EXPECT_NEAR(dragged.x, 425.0, 1e-6);
    EXPECT_NEAR(dragged.y, 185.0, 1e-6);
    const auto rotated = place(turned(truth, Angle::degrees(90.0), about));
    EXPECT_NEAR(rotated.x, 300.0, 1e-6);
    EXPECT_NEAR(rotated.y, 300.0, 1e-6);
    const frame::Wcs wide = scaled(truth, 1.1, about);
    EXPECT_NEAR(place(wide).x, 410.0, 1e-6);
    EXPECT_NEAR(wide.scaleArcsec(), truth.scaleArcsec() / 1.1, 1e-9);
    const frame::Wcs other = flipped(truth, about);
    EXPECT_NEAR(place(other).x, 200.0, 1e-6);
    EXPECT_NE(other.mirrored(), truth.mirrored());
}

TEST_F(HandFitTest, StarsCoincideWhereTheFitIsRightAndHardlyElsewhere) {
    const auto field = store->brightest(truth.referenceSky, Angle::degrees(0.6), kDate, 300.0);
    ASSERT_TRUE(field);
    const Coincidence right = coincide(made.detection, *field, truth, kSize, 6.0);
    EXPECT_GT(right.stars, right.shown * 7 / 10);
    EXPECT_LT(right.rmsPixels, 1.5);
    const Coincidence wrong = coincide(
        made.detection, *field, turned(truth, Angle::degrees(20.0), {0.0, 0.0}), kSize, 6.0);
    EXPECT_LT(wrong.stars, right.stars / 4);
    EXPECT_EQ(std::count(right.coincides.begin(), right.coincides.end(), true), right.stars);
}

TEST_F(HandFitTest, ARoughHandLocksOntoTheStars) {
    const frame::PixelPos middle{0.5 * (kWidth - 1), 0.5 * (kHeight - 1)};
    for (const double sign : {-1.0, 1.0}) {
        frame::Wcs rough = moved(truth, {0.0, 0.0}, {sign * 40.0, -30.0});
        rough = turned(rough, Angle::degrees(sign * 2.2), middle);
        rough = scaled(rough, 1.0 - sign * 0.027, middle);
        const auto locked = lockHandFit(made.detection, kSize, kDate, rough, 17.5, *store);
        ASSERT_TRUE(locked) << locked.error().detail;
        EXPECT_EQ(locked->foundBy, FoundBy::Hand);
        EXPECT_LT(locked->falseAlarmLog10, kFalseAlarmBound);
        EXPECT_LT(worstError(locked->wcs), 0.1);
    }
}

/// A frame behind clouds: four sources in five are no stars.
TEST_F(HandFitTest, ACarefulHandLocksWhereFewSourcesAreStars) {
    MadeField clouded({130.0, true, 1.7, 2.0, 0.0, 0.0, 0.0}, 23);
    std::mt19937 random(5);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    clouded.detection.sources.resize(130);
    for (std::size_t i = 0; i < clouded.detection.sources.size(); ++i) {
        if (i % 5 != 0) {
            clouded.detection.sources[i].x = share(random) * kWidth;
            clouded.detection.sources[i].y = share(random) * kHeight;
        }
    }
    const frame::Wcs careful = moved(truth, {0.0, 0.0}, {6.0, -5.0});
    const auto locked = lockHandFit(clouded.detection, kSize, kDate, careful, 17.5, *store);
    ASSERT_TRUE(locked) << locked.error().detail;
    EXPECT_LT(locked->falseAlarmLog10, -3.0);
    EXPECT_LT(worstError(locked->wcs), 1.0);
}

TEST_F(HandFitTest, AWrongHandIsNotBelieved) {
    const auto locked =
        lockHandFit(made.detection,
                    kSize,
                    kDate,
                    turned(truth, Angle::degrees(70.0), {0.5 * (kWidth - 1), 0.5 * (kHeight - 1)}),
                    17.5,
                    *store);
    if (locked) {
        EXPECT_GT(locked->falseAlarmLog10, -2.0);
    } else {
        EXPECT_NE(locked.error().detail.find("brightest sources"), std::string::npos);
    }
}

TEST_F(HandFitTest, EveryStarAndSourceIsAccountedFor) {
    const auto locked = lockHandFit(made.detection, kSize, kDate, truth, 17.5, *store);
    ASSERT_TRUE(locked);
    const auto field = store->field(truth.referenceSky, Angle::degrees(0.6), kDate);
    const auto stars = starResiduals(made.detection, *locked, *field, kSize);
    std::size_t sources = 0;
    std::size_t used = 0;
    double squares = 0.0;
    for (const StarResidual& star : stars) {
        sources += star.snr > 0.0 ? 1U : 0U;
        EXPECT_EQ(star.snr > 0.0, star.status != MatchStatus::StarOnly);
        EXPECT_EQ(std::isnan(star.magG), star.status == MatchStatus::SourceOnly);
        if (star.status == MatchStatus::Used) {
            ++used;
            squares += star.raArcsec * star.raArcsec + star.decArcsec * star.decArcsec;
            // The same residual on the frame and on the sky.
            EXPECT_NEAR(std::hypot(star.dxPixels, star.dyPixels) * 1.7,
                        std::hypot(star.raArcsec, star.decArcsec),
                        0.02 * std::hypot(star.raArcsec, star.decArcsec) + 1e-4);
        }
    }
    EXPECT_EQ(sources, made.detection.sources.size());
    EXPECT_EQ(used, static_cast<std::size_t>(locked->usedStars));
    EXPECT_NEAR(std::sqrt(0.5 * squares / static_cast<double>(used)), locked->rmsArcsec, 1e-3);
}

} // namespace
} // namespace pathmark::solve
