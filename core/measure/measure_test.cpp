#include "core/measure/aperture.h"
#include "core/measure/measure_body.h"
#include "simulate/painter.h"
#include "tests/support/matchers.h"
#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>
#include <utility>

namespace pathmark::measure {
namespace {

constexpr int kSide = 120;

frame::Wcs wcs() {
    frame::Wcs w;
    w.referenceSky = skyDegrees(100.0, 30.0);
    w.referencePixel = {59.5, 59.5};
    const double s = Angle::arcsec(1.0).radians();
    w.cd = {-s, 0.0, 0.0, s};
    return w;
}

Picture pictureOf(const frame::Image& image) {
    Picture picture;
    picture.image = &image;
    picture.wcs = wcs();
    picture.shape = detect::Moffat::round(2.5, 3.0);
    picture.noise = 10.0;
    solve::PhotometricMatch photometry;
    photometry.zeroPoint = 22.0;
    picture.photometry = photometry;
    picture.exposureSeconds = 60.0;
    return picture;
}

frame::Image noisy(double x, double y, double flux, std::uint32_t seed) {
    frame::Image image(kSide, kSide);
    simulate::paintPoint(image, {2.5, 0.0, 0.0, 3.0}, x, y, flux);
    std::mt19937 random(seed);
    for (float& v : image.pixels()) {
        std::normal_distribution<float> noise(0.0F, std::sqrt(100.0F + v));
        v += noise(random);
    }
    return image;
}

/// Truth: the painted place and flux; the errors stated are those of 300 draws.
TEST(MeasureBodyTest, PlaceAndBrightnessAreRightWithinTheirErrors) {
    double squares = 0.0;
    double magnitudes = 0.0;
    constexpr int draws = 300;
    for (std::uint32_t i = 0; i < draws; ++i) {
        const auto image = noisy(61.3, 58.2, 3000.0, i);
        Target target;
        target.predicted = wcs().toSky({60.0, 60.0});
        const auto m = measureBody(pictureOf(image), target);
        ASSERT_TRUE(m) << m.error().detail;
        EXPECT_EQ(m->concern, "");
        squares += std::pow((m->pixel.x - 61.3) / m->raErrorArcsec, 2.0);
        magnitudes += std::pow(
            (*m->magnitude - (22.0 - 2.5 * std::log10(3000.0 / 60.0))) / m->magnitudeError, 2.0);
    }
    EXPECT_NEAR(squares / draws, 1.0, 0.25);
    EXPECT_NEAR(magnitudes / draws, 1.0, 0.3);
}

TEST(MeasureBodyTest, ObservedMinusComputedIsOnTheSky) {
    const auto image = noisy(61.0, 58.0, 100000.0, 5);
    Target target;
    target.predicted = wcs().toSky({60.0, 60.0});
    const auto m = measureBody(pictureOf(image), target);
    ASSERT_TRUE(m);
    // One pixel to the right is one arcsecond to the west.
    EXPECT_NEAR(m->observedMinusComputedRa, -1.0, 0.03);
    EXPECT_NEAR(m->observedMinusComputedDec, -2.0, 0.03);
}

TEST(MeasureBodyTest, AStarNearbyIsNotTakenForTheBody) {
    frame::Image image = noisy(60.4, 60.2, 1500.0, 6);
    simulate::paintPoint(image, {2.5, 0.0, 0.0, 3.0}, 63.2, 60.0, 6000.0);
    Target target;
    target.predicted = wcs().toSky({60.0, 60.0});
    target.neighbours.push_back({{63.2, 60.0}, 6050.0});
    const auto m = measureBody(pictureOf(image), target);
    ASSERT_TRUE(m) << m.error().detail;
    EXPECT_NEAR(m->pixel.x, 60.4, 4.0 * m->raErrorArcsec);
    EXPECT_LT(std::abs(m->flux - 1500.0), 5.0 * m->fluxError);
}

/// Light of a round profile of Moffat's (1969) of that width with an exponent of three, far from its middle, in every pixel of an image.
void addWing(frame::Image& image, double x, double y, double flux, double fwhm) {
    const double core = 0.5 * fwhm / std::sqrt(std::cbrt(2.0) - 1.0);
    for (int j = 0; j < image.height(); ++j) {
        for (int i = 0; i < image.width(); ++i) {
            const double r2 = (std::pow(i - x, 2) + std::pow(j - y, 2)) / (core * core);
            image.at(i, j) += static_cast<float>(flux * 2.0 / (std::numbers::pi * core * core) *
                                                 std::pow(1.0 + r2, -3.0));
        }
    }
}

/// Truth: the place of the body; the wing is the formula's, as far as it reaches. A star far brighter leaves a slope under a body that
/// is many widths off.
TEST(MeasureBodyTest, TheWingOfABrightStarFarOffIsNotTheBodys) {
    for (const auto& [distance, flux] :
         {std::pair{9.0, 1.6e5}, std::pair{14.0, 2.0e6}, std::pair{20.0, 2.0e7}}) {
        double off = 0.0;
        double sigma = 0.0;
        constexpr int draws = 30;
        for (std::uint32_t i = 0; i < draws; ++i) {
            frame::Image image = noisy(60.4, 60.2, 20000.0, 40 + i);
            addWing(image, 60.4 + distance, 60.2, flux, 2.5);
            Target target;
            target.predicted = wcs().toSky({60.0, 60.0});
            target.neighbours.push_back({{60.4 + distance, 60.2}, flux});
            const auto m = measureBody(pictureOf(image), target);
            ASSERT_TRUE(m) << m.error().detail;
            off += (m->pixel.x - 60.4) / draws;
            sigma += m->raErrorArcsec / draws;
        }
        EXPECT_LT(std::abs(off), 0.6 * sigma) << "beside a star of " << flux << " at " << distance;
    }
}

/// Truth: the painted middle of the trail; the star beside it does not trail, and must not be fitted as if it did.
TEST(MeasureBodyTest, AFastBodyBesideAStandingStar) {
    frame::Image image = noisy(10.0, 10.0, 1.0, 9);
    const simulate::Blur blur{2.5, 0.0, 0.0, 3.0};
    simulate::paintTrail(image, blur, 57.4, 60.3, 63.4, 60.3, 6000.0);
    simulate::paintPoint(image, blur, 61.0, 64.0, 9000.0);
    Target target;
    target.predicted = wcs().toSky({60.0, 60.0});
    target.xiRateArcsecPerMin = -6.0;
    target.trailSeconds = 60.0;
    target.neighbours.push_back({{61.0, 64.0}, 9000.0});
    const auto m = measureBody(pictureOf(image), target);
    ASSERT_TRUE(m) << m.error().detail;
    EXPECT_NEAR(m->pixel.x, 60.4, 4.0 * m->raErrorArcsec);
    EXPECT_NEAR(m->pixel.y, 60.3, 4.0 * m->decErrorArcsec);
    EXPECT_LT(m->chiSquare, 1.6);
}

/// Truth: the painted place; in a stack on a slow motion the stars are smeared the other way and not yet clipped.
TEST(MeasureBodyTest, InAStackTheSmearedStarIsTakenAsOne) {
    frame::Image image = noisy(60.3, 59.8, 2500.0, 10);
    simulate::paintTrail(image, {2.5, 0.0, 0.0, 3.0}, 62.5, 62.0, 65.5, 62.0, 7000.0);
    Target target;
    target.predicted = wcs().toSky({60.0, 60.0});
    target.xiRateArcsecPerMin = 0.6;
    target.starTrailSeconds = 300.0;
    target.neighbours.push_back({{64.0, 62.0}, 7100.0});
    const auto m = measureBody(pictureOf(image), target);
    ASSERT_TRUE(m) << m.error().detail;
    EXPECT_NEAR(m->pixel.x, 60.3, 4.0 * m->raErrorArcsec);
    EXPECT_NEAR(m->pixel.y, 59.8, 4.0 * m->decErrorArcsec);
    EXPECT_LT(m->chiSquare, 1.6);
}

/// Truth: photons on a colour camera's own pixels; the body is redder than the stars that the response is of.
TEST(MeasureBodyTest, OnAMosaicTheColourOfABodyDoesNotMoveIt) {
    const std::string pattern = "GRBG";
    double squares = 0.0;
    double sumX = 0.0;
    double flux = 0.0;
    double errors = 0.0;
    constexpr int draws = 150;
    for (std::uint32_t i = 0; i < draws; ++i) {
        test_support::Photons photons(400 + i);
        photons.setBlur(2.5, 3.0, 0.0, 0.0);
        frame::Image mosaic(kSide, kSide);
        for (float& v : mosaic.pixels()) {
            v = static_cast<float>(photons.poisson(100.0));
        }
        const double x = 60.0 + photons.uniform();
        const double y = 59.0 + photons.uniform();
        for (const auto& [colour, share] : {std::pair{'R', 1.0}, {'G', 1.0}, {'B', 0.3}}) {
            photons.point(mosaic, x, y, 20000.0 * share, pattern, colour);
        }
        const detect::ColourMosaic colours(mosaic, pattern, std::nullopt);
        Picture picture = pictureOf(colours.light());
        picture.mosaic = &colours;
        picture.response = {0.8, 0.5};
        Target target;
        target.predicted = wcs().toSky({60.5, 59.5});
        const auto m = measureBody(picture, target);
        ASSERT_TRUE(m) << m.error().detail;
        sumX += m->pixel.x - x;
        squares += std::pow((m->pixel.x - x) / m->raErrorArcsec, 2) +
                   std::pow((m->pixel.y - y) / m->decErrorArcsec, 2);
        errors += m->raErrorArcsec;
        flux += m->flux;
    }
    EXPECT_NEAR(std::sqrt(squares / (2.0 * draws)), 1.0, 0.12);
    EXPECT_NEAR(sumX / draws, 0.0, 4.0 * errors / draws / std::sqrt(draws));
    EXPECT_NEAR(flux / draws, 20000.0 * 0.825, 0.01 * 20000.0);
}

/// Truth: photons. Stars that the mount drew out by (4, 1) pixels while a body moved by (-1, 2) over the sky: on the detector the
/// body went by their sum or their difference, as the stars' first end was here or there.
TEST(MeasureBodyTest, OnAMountThatMovesABodyHasAnotherTrailThanTheStars) {
    for (const double way : {1.0, -1.0}) {
        test_support::Photons photons(77);
        photons.setBlur(2.5, 3.0, -1.0 + 4.0 * way, 2.0 + 1.0 * way);
        frame::Image image(kSide, kSide);
        for (float& v : image.pixels()) {
            v = static_cast<float>(photons.poisson(100.0) - 100.0);
        }
        photons.point(image, 60.4, 59.3, 40000.0);
        Picture picture = pictureOf(image);
        picture.starTrailX = 4.0;
        picture.starTrailY = 1.0;
        Target target;
        target.predicted = wcs().toSky({60.0, 60.0});
        target.xiRateArcsecPerMin = 1.0;
        target.etaRateArcsecPerMin = 2.0;
        target.trailSeconds = 60.0;
        const auto m = measureBody(picture, target);
        ASSERT_TRUE(m) << m.error().detail;
        EXPECT_LT(m->chiSquare, 1.5);
        EXPECT_NEAR(m->pixel.x, 60.4, 5.0 * m->raErrorArcsec);
        EXPECT_NEAR(m->flux, 40000.0, 6.0 * m->fluxError);
    }
}

TEST(MeasureBodyTest, ASaturatedBodyIsSaid) {
    frame::Image image = noisy(60.2, 59.9, 90000.0, 11);
    Target target;
    target.predicted = wcs().toSky({60.0, 60.0});
    Picture picture = pictureOf(image);
    const float peak = image.at(60, 60);
    picture.saturationElectrons = static_cast<double>(peak) + 1.0;
    EXPECT_EQ(measureBody(picture, target)->concern, "");
    picture.saturationElectrons = static_cast<double>(peak) - 1.0;
    EXPECT_EQ(measureBody(picture, target)->concern, "saturated");
}

/// Truth: a streak of five pixels is no point, and nobody said that the body trails.
TEST(MeasureBodyTest, APoorFitIsSaidAndATrueOneIsNot) {
    frame::Image image = noisy(10.0, 10.0, 1.0, 12);
    simulate::paintTrail(image, {2.5, 0.0, 0.0, 3.0}, 57.5, 60.0, 62.5, 60.0, 60000.0);
    Target target;
    target.predicted = wcs().toSky({60.0, 60.0});
    const auto poor = measureBody(pictureOf(image), target);
    ASSERT_TRUE(poor) << poor.error().detail;
    EXPECT_GT(poor->chiSquare, 3.0);
    EXPECT_NE(poor->concern.find("the fit is poor"), std::string::npos) << poor->concern;
    target.xiRateArcsecPerMin = -5.0;
    target.trailSeconds = 60.0;
    const auto right = measureBody(pictureOf(image), target);
    ASSERT_TRUE(right) << right.error().detail;
    EXPECT_EQ(right->concern, "");
}

TEST(MeasureBodyTest, NothingThereIsSaid) {
    const auto image = noisy(10.0, 10.0, 1.0, 8);
    Target target;
    target.predicted = wcs().toSky({60.0, 60.0});
    target.searchArcsec = 2.0;
    const auto m = measureBody(pictureOf(image), target);
    // Three sigma is met by chance in a few per cent of such windows; this seed is not one of them.
    ASSERT_FALSE(m);
    EXPECT_EQ(m.error().id, ErrorId::MeasureNotSeen);
    target.predicted = wcs().toSky({500.0, 60.0});
    EXPECT_EQ(measureBody(pictureOf(image), target).error().id, ErrorId::MeasureOutside);
}

/// Truth: a Gaussian of variance v holds 1 - exp(-r^2 / 2 v) of its light within r; taken at the pixel centres and spread
/// over the pixels its variance is a twelfth more.
TEST(ApertureTest, HoldsTheShareOfAGaussian) {
    frame::Image image(kSide, kSide, 7.0F);
    const double s = 2.0;
    for (int y = 0; y < kSide; ++y) {
        for (int x = 0; x < kSide; ++x) {
            const double r2 = std::pow(x - 60.3, 2.0) + std::pow(y - 59.8, 2.0);
            image.at(x, y) += static_cast<float>(5000.0 / (2.0 * std::numbers::pi * s * s) *
                                                 std::exp(-0.5 * r2 / (s * s)));
        }
    }
    double flux = 0.0;
    for (int y = 0; y < kSide; ++y) {
        for (int x = 0; x < kSide; ++x) {
            flux +=
                shareInside(x - 60.3, y - 59.8, 4.0) * (static_cast<double>(image.at(x, y)) - 7.0);
        }
    }
    EXPECT_NEAR(flux, 5000.0 * (1.0 - std::exp(-0.5 * 16.0 / (4.0 + 1.0 / 12.0))), 10.0);
}

/// Truth: a circle's area is pi r^2 wherever it lies; half of a pixel lies inside a circle so large that its rim is straight there; a
/// circle within one pixel; a million random points of one that is cut in two ways.
TEST(ApertureTest, SharesAreAreas) {
    for (const double radius : {0.3, 0.9, 1.5, 3.1, 7.77}) {
        for (const auto& [x0, y0] : {std::pair{0.0, 0.0}, {0.3, -0.2}, {0.5, 0.5}}) {
            double area = 0.0;
            for (int y = -10; y <= 10; ++y) {
                for (int x = -10; x <= 10; ++x) {
                    area += shareInside(x - x0, y - y0, radius);
                }
            }
            EXPECT_NEAR(area, std::numbers::pi * radius * radius, 1e-9);
        }
    }
    EXPECT_NEAR(shareInside(1e4, 0.0, 1e4), 0.5, 1e-4);
    EXPECT_NEAR(shareInside(0.1, 0.1, 0.2), std::numbers::pi * 0.04, 1e-12);
    std::mt19937 random(7);
    std::uniform_real_distribution<double> inPixel(-0.5, 0.5);
    int inside = 0;
    constexpr int points = 1'000'000;
    for (int k = 0; k < points; ++k) {
        inside += std::hypot(0.8 + inPixel(random), -0.6 + inPixel(random)) < 1.1 ? 1 : 0;
    }
    EXPECT_NEAR(shareInside(0.8, -0.6, 1.1), static_cast<double>(inside) / points, 0.002);
}

/// An orbit that is sure to 15" along its line and to 0.5" across, the line at 60 degrees.
constexpr PlaceError kLongError{15.0, 0.5, 60.0};

/// A body `alongArcsec` off on a line of that position angle.
Result<Measured> measuredOff(double alongArcsec, double angleDegrees, std::uint32_t seed) {
    const double angle = Angle::degrees(angleDegrees).radians();
    const double x = 60.0 - alongArcsec * std::sin(angle); // east is to the left
    const double y = 60.0 + alongArcsec * std::cos(angle);
    const auto image = noisy(x, y, 700.0, seed);
    Target target;
    target.predicted = wcs().toSky({60.0, 60.0});
    target.searchArcsec = 3.0;
    target.placeError = kLongError;
    return measureBody(pictureOf(image), target);
}

/// Truth: where the body was painted.
TEST(SearchAreaTest, ABodyIsFoundAlongTheLineOnWhichItsOrbitIsUnsure) {
    for (const double along : {-35.0, -12.0, 0.0, 25.0}) {
        const auto m = measuredOff(along, 60.0, 3);
        ASSERT_TRUE(m) << along << ": " << m.error().detail;
        EXPECT_NEAR(std::hypot(m->observedMinusComputedRa, m->observedMinusComputedDec),
                    std::abs(along),
                    1.0)
            << along;
    }
}

TEST(SearchAreaTest, ALightBesideThatLineIsNotTheBodys) {
    for (const double off : {-20.0, 8.0, 30.0}) {
        const auto m = measuredOff(off, 150.0, 4);
        EXPECT_FALSE(m) << off;
    }
}

/// Truth: nothing is there. A circle of 3" alone is the measure.
TEST(SearchAreaTest, NoiseIsTakenForABodyNoMoreOftenInALargeArea) {
    int inCircle = 0;
    int inEllipse = 0;
    constexpr std::uint32_t draws = 1500;
    for (std::uint32_t seed = 0; seed < draws; ++seed) {
        const auto image = noisy(60.0, 60.0, 0.0, 1000 + seed);
        Target target;
        target.predicted = wcs().toSky({60.0, 60.0});
        target.searchArcsec = 3.0;
        inCircle += measureBody(pictureOf(image), target) ? 1 : 0;
        target.placeError = kLongError;
        inEllipse += measureBody(pictureOf(image), target) ? 1 : 0;
    }
    EXPECT_GT(inCircle, 5); // or this shows nothing
    EXPECT_LE(inEllipse, inCircle + 3.0 * std::sqrt(2.0 * inCircle));
}

TEST(SearchAreaTest, IsNeverNarrowerThanAskedAndNeverWiderThanAMinute) {
    EXPECT_DOUBLE_EQ(SearchArea(5.0).reachArcsec(), 5.0);
    EXPECT_DOUBLE_EQ(SearchArea(5.0, PlaceError{0.1, 0.1, 0.0}).reachArcsec(), 5.0);
    EXPECT_DOUBLE_EQ(SearchArea(5.0, PlaceError{7200.0, 1.0, 0.0}).reachArcsec(), 60.0);
    // A published value: 3 sigma of one side is 0.00135, a hundredth of it lies beyond 4.20 sigma.
    EXPECT_NEAR(SearchArea(1.0, PlaceError{10.0 / 3.0, 10.0 / 3.0, 0.0}).threshold(3.0), 4.2, 0.02);
    const PlanePos north{0.0, 30.0 * kRadiansPerArcsec};
    EXPECT_NEAR(SearchArea(5.0, PlaceError{20.0, 1.0, 0.0}).distance(north), 0.5, 1e-12);
    EXPECT_NEAR(SearchArea(5.0, PlaceError{20.0, 1.0, 90.0}).distance(north), 6.0, 1e-12);
}

} // namespace
} // namespace pathmark::measure
