#include "core/base/time.h"
#include "core/frame/fits_file.h"
#include "tests/support/json_keys.h"
#include "tests/support/series_test.h"

#include <erfa.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <array>
#include <cmath>

// A star on two dates half a year apart. Truth: ERFA puts it where its proper motion and its parallax have it (eraPmpx), the Earth by ERFA's
// own series.
namespace pathmark {
namespace {

using nlohmann::json;

constexpr double kParallaxMas = 4200.0; // far more than any star's: pixels are of an arcsecond
constexpr std::array kMotionMas{-900.0, 2500.0};

class StarParallaxCommandTest : public test_support::SeriesTest {
  protected:
    /// As seen at a time, the proper motion counted from another.
    static SkyPos seen(const SkyPos& star, const Utc& from, const Utc& time) {
        double heliocentric[2][3];
        double barycentric[2][3];
        const Tdb tdb = toTdb(time);
        eraEpv00(tdb.day(), tdb.fraction(), heliocentric, barycentric);
        const double mas = 1e-3 * kRadiansPerArcsec;
        const double dec = star.latitude.radians();
        std::array<double, 3> direction{};
        eraPmpx(star.longitude.radians(),
                dec,
                kMotionMas[0] * mas / std::cos(dec),
                kMotionMas[1] * mas,
                1e-3 * kParallaxMas,
                0.0,
                time.secondsSince(from) / (365.25 * 86400.0),
                barycentric[0],
                direction.data());
        return SkyPos::fromVector({direction[0], direction[1], direction[2]});
    }

    /// The second frame as if it had been taken at another time.
    [[nodiscard]] std::filesystem::path secondAt(const Utc& time) const {
        auto second = frame::readFits(frames_ / "f01.fits");
        EXPECT_TRUE(second);
        second->header.set("DATE-OBS", toIso(time, 3), "start");
        auto path = folder_ / "autumn.fits";
        EXPECT_TRUE(frame::writeFits(path, second->image, second->header));
        return path;
    }
};

TEST_F(StarParallaxCommandTest, TwoDatesTellAStarsDistance) {
    auto plan = smallPlan();
    plan.count = 2;
    plan.stars = 60;
    plan.bodyElectrons = 20000.0;
    make(plan);
    const auto first = frame::readFits(frames_ / "f00.fits");
    ASSERT_TRUE(first);
    const Utc spring = *parseUtc(first->header.text("DATE-OBS").value_or(""));
    const Utc autumn = spring.plusSeconds(180.0 * kSecondsPerDay);
    const SkyPos star = skyDegrees(100.0, 30.0);
    const PlanePos way = toTangentPlane(seen(star, spring, spring), seen(star, spring, autumn));
    plan.eastArcsecPerFrame = Angle::radians(way.xi).arcsec();
    plan.northArcsecPerFrame = Angle::radians(way.eta).arcsec();
    make(plan);
    const auto a = series_->frames[0].place.wcs.toPixel(series_->body[0]);
    const auto b = series_->frames[1].place.wcs.toPixel(series_->body[1]);
    const std::string asked =
        fmt::format("parallax '{}' '{}' --star --pixels {:.2f} {:.2f} {:.2f} {:.2f}",
                    (frames_ / "f00.fits").string(),
                    secondAt(autumn).string(),
                    a->x + 1.0,
                    a->y + 1.0,
                    b->x + 1.0,
                    b->y + 1.0);
    const json found =
        told(fmt::format("{} --proper-motion {} {}", asked, kMotionMas[0], kMotionMas[1]));
    const double error = found.at("parallax_err_mas").get<double>();
    EXPECT_NEAR(found.at("parallax_mas").get<double>(), kParallaxMas, 4.0 * error);
    EXPECT_LT(error, 30.0);
    EXPECT_NEAR(found.at("across_mas").get<double>(), 0.0, 5.0 * error);
    EXPECT_NEAR(found.at("distance_pc").get<double>() * kParallaxMas, 1000.0, 1000.0 * 0.03);
    EXPECT_NEAR(found.at("baseline_au").get<double>(), 2.0, 0.05);
    // Its own motion not told, the shift is none that the Earth's way makes.
    const json untold = told(asked);
    EXPECT_GT(std::abs(untold.at("across_mas").get<double>()), 300.0);
}

TEST_F(StarParallaxCommandTest, WhatCannotBeIsSaid) {
    auto plan = smallPlan();
    plan.count = 2;
    make(plan);
    const std::string frames =
        fmt::format("'{}' '{}'", (frames_ / "f00.fits").string(), (frames_ / "f01.fits").string());
    (void)told("parallax " + frames + " --star --near 100 30", 1); // minutes apart
    (void)told("parallax " + frames + " --near 100 30", 2);        // of a body, without the sites
    (void)told("parallax " + frames + " --star --body 1 --orbits none", 2);
}

} // namespace
} // namespace pathmark
