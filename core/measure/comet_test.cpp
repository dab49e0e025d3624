#include "core/measure/comet.h"

#include "core/measure/aperture.h"
#include "core/measure/coma_profile.h"
#include "core/measure/dust.h"
#include "core/measure/small_circles.h"
#include "tests/support/matchers.h"
#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>
#include <vector>

namespace pathmark::measure {
namespace {

/// Truth: the integral of 1 / rho over the unit square is 4 ln(1 + sqrt 2).
TEST(ComaProfileTest, TheCellOfTheNucleusIsExact) {
    EXPECT_NEAR(meanOverNucleus(1.0), 4.0 * std::log(1.0 + std::sqrt(2.0)), 2e-4);
    // A constant is its own mean.
    EXPECT_NEAR(meanOverNucleus(1e-9), 1.0, 1e-3);
}

/// Truth: photons. What a pixel sees of a coma of 1 / rho is counted.
TEST(ComaProfileTest, PixelsSeeWhatPhotonsLeave) {
    constexpr double radius = 40.0;
    constexpr double count = 4e6;
    test_support::Photons photons(3);
    photons.setBlur(2.4, 3.0, 2.0, 1.0);
    frame::Image image(101, 101);
    photons.coma(image, 50.3, 49.6, radius, count);
    const detect::PointSpread spread(detect::Moffat::round(2.4, 3.0), 2.0, 1.0);
    const ComaProfile profile(spread, 1.0, 10);
    // The light within radius is 2 pi radius times the unit.
    const double unit = count / (2.0 * std::numbers::pi * radius);
    double chi = 0.0;
    int pixels = 0;
    for (int y = 43; y <= 57; ++y) {
        for (int x = 43; x <= 57; ++x) {
            const double model = unit * profile.at(x - 50.3, y - 49.6).value;
            chi += std::pow(static_cast<double>(image.at(x, y)) - model, 2) / model;
            ++pixels;
        }
    }
    EXPECT_NEAR(chi / pixels, 1.0, 0.35);
}

TEST(ComaProfileTest, SlopesAreThoseOfTheValues) {
    const detect::PointSpread spread(detect::Moffat::round(2.2, 3.0));
    const ComaProfile profile(spread, 1.1, 8);
    for (const double x : {-3.3, -0.4, 0.1, 1.7}) {
        const double step = 1e-4;
        const double slope =
            (profile.at(x + step, 0.3).value - profile.at(x - step, 0.3).value) / (2.0 * step);
        EXPECT_NEAR(profile.at(x, 0.3).slopeX, slope, 1e-3 * profile.at(0.0, 0.0).value);
    }
}

/// Light of a coma drawn photon by photon about (x, y), in a circle there, by the areas of the pixels. `fine`: pixels of a pixel.
double lightInCircle(double x, double y, double radius, int fine) {
    test_support::Photons photons(42);
    photons.setBlur(1.3 * fine, 3.0, 0.8 * fine, -0.4 * fine);
    constexpr int side = 31;
    frame::Image image(side * fine, side * fine);
    const double middle = 0.5 * (fine - 1); // where the first pixel's middle lies on the fine ones
    const double cx = middle + fine * x;
    const double cy = middle + fine * y;
    photons.coma(image, cx, cy, 14.0 * fine, 5.0e5);
    double light = 0.0;
    for (int j = 0; j < image.height(); ++j) {
        for (int i = 0; i < image.width(); ++i) {
            light +=
                shareInside(i - cx, j - cy, radius * fine) * static_cast<double>(image.at(i, j));
        }
    }
    return light;
}

/// Truth: the same photons on pixels nine times as small, in which a circle's rim cuts next to nothing.
TEST(SmallCirclesTest, HoldTheLightThatFallsOffInTheirPixels) {
    const detect::PointSpread spread(detect::Moffat::round(1.3, 3.0), 0.8, -0.4);
    const std::vector<double> radii{0.9, 1.5, 3.1, 4.5};
    double worstBefore = 0.0;
    for (const auto& [dx, dy] : {std::pair{0.0, 0.0}, {0.3, -0.2}, {0.48, 0.45}}) {
        const auto factors = unevenPixelFactors(spread, 1.0, {dx, dy}, radii);
        for (std::size_t i = 0; i < radii.size(); ++i) {
            const double truth = lightInCircle(15.0 + dx, 15.0 + dy, radii[i], 9);
            const double own = lightInCircle(15.0 + dx, 15.0 + dy, radii[i], 1);
            worstBefore = std::max(worstBefore, std::abs(own / truth - 1.0));
            EXPECT_NEAR(factors[i] * own / truth, 1.0, radii[i] < 1.0 ? 0.015 : 0.007)
                << radii[i] << " at " << dx << " " << dy << ", factor " << factors[i];
        }
    }
    EXPECT_GT(worstBefore, 0.05);
}

constexpr int kSide = 240;
constexpr double kComa = 45.0;   // pixels
constexpr double kLight = 3.0e5; // electrons
constexpr double kScale = 1.5;   // arcsec

frame::Wcs wcs() {
    frame::Wcs w;
    w.referenceSky = skyDegrees(20.0, -12.0);
    w.referencePixel = {0.5 * kSide, 0.5 * kSide};
    const double s = Angle::arcsec(kScale).radians();
    w.cd = {-s, 0.0, 0.0, s};
    return w;
}

/// A frame of stars 2.5 pixels wide; it must not outlive its pixels.
CometFrame frameOf(const frame::Image& electrons, double noise) {
    CometFrame frame;
    frame.electrons = &electrons;
    frame.picture.wcs = wcs();
    frame.picture.shape = detect::Moffat::round(2.5, 3.0);
    frame.picture.noise = noise;
    return frame;
}

struct Drawn {
    frame::Image electrons{kSide, kSide};
    frame::PixelPos nucleus;
};

/// A comet on a sloping sky, with some stars that nobody foretold.
Drawn drawn(std::uint32_t seed, const std::string& pattern, double trailX, double trailY) {
    Drawn d;
    test_support::Photons photons(seed);
    for (int y = 0; y < kSide; ++y) {
        for (int x = 0; x < kSide; ++x) {
            d.electrons.at(x, y) = static_cast<float>(photons.poisson(120.0 + 0.2 * x + 0.1 * y) +
                                                      photons.normal(5.0));
        }
    }
    d.nucleus = {107.0 + 4.0 * photons.uniform(), 108.0 + 4.0 * photons.uniform()};
    photons.setBlur(2.5, 3.0, trailX, trailY);
    if (pattern.empty()) {
        photons.coma(d.electrons, d.nucleus.x, d.nucleus.y, kComa, kLight);
    } else {
        // As bright in the mean of a cell, and of a colour that no star has.
        for (const auto& [colour, share] : {std::pair{'R', 0.6}, {'G', 1.3}, {'B', 0.8}}) {
            photons.coma(
                d.electrons, d.nucleus.x, d.nucleus.y, kComa, share * kLight, pattern, colour);
        }
    }
    photons.setBlur(2.5, 3.0, 0.0, 0.0);
    for (int k = 0; k < 12; ++k) {
        const double angle = 2.0 * std::numbers::pi * photons.uniform();
        const double far = 60.0 + 40.0 * photons.uniform();
        photons.point(
            d.electrons, 109.0 + far * std::cos(angle), 110.0 + far * std::sin(angle), 3000.0);
    }
    return d;
}

struct Case {
    std::string pattern;
    double trailX;
    double trailY;
};

class CometTest : public ::testing::TestWithParam<Case> {};

/// Truth: the drawn nucleus; of a coma of 1 / rho that ends at R the share rho / R of its light lies within rho.
TEST_P(CometTest, NucleusAndLightAreRightWithinTheirErrors) {
    const Case& c = GetParam();
    double sumX = 0.0;
    double sumY = 0.0;
    double squares = 0.0;
    double errors = 0.0;
    double slopes = 0.0;
    double whole = 0.0;
    double within = 0.0;
    constexpr int draws = 20;
    for (std::uint32_t i = 0; i < draws; ++i) {
        const Drawn d = drawn(100 + i, c.pattern, c.trailX, c.trailY);
        std::optional<detect::ColourMosaic> mosaic;
        CometFrame frame = frameOf(d.electrons, 13.5);
        if (!c.pattern.empty()) {
            mosaic.emplace(d.electrons, c.pattern, std::nullopt);
            frame.picture.mosaic = &*mosaic;
        }
        Target target;
        target.predicted = wcs().toSky({110.0, 109.0});
        // The comet's own motion is what trails it: east is towards smaller x.
        target.xiRateArcsecPerMin = -c.trailX * kScale;
        target.etaRateArcsecPerMin = c.trailY * kScale;
        target.trailSeconds = 60.0;
        const auto m = measureComet(frame, target, {{20.0 * kScale}});
        ASSERT_TRUE(m) << m.error().detail;
        EXPECT_EQ(m->nucleus.concern, "");
        const double x = m->nucleus.pixel.x - d.nucleus.x;
        const double y = m->nucleus.pixel.y - d.nucleus.y;
        sumX += x;
        sumY += y;
        squares += std::pow(x * kScale / m->nucleus.raErrorArcsec, 2) +
                   std::pow(y * kScale / m->nucleus.decErrorArcsec, 2);
        errors += m->nucleus.raErrorArcsec / kScale;
        slopes += m->slope;
        whole += m->nucleus.flux;
        within += m->apertures.front().flux;
    }
    const double error = errors / draws;
    EXPECT_LT(error, 0.08);
    EXPECT_NEAR(sumX / draws, 0.0, 4.0 * error / std::sqrt(draws));
    EXPECT_NEAR(sumY / draws, 0.0, 4.0 * error / std::sqrt(draws));
    EXPECT_NEAR(std::sqrt(squares / (2.0 * draws)), 1.0, 0.2);
    EXPECT_NEAR(slopes / draws, 1.0, 0.1);
    EXPECT_NEAR(whole / draws / kLight, 1.0, 0.03);
    EXPECT_NEAR(within / draws / kLight, 20.0 / kComa, 0.01);
}

INSTANTIATE_TEST_SUITE_P(Cameras,
                         CometTest,
                         ::testing::Values(Case{"", 0.0, 0.0},
                                           Case{"", 2.5, -1.0},
                                           Case{"RGGB", 1.5, 0.5}));

/// Truth: the light of a coma of 1 / rho within a circle grows as its radius, so that by the definition (A'Hearn et al. 1984) A f rho
/// is one number: (2 r Delta)^2 / rho times the light there over the Sun's. Photons, seeing and noise are in the frames.
TEST(CometDustTest, ASteadyComaHasItsValueAtEveryRadius) {
    constexpr double zeroPoint = 21.0;
    const CometDistance distance{1.83, 0.97};
    constexpr double au = 1.495978707e13;
    const double perArcsec = kLight / 60.0 / (kComa * kScale); // in a second
    const double overSun = std::pow(10.0, 0.4 * (-26.76 - zeroPoint)) * perArcsec;
    const double truth = std::pow(2.0 * distance.sunAu * distance.earthAu * au, 2) * overSun /
                         (distance.earthAu * au * Angle::arcsec(1.0).radians());
    const std::vector<double> radii{6.0, 10.0, 15.0, 25.0, 40.0, 60.0};
    std::vector<double> sums(radii.size());
    constexpr int draws = 10;
    for (std::uint32_t i = 0; i < draws; ++i) {
        const Drawn d = drawn(300 + i, "", 0.0, 0.0);
        CometFrame frame = frameOf(d.electrons, 13.5);
        frame.picture.photometry.emplace().zeroPoint = zeroPoint;
        frame.picture.exposureSeconds = 60.0;
        Target target;
        target.predicted = wcs().toSky({110.0, 109.0});
        const auto m = measureComet(frame, target, {radii});
        ASSERT_TRUE(m) << m.error().detail;
        for (std::size_t k = 0; k < radii.size(); ++k) {
            ASSERT_TRUE(m->apertures[k].magnitude);
            sums[k] += afrhoCentimetres(
                *m->apertures[k].magnitudeWithoutSeeing(), catalog::Band::V, radii[k], distance);
        }
    }
    for (std::size_t k = 0; k < radii.size(); ++k) {
        EXPECT_NEAR(sums[k] / draws / truth, 1.0, 0.03) << radii[k];
    }
}

struct CentreCase {
    ComaCentroid which;
    double trailX;
    double trailY;
};

class ComaCentroidTest : public ::testing::TestWithParam<CentreCase> {};

/// Truth: the drawn nucleus, and the scatter about it. Of a coma that is alike on all sides every centre is the nucleus.
TEST_P(ComaCentroidTest, OfARoundComaIsItsNucleus) {
    const CentreCase& c = GetParam();
    const detect::PointSpread spread(detect::Moffat::round(2.5, 3.0), c.trailX, c.trailY);
    constexpr double sky = 150.0;
    double sumX = 0.0;
    double sumY = 0.0;
    double squares = 0.0;
    double errors = 0.0;
    constexpr int draws = 60;
    for (std::uint32_t i = 0; i < draws; ++i) {
        test_support::Photons photons(500 + i);
        frame::Image light(101, 101);
        const frame::PixelPos nucleus{49.0 + 2.0 * photons.uniform(),
                                      49.0 + 2.0 * photons.uniform()};
        photons.setBlur(2.5, 3.0, c.trailX, c.trailY);
        photons.coma(light, nucleus.x, nucleus.y, kComa, kLight);
        for (float& v : light.pixels()) {
            v += static_cast<float>(photons.poisson(sky) + photons.normal(5.0) - sky);
        }
        const auto place =
            comaCentroid(c.which, {light, spread, std::sqrt(sky + 25.0), 1.0}, {50.0, 50.0}, 15.0);
        ASSERT_TRUE(place) << place.error().detail;
        const double x = place->pixel.x - nucleus.x;
        const double y = place->pixel.y - nucleus.y;
        sumX += x;
        sumY += y;
        squares += std::pow(x / place->xError, 2) + std::pow(y / place->yError, 2);
        errors += place->xError;
    }
    const double error = errors / draws;
    EXPECT_LT(error, 0.06);
    EXPECT_NEAR(sumX / draws, 0.0, 4.0 * error / std::sqrt(draws));
    EXPECT_NEAR(sumY / draws, 0.0, 4.0 * error / std::sqrt(draws));
    EXPECT_NEAR(std::sqrt(squares / (2.0 * draws)), 1.0, 0.2);
}

INSTANTIATE_TEST_SUITE_P(Centres,
                         ComaCentroidTest,
                         ::testing::Values(CentreCase{ComaCentroid::Peak, 0.0, 0.0},
                                           CentreCase{ComaCentroid::Peak, 2.5, -1.0},
                                           CentreCase{ComaCentroid::Symmetry, 0.0, 0.0},
                                           CentreCase{ComaCentroid::Symmetry, 2.5, -1.0},
                                           CentreCase{ComaCentroid::Isophote, 0.0, 0.0},
                                           CentreCase{ComaCentroid::Isophote, 2.5, -1.0}));

/// On a camera with a colour pattern, through the whole measure. Truth: the drawn nucleus.
TEST(CometCentroidTest, IsTakenOnRawPixelsOfAColourCamera) {
    for (const ComaCentroid which :
         {ComaCentroid::Peak, ComaCentroid::Symmetry, ComaCentroid::Isophote}) {
        for (std::uint32_t i = 0; i < 3; ++i) {
            const Drawn d = drawn(700 + i, "RGGB", 0.0, 0.0);
            const detect::ColourMosaic mosaic(d.electrons, "RGGB", std::nullopt);
            CometFrame frame = frameOf(d.electrons, 13.5);
            frame.picture.mosaic = &mosaic;
            Target target;
            target.predicted = wcs().toSky({110.0, 109.0});
            const auto m = measureComet(frame, target, {{}, which});
            ASSERT_TRUE(m) << m.error().detail;
            EXPECT_EQ(m->centroid, which);
            EXPECT_NEAR(m->nucleus.pixel.x, d.nucleus.x, 4.0 * m->nucleus.raErrorArcsec / kScale);
            EXPECT_NEAR(m->nucleus.pixel.y, d.nucleus.y, 4.0 * m->nucleus.decErrorArcsec / kScale);
        }
    }
}

/// Truth: the drawn light. A second cusp 6 pixels off draws the centre of the light to its side, the brightest point not.
TEST(CometCentroidTest, CentresOfALopsidedComaDiffer) {
    test_support::Photons photons(9);
    frame::Image light(101, 101);
    photons.setBlur(2.5, 3.0, 0.0, 0.0);
    photons.coma(light, 50.0, 50.0, kComa, 4.0 * kLight);
    photons.coma(light, 56.0, 50.0, kComa, 2.0 * kLight);
    const detect::PointSpread spread(detect::Moffat::round(2.5, 3.0));
    const ComaLight coma{light, spread, 10.0, 1.0};
    const auto peak = comaCentroid(ComaCentroid::Peak, coma, {50.0, 50.0}, 15.0);
    const auto isophote = comaCentroid(ComaCentroid::Isophote, coma, {50.0, 50.0}, 15.0);
    ASSERT_TRUE(peak);
    ASSERT_TRUE(isophote);
    EXPECT_NEAR(peak->pixel.x, 50.0, 0.4);
    EXPECT_GT(isophote->pixel.x, 51.0);
    EXPECT_NEAR(isophote->pixel.y, 50.0, 0.1);
}

/// Without a highest point there is no such centre, and that is said.
TEST(CometCentroidTest, ASlopeHasNoCentre) {
    frame::Image light(101, 101);
    for (int y = 0; y < 101; ++y) {
        for (int x = 0; x < 101; ++x) {
            light.at(x, y) = static_cast<float>(10 * x);
        }
    }
    const detect::PointSpread spread(detect::Moffat::round(2.5, 3.0));
    for (const ComaCentroid which :
         {ComaCentroid::Peak, ComaCentroid::Symmetry, ComaCentroid::Isophote}) {
        const auto place = comaCentroid(which, {light, spread, 10.0, 1.0}, {50.0, 50.0}, 15.0);
        ASSERT_FALSE(place) << name(which);
        EXPECT_EQ(place.error().id, ErrorId::MeasureFitFailed);
    }
}

/// Truth: the drawn nucleus, with a third of its light again in a second cusp 2.5 pixels beside it, as a jet or a fragment is: no model of
/// one cusp holds, its place is drawn over, and the errors say so. (By their chi-square alone, as pixels one by one, they would be half as large.)
TEST(CometWrongTest, ErrorsAreThoseOfALightThatNoModelFollows) {
    double squares = 0.0;
    double errors = 0.0;
    constexpr int draws = 6;
    for (std::uint32_t i = 0; i < draws; ++i) {
        Drawn d = drawn(300 + i, "", 0.0, 0.0);
        test_support::Photons photons(400 + i);
        photons.setBlur(2.5, 3.0, 0.0, 0.0);
        photons.coma(d.electrons, d.nucleus.x, d.nucleus.y, kComa, 4.0 * kLight);
        photons.coma(d.electrons, d.nucleus.x + 2.5, d.nucleus.y, kComa, 1.5 * kLight);
        const CometFrame frame = frameOf(d.electrons, 13.5);
        Target target;
        target.predicted = wcs().toSky({110.0, 109.0});
        const auto m = measureComet(frame, target, {});
        ASSERT_TRUE(m) << m.error().detail;
        const double error = m->nucleus.raErrorArcsec / kScale;
        squares += std::pow((m->nucleus.pixel.x - d.nucleus.x) / error, 2);
        errors += error;
    }
    EXPECT_GT(errors / draws, 0.02);
    EXPECT_LT(std::sqrt(squares / draws), 3.0);
}

/// What is measured of a light as a comet: a point of so many electrons, and a coma about it.
CometMeasured asComet(double point, double coma) {
    test_support::Photons photons(7);
    frame::Image electrons(kSide, kSide);
    for (float& v : electrons.pixels()) {
        v = static_cast<float>(photons.poisson(150.0));
    }
    photons.setBlur(2.5, 3.0, 0.0, 0.0);
    photons.point(electrons, 110.3, 108.8, point);
    photons.coma(electrons, 110.3, 108.8, kComa, coma);
    const CometFrame frame = frameOf(electrons, 12.3);
    Target target;
    target.predicted = wcs().toSky({110.0, 109.0});
    const auto measured = measureComet(frame, target, {});
    EXPECT_TRUE(measured) << measured.error().detail;
    return measured ? *measured : CometMeasured{};
}

/// A point of light in its coma is steeper than any coma that the fit knows: a comet all the same.
TEST(CometWrongTest, ANucleusThatIsAPointInItsComaIsNoStar) {
    for (const double point : {20000.0, 60000.0, 150000.0}) {
        const CometMeasured m = asComet(point, 200000.0);
        EXPECT_EQ(m.nucleus.concern, "") << point;
        EXPECT_NEAR(m.nucleus.pixel.x, 110.3, 0.1) << point;
        EXPECT_NEAR(m.nucleus.pixel.y, 108.8, 0.1) << point;
        EXPECT_NEAR(m.nucleus.flux, point + 200000.0, 0.06 * (point + 200000.0)) << point;
    }
}

TEST(CometWrongTest, AStarIsNoComet) {
    for (const double point : {4000.0, 30000.0, 200000.0}) {
        EXPECT_NE(asComet(point, 0.0).nucleus.concern.find("as sharp as a star"), std::string::npos)
            << point;
    }
}

TEST(CometWrongTest, NothingThereAndNothingBesideItAreSaid) {
    test_support::Photons photons(5);
    frame::Image sky(kSide, kSide);
    for (float& v : sky.pixels()) {
        v = static_cast<float>(photons.poisson(150.0));
    }
    const CometFrame frame = frameOf(sky, 12.3);
    Target target;
    target.predicted = wcs().toSky({110.0, 109.0});
    target.searchArcsec = 3.0;
    const auto dark = measureComet(frame, target, {});
    ASSERT_FALSE(dark);
    EXPECT_EQ(dark.error().id, ErrorId::MeasureNotSeen);
    target.predicted = wcs().toSky({-300.0, 109.0});
    const auto outside = measureComet(frame, target, {});
    ASSERT_FALSE(outside);
    EXPECT_EQ(outside.error().id, ErrorId::MeasureOutside);
}

} // namespace
} // namespace pathmark::measure
