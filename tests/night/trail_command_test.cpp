#include "core/frame/fits_file.h"
#include "simulate/painter.h"
#include "tests/support/json_keys.h"
#include "tests/support/series_test.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

// A trail that no orbit is known of. Truth: the ends that it was painted between, and the frame's own solution.
namespace pathmark {
namespace {

using nlohmann::json;

class TrailCommandTest : public test_support::SeriesTest {};

TEST_F(TrailCommandTest, ItsEndsAreFoundFromAPixelOnIt) {
    auto plan = smallPlan();
    plan.count = 1;
    plan.stars = 40;
    plan.bodyElectrons = 0.0;
    make(plan);
    const auto path = frames_ / "f00.fits";
    auto loaded = frame::readFits(path);
    ASSERT_TRUE(loaded);
    const SkyPos middle = skyDegrees(100.0, 30.0);
    const frame::Wcs& wcs = series_->frames[0].place.wcs;
    constexpr double lengthArcsec = 31.0;
    constexpr double angleDegrees = 63.0;
    const auto end = [&](double share) {
        const double angle = angleDegrees * kRadiansPerDegree;
        return *wcs.toPixel(offsetBy(middle,
                                     share * lengthArcsec * std::sin(angle),
                                     share * lengthArcsec * std::cos(angle)));
    };
    frame::Image trail(loaded->image.width(), loaded->image.height(), 0.0F);
    simulate::paintTrail(trail,
                         {plan.bestFwhm, 0.0, 0.0, 3.0},
                         end(-0.5).x,
                         end(-0.5).y,
                         end(0.5).x,
                         end(0.5).y,
                         9000.0);
    std::mt19937 random(8);
    for (std::size_t k = 0; k < trail.pixels().size(); ++k) {
        if (trail.pixels()[k] > 0.0F) {
            loaded->image.pixels()[k] += static_cast<float>(
                std::poisson_distribution<int>(static_cast<double>(trail.pixels()[k]))(random));
        }
    }
    const auto with = folder_ / "trail.fits";
    ASSERT_TRUE(frame::writeFits(with, loaded->image, loaded->header));
    const auto at = end(0.3);
    const json row = told(fmt::format("measure '{}' --pixel {:.1f} {:.1f} --trail",
                                      with.string(),
                                      at.x + 1.0,
                                      at.y + 1.0))
                         .at("measurements")
                         .at(0);
    ASSERT_TRUE(row.at("trail").is_object()) << row.dump();
    const json& found = row.at("trail");
    EXPECT_NEAR(found.at("length_arcsec").get<double>(),
                lengthArcsec,
                4.0 * found.at("length_err_arcsec").get<double>());
    EXPECT_NEAR(std::remainder(found.at("position_angle_deg").get<double>() - angleDegrees, 180.0),
                0.0,
                4.0 * found.at("position_angle_err_deg").get<double>());
    EXPECT_NEAR(found.at("rate_arcsec_per_min").get<double>(),
                found.at("length_arcsec").get<double>() * 60.0 / test_support::kSeriesExposure,
                1e-6);
    const PlanePos off =
        toTangentPlane(middle, skyDegrees(row.at("ra").get<double>(), row.at("dec").get<double>()));
    EXPECT_NEAR(Angle::radians(off.xi).arcsec(), 0.0, 4.0 * row.at("ra_err_arcsec").get<double>());
    EXPECT_NEAR(
        Angle::radians(off.eta).arcsec(), 0.0, 4.0 * row.at("dec_err_arcsec").get<double>());
    (void)told(fmt::format("measure '{}' --pixel 10 10 --trail --comet", with.string()), 2);
    const json none = told(fmt::format("measure '{}' --pixel 20 20 --trail", path.string()));
    EXPECT_TRUE(none.at("measurements").at(0).at("trail").is_null());
}

} // namespace
} // namespace pathmark
