#include "core/night/light_curves.h"

#include "tests/support/calibrated_frames.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

// Light curves of a made-up series. Truth: the electrons that were painted; each frame lost a known share of them to haze, the seeing
// changed throughout and the camera was turned over in the middle.
namespace pathmark::night {
namespace {

using test_support::kSeriesZero;
using test_support::seriesMagnitude;

class LightCurvesTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        test_support::MovingFramesPlan plan;
        plan.eastArcsecPerFrame = 0.0; // a light that is in no catalogue
        plan.northArcsecPerFrame = 0.0;
        plan.bodyElectrons = 6000.0;
        plan.stars = 180;
        plan.count = 15;
        series_ = new test_support::MovingFrames(plan);
        folder_ = new test_support::TemporaryFolder;
        test_support::writeCalibrated(*series_, *folder_, {"V"});
        test_support::writeStars(*series_, *folder_, "made");
    }

    static void TearDownTestSuite() {
        delete std::exchange(folder_, nullptr);
        delete std::exchange(series_, nullptr);
    }

    static CurveRequest request() {
        CurveRequest wanted;
        for (int i = 0; i < series_->plan.count; ++i) {
            wanted.files.push_back(*folder_ / fmt::format("f{:02}.fits", i));
        }
        return wanted;
    }

    static LightCurves curvesOf(const CurveRequest& wanted) {
        const auto store = catalog::StarStore::open(folder_->path(), "made");
        const auto tables = openSkyTables({});
        EXPECT_TRUE(store);
        EXPECT_TRUE(tables);
        auto curves = measureCurves(wanted, *store, *tables, {});
        EXPECT_TRUE(curves) << curves.error().detail;
        return curves ? std::move(*curves) : LightCurves{};
    }

    static double transparency(int frame) { return 1.0 - 0.3 * (frame % 3) / 2.0; }

    static test_support::MovingFrames* series_;
    static test_support::TemporaryFolder* folder_;
};

test_support::MovingFrames* LightCurvesTest::series_ = nullptr;
test_support::TemporaryFolder* LightCurvesTest::folder_ = nullptr;

TEST_F(LightCurvesTest, ZeroPointsAreWhatTheHazeLeaves) {
    const LightCurves curves = curvesOf(request());
    EXPECT_TRUE(curves.failures.empty());
    ASSERT_EQ(curves.bands.size(), 1U);
    const BandCurves& band = curves.bands.front();
    EXPECT_EQ(band.band, catalog::Band::V);
    ASSERT_EQ(band.frames.size(), 15U);
    for (int f = 0; f < 15; ++f) {
        const CurveFrame& frame = band.frames[static_cast<std::size_t>(f)];
        EXPECT_NEAR(frame.zeroPoint, kSeriesZero + 2.5 * std::log10(transparency(f)), 0.01) << f;
        // The clearest frame is the luckiest of five that are equally clear.
        EXPECT_NEAR(frame.extinction, -2.5 * std::log10(transparency(f)), 0.02) << f;
        EXPECT_GT(frame.error, 0.0);
        EXPECT_LT(frame.error, 0.01);
    }
}

/// A light that does not change scatters by its stated errors, about its own magnitude.
TEST_F(LightCurvesTest, ASteadyLightIsSteadyWithinItsErrors) {
    CurveRequest wanted = request();
    wanted.targets.push_back({"a light of no catalogue", std::nullopt, skyDegrees(100.0, 30.0)});
    const LightCurves curves = curvesOf(wanted);
    const TargetCurve& curve = curves.bands.front().targets.front();
    EXPECT_EQ(curve.name, "a light of no catalogue");
    ASSERT_EQ(curve.points.size(), 15U);
    double chiSquare = 0.0;
    double mean = 0.0;
    for (const TargetPoint& point : curve.points) {
        ASSERT_TRUE(point.mag);
        mean += *point.mag / 15.0;
    }
    for (const TargetPoint& point : curve.points) {
        chiSquare += std::pow((*point.mag - mean) / point.magError, 2.0) / 14.0;
        EXPECT_FALSE(point.reducedMag) << "without a distance there is none";
    }
    // Noise of source and sky: 1.0857 / S/N of the faintest frame bounds the mean's error.
    EXPECT_NEAR(mean, seriesMagnitude(6000.0), 0.02);
    // 14 values: 95 of 100 such lights lie between 0.4 and 1.87.
    EXPECT_GT(chiSquare, 0.35);
    EXPECT_LT(chiSquare, 2.0);
    // A minute apart, and the barycentre is at most 8.4 minutes of light away.
    for (std::size_t i = 1; i < curve.points.size(); ++i) {
        EXPECT_NEAR((curve.points[i].bjdTdb - curve.points[i - 1].bjdTdb) * 86400.0, 60.0, 0.01);
        EXPECT_LT(std::abs(curve.points[i].bjdTdb - 2464000.0) * 1440.0, 15.0 + 10.0);
    }
}

TEST_F(LightCurvesTest, StarsScatterAsExpectedAndNoneIsCalledVariable) {
    const BandCurves band = std::move(curvesOf(request()).bands.front());
    ASSERT_GT(band.stars.size(), 80U);
    std::vector<double> ratios;
    int used = 0;
    for (const FieldStar& star : band.stars) {
        EXPECT_FALSE(star.variable) << star.star.sourceId;
        if (star.scatter.used) {
            ++used;
            ratios.push_back(star.scatter.rms / star.scatter.expectedRms);
            EXPECT_NEAR(star.scatter.mag, star.catalogueMag, 0.12) << star.star.sourceId;
        }
    }
    EXPECT_GT(used, 30);
    std::sort(ratios.begin(), ratios.end());
    EXPECT_GT(ratios[ratios.size() / 2], 0.8);
    EXPECT_LT(ratios[ratios.size() / 2], 1.2);
    ASSERT_TRUE(band.check);
    EXPECT_FALSE(band.stars[*band.check].scatter.used) << "the check star is not used";
    EXPECT_TRUE(band.stars[*band.check].flags.empty());
}

/// A star that is brighter in every other frame than it was in the catalogue's time.
TEST_F(LightCurvesTest, AStarThatChangesIsFoundAndNotUsed) {
    const test_support::TemporaryFolder changed;
    // One of middling light, away from the edges and from brighter neighbours.
    const auto isLonely = [&](std::size_t i) {
        return std::none_of(series_->stars.begin(), series_->stars.end(), [&](const SkyPos& other) {
            const double apart = separation(other, series_->stars[i]).arcsec();
            return apart > 0.0 && apart < 25.0;
        });
    };
    std::size_t chosen = 0;
    while (chosen < series_->stars.size() &&
           !(series_->starElectrons[chosen] > 4000.0 && series_->starElectrons[chosen] < 15000.0 &&
             separation(series_->stars[chosen], skyDegrees(100.0, 30.0)).arcsec() < 120.0 &&
             isLonely(chosen))) {
        ++chosen;
    }
    ASSERT_LT(chosen, series_->stars.size());
    CurveRequest wanted = request();
    for (std::size_t f = 0; f < wanted.files.size(); ++f) {
        auto loaded = frame::readFits(wanted.files[f]);
        ASSERT_TRUE(loaded);
        if (f % 2 == 0) {
            const auto at = frame::readWcs(loaded->header)->toPixel(series_->stars[chosen]);
            const simulate::Blur blur{series_->frames[f].fwhm, 0.06, 30.0, 3.2};
            simulate::paintPoint(loaded->image,
                                 blur,
                                 at->x,
                                 at->y,
                                 0.4 * transparency(static_cast<int>(f)) *
                                     series_->starElectrons[chosen]);
        }
        wanted.files[f] = changed / wanted.files[f].filename().string();
        ASSERT_TRUE(frame::writeFits(wanted.files[f], loaded->image, loaded->header));
    }
    const LightCurves curves = curvesOf(wanted);
    int variables = 0;
    for (const FieldStar& star : curves.bands.front().stars) {
        variables += star.variable ? 1 : 0;
        if (star.star.sourceId == static_cast<std::int64_t>(1000 + chosen)) {
            EXPECT_TRUE(star.variable);
            EXPECT_FALSE(star.scatter.used);
            // Eight frames of 1.4 and seven of 1: their standard deviation in magnitudes.
            EXPECT_NEAR(star.scatter.rms, 0.5 * 2.5 * std::log10(1.4), 0.03);
        }
    }
    EXPECT_EQ(variables, 1);
}

TEST_F(LightCurvesTest, ChosenStarsServeWhateverTheFramesSay) {
    CurveRequest wanted = request();
    const BandCurves free = std::move(curvesOf(wanted).bands.front());
    std::vector<const FieldStar*> three;
    for (const FieldStar& star : free.stars) {
        if (star.scatter.used && three.size() < 3) {
            three.push_back(&star);
        }
    }
    ASSERT_EQ(three.size(), 3U);
    for (const FieldStar* star : three) {
        // Each is typed half a magnitude fainter than the catalogue has it.
        wanted.choice.set.comparison.push_back(
            {"typed", star->star.place, "V", star->catalogueMag + 0.5});
    }
    const BandCurves band = std::move(curvesOf(wanted).bands.front());
    int used = 0;
    for (const FieldStar& star : band.stars) {
        used += star.scatter.used ? 1 : 0;
    }
    EXPECT_EQ(used, 3);
    EXPECT_FALSE(band.check) << "three are too few to spare one";
    EXPECT_NEAR(band.frames.front().zeroPoint, kSeriesZero + 0.5, 0.03);
}

TEST_F(LightCurvesTest, WhatCannotBeUsedIsNamedAndTheRestGoesOn) {
    CurveRequest wanted = request();
    wanted.files.resize(6);
    wanted.files.push_back(*folder_ / "gone.fits");
    LightCurves curves = curvesOf(wanted);
    ASSERT_EQ(curves.failures.size(), 1U);
    EXPECT_NE(curves.failures[0].subject.find("gone.fits"), std::string::npos);
    EXPECT_EQ(curves.bands.front().frames.size(), 6U);
    // Another band is asked for than the frames are in.
    wanted.files.pop_back();
    wanted.band = catalog::Band::R;
    EXPECT_TRUE(curvesOf(wanted).bands.empty());
    const auto store = catalog::StarStore::open(folder_->path(), "made");
    const auto tables = openSkyTables({});
    const auto none = measureCurves({}, *store, *tables, {});
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().id, ErrorId::FrameNoFrames);
    std::stop_source stop;
    stop.request_stop();
    Job job;
    job.stop = stop.get_token();
    const auto stopped = measureCurves(request(), *store, *tables, job);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().id, ErrorId::BaseCancelled);
}

/// Two nights half a degree apart: each field has stars of its own, and its level from the catalogue. Truth: the electrons painted.
TEST_F(LightCurvesTest, FieldsWithoutAStarInCommonAreJoinedByTheCatalogue) {
    test_support::MovingFramesPlan plan;
    plan.stars = 180;
    plan.count = 6;
    plan.seed = 18;
    plan.eastArcsecPerFrame = plan.northArcsecPerFrame = 0.0;
    test_support::MovingFrames other(plan);
    const test_support::TemporaryFolder both;
    const Angle turn = Angle::degrees(0.5);
    for (auto& frame : other.frames) {
        frame.place.wcs.referenceSky.longitude = frame.place.wcs.referenceSky.longitude + turn;
        frame.middle = frame.middle.plusSeconds(86400.0);
    }
    test_support::writeCalibrated(other, both, {"V"});
    // All stars of both in one catalogue.
    for (SkyPos& star : other.stars) {
        star.longitude = star.longitude + turn;
    }
    other.stars.insert(other.stars.end(), series_->stars.begin(), series_->stars.end());
    other.starElectrons.insert(
        other.starElectrons.end(), series_->starElectrons.begin(), series_->starElectrons.end());
    test_support::writeStars(other, both, "made");
    CurveRequest wanted = request();
    wanted.files.resize(6);
    for (int i = 0; i < plan.count; ++i) {
        wanted.files.push_back(both / fmt::format("f{:02}.fits", i));
    }
    wanted.targets.push_back({"a light of no catalogue", std::nullopt, skyDegrees(100.0, 30.0)});
    const auto store = catalog::StarStore::open(both.path(), "made");
    const auto tables = openSkyTables({});
    ASSERT_TRUE(store && tables);
    const auto curves = measureCurves(wanted, *store, *tables, {});
    ASSERT_TRUE(curves) << curves.error().detail;
    EXPECT_TRUE(curves->failures.empty());
    const BandCurves& band = curves->bands.front();
    ASSERT_EQ(band.frames.size(), 12U);
    for (int f = 0; f < 12; ++f) {
        const auto& frame = band.frames[static_cast<std::size_t>(f)];
        EXPECT_NEAR(frame.zeroPoint, kSeriesZero + 2.5 * std::log10(transparency(f % 6)), 0.015)
            << f;
    }
    int used = 0;
    int usedThere = 0;
    for (const FieldStar& star : band.stars) {
        used += star.scatter.used ? 1 : 0;
        usedThere += star.scatter.used && star.star.place.longitude.degrees() > 100.25 ? 1 : 0;
        EXPECT_LE(star.scatter.points, 6) << star.star.sourceId;
    }
    EXPECT_GT(usedThere, 15);
    EXPECT_GT(used - usedThere, 15);
    const TargetCurve& curve = band.targets.front();
    EXPECT_TRUE(curve.points[0].mag);
    EXPECT_FALSE(curve.points[8].mag) << "it is not in that field";
    EXPECT_EQ(curve.points[0].field, 0);
    EXPECT_EQ(curve.points[8].field, 1);
}

/// Curves as they come out of what went wrong: each has its sentence, and none where nothing did.
class RemarksTest : public testing::Test {
  protected:
    RemarksTest() {
        for (int f = 0; f < 20; ++f) {
            CurveFrame frame;
            frame.zeroPoint = 24.0;
            curves_.frames.push_back(frame);
        }
        FieldStar star;
        star.scatter.used = true;
        star.scatter.chiSquare = 1.0;
        curves_.stars.assign(8, star);
        TargetCurve curve;
        curve.name = "(7)";
        for (int f = 0; f < 20; ++f) {
            TargetPoint point;
            point.julianTdb = 2464000.0 + 0.01 * f;
            point.mag = 16.0;
            point.magError = 0.01;
            curve.points.push_back(point);
        }
        curve.period.emplace();
        curve.period->days = 0.1;
        curve.period->falseAlarmLog10 = -12.0;
        curves_.targets.push_back(curve);
    }

    void expectOne(const std::string& words) const {
        const auto remarks = remarksOn(curves_);
        ASSERT_EQ(remarks.size(), 1U);
        EXPECT_NE(remarks.front().find(words), std::string::npos) << remarks.front();
    }

    BandCurves curves_;
};

TEST_F(RemarksTest, NothingIsSaidOfGoodCurves) {
    EXPECT_TRUE(remarksOn(curves_).empty());
}

TEST_F(RemarksTest, NoComparisonStar) {
    curves_.stars.clear();
    expectOne("No star of the field can serve");
}

TEST_F(RemarksTest, AllOfThemVariable) {
    for (FieldStar& star : curves_.stars) {
        star.scatter.chiSquare = 12.0;
    }
    expectOne("None of the 8 comparison stars is steady");
}

TEST_F(RemarksTest, AFieldThatTurnsOut) {
    curves_.frames[3].zeroPoint = std::nan("");
    expectOne("On 1 of 20 frames");
}

TEST_F(RemarksTest, ThreePointsForAPeriod) {
    curves_.targets[0].points.resize(3);
    curves_.targets[0].period.reset();
    expectOne("3 good points: too few");
}

TEST_F(RemarksTest, APeriodThatMayBeChance) {
    curves_.targets[0].period->falseAlarmLog10 = -1.2;
    expectOne("No period stands out");
}

TEST_F(RemarksTest, APeriodAsLongAsTheRun) {
    curves_.targets[0].period->days = 0.18;
    expectOne("as long as what was seen");
}

TEST_F(RemarksTest, ATargetOffEveryFrame) {
    for (TargetPoint& point : curves_.targets[0].points) {
        point.mag.reset();
        point.flags = {"edge"};
    }
    curves_.targets[0].period.reset();
    expectOne("(7) is on none of these frames");
}

} // namespace
} // namespace pathmark::night
