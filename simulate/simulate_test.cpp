#include "core/frame/frame_info.h"
#include "simulate/camera.h"
#include "simulate/catalogue.h"
#include "simulate/headers.h"
#include "simulate/moffat_row.h"
#include "simulate/noise_hash.h"
#include "simulate/optics.h"
#include "simulate/painter.h"

#include <gtest/gtest.h>
#include <wcslib.h>

#include <cmath>
#include <random>

namespace pathmark::simulate {
namespace {

/// Truth: wcslib's TAN with the same axis, scale and turn.
TEST(OpticsTest, AgreesWithWcslib) {
    for (const bool mirrored : {false, true}) {
        Optics optics;
        optics.axis = unitVector(177.2, 2.4);
        optics.arcsecPerPixel = 1.06;
        optics.rotationDegrees = 33.0;
        optics.mirrored = mirrored;
        optics.middleX = 800.0;
        optics.middleY = 600.0;
        wcsprm wcs{};
        wcs.flag = -1;
        ASSERT_EQ(wcsini(1, 2, &wcs), 0);
        const double s = 1.06 / 3600.0;
        const double t = 33.0 * kRadiansPerDegree;
        const double flip = mirrored ? 1.0 : -1.0;
        wcs.crpix[0] = 801.0;
        wcs.crpix[1] = 601.0;
        wcs.pc[0] = flip * s * std::cos(t);
        wcs.pc[1] = s * std::sin(t);
        wcs.pc[2] = -flip * s * std::sin(t);
        wcs.pc[3] = s * std::cos(t);
        wcs.crval[0] = 177.2;
        wcs.crval[1] = 2.4;
        std::snprintf(wcs.ctype[0], 72, "RA---TAN");
        std::snprintf(wcs.ctype[1], 72, "DEC--TAN");
        ASSERT_EQ(wcsset(&wcs), 0);
        std::mt19937 random(1);
        std::uniform_real_distribution<double> offset(-0.3, 0.3);
        for (int i = 0; i < 200; ++i) {
            double world[2] = {177.2 + offset(random), 2.4 + offset(random)};
            double phi = 0.0;
            double theta = 0.0;
            double image[2];
            double pixel[2];
            int status = 0;
            ASSERT_EQ(wcss2p(&wcs, 1, 2, world, &phi, &theta, image, pixel, &status), 0);
            const auto p = optics.place(unitVector(world[0], world[1]));
            ASSERT_TRUE(p);
            EXPECT_NEAR(p->x + 1.0, pixel[0], 1e-7);
            EXPECT_NEAR(p->y + 1.0, pixel[1], 1e-7);
        }
        wcsfree(&wcs);
    }
}

/// Truth: mean and variance of Poisson and normal numbers; tolerances are five standard errors.
TEST(NoiseHashTest, HasTheMomentsItShould) {
    const NoiseHash hash(9);
    constexpr int draws = 200000;
    for (const double mean : {0.5, 20.0, 500.0}) {
        double sum = 0.0;
        double squares = 0.0;
        for (std::uint64_t i = 0; i < draws; ++i) {
            const double v = hash.poisson(mean, i);
            sum += v;
            squares += v * v;
        }
        const double average = sum / draws;
        EXPECT_NEAR(average, mean, 5.0 * std::sqrt(mean / draws));
        EXPECT_NEAR(squares / draws - average * average, mean, 0.03 * mean);
    }
    double products = 0.0;
    for (std::uint64_t i = 0; i < draws; ++i) {
        products += hash.normal(i) * hash.normal(i + 1);
    }
    EXPECT_NEAR(products / draws, 0.0, 5.0 / std::sqrt(draws));
}

/// Truth: the C library's powers in double precision, and the mean over 40 x 40 midpoints for the pixel.
TEST(MoffatRowTest, IsTheMeanOfTheProfileOverThePixel) {
    for (const float beta : {1.6F, 2.5F, 4.7F}) {
        const MoffatTerms terms{0.31F, 0.12F, -0.17F, 0.44F, beta, 1000.0F};
        const auto at = [&](double x, double y) {
            const double p = 0.31 * x + 0.12 * y;
            const double q = -0.17 * x + 0.44 * y;
            return 1000.0 * std::pow(1.0 + p * p + q * q, -static_cast<double>(beta));
        };
        std::vector<float> single(301, 0.0F);
        addMoffatRow(single.data(), 301, terms, -150.3F, 1.7F, 1.0F, 1);
        std::vector<float> mean(301, 0.0F);
        addMoffatRow(mean.data(), 301, terms, -150.3F, 1.7F, 1.0F, 3);
        for (int k = 0; k < 301; ++k) {
            const double x = -150.3 + k;
            double sum = 0.0;
            for (int row = 0; row < 40; ++row) {
                for (int column = 0; column < 40; ++column) {
                    sum += at(x + (column + 0.5) / 40.0 - 0.5, 1.7 + (row + 0.5) / 40.0 - 0.5);
                }
            }
            const auto i = static_cast<std::size_t>(k);
            EXPECT_NEAR(static_cast<double>(single[i]), at(x, 1.7), 3e-5 * at(x, 1.7));
            EXPECT_NEAR(static_cast<double>(mean[i]), sum / 1600.0, 2e-4 * sum / 1600.0);
        }
    }
}

TEST(PaintPointTest, KeepsTheLight) {
    // Truth: the flux asked for; outside 150 pixels a Moffat of beta 3 keeps 1e-7 of it (exact integral).
    frame::Image image(301, 301);
    paintPoint(image, {2.5, 0.1, 20.0, 3.0}, 150.3, 149.6, 1e6);
    double sum = 0.0;
    double x = 0.0;
    for (int j = 0; j < 301; ++j) {
        for (int i = 0; i < 301; ++i) {
            sum += static_cast<double>(image.at(i, j));
            x += static_cast<double>(image.at(i, j)) * i;
        }
    }
    // The outer pixels are taken at their middles: two parts in ten thousand.
    EXPECT_NEAR(sum, 1e6, 300.0);
    EXPECT_NEAR(x / sum, 150.3, 2e-3);
}

/// Truth: a thousand points along the way.
TEST(PaintPointTest, ATrailIsASumOfPoints) {
    const Blur blur{1.8, 0.1, 20.0, 3.0};
    frame::Image trail(80, 60);
    paintTrail(trail, blur, 30.2, 25.1, 41.7, 31.4, 1e5);
    frame::Image truth(80, 60);
    for (int i = 0; i < 1000; ++i) {
        const double t = (i + 0.5) / 1000.0;
        paintPoint(truth, blur, 30.2 + 11.5 * t, 25.1 + 6.3 * t, 100.0);
    }
    const auto brightest = static_cast<double>(truth.at(36, 28));
    for (int y = 15; y < 45; ++y) {
        for (int x = 20; x < 55; ++x) {
            EXPECT_NEAR(trail.at(x, y), truth.at(x, y), 0.002 * brightest);
        }
    }
}

TEST(ExposeTest, SignalAndNoiseAreThoseOfTheCamera) {
    CameraScenario camera;
    camera.width = 400;
    camera.height = 400;
    camera.electronsPerAdu = 0.5;
    camera.readNoiseElectrons = 6.0;
    camera.hotShare = 0.0;
    camera.darkElectronsPerSecond = 0.0;
    Detector detector = makeDetector(camera, 3);
    const auto adu = expose(frame::Image(400, 400, 900.0F), detector, camera, 10.0, NoiseHash(4));
    double sum = 0.0;
    double squares = 0.0;
    for (std::size_t i = 0; i < adu.pixels().size(); ++i) {
        const double v = static_cast<double>(adu.pixels()[i] - detector.biasAdu.pixels()[i]) * 0.5;
        sum += v;
        squares += v * v;
    }
    const auto n = static_cast<double>(adu.pixels().size());
    EXPECT_NEAR(sum / n, 900.0, 5.0 * std::sqrt(936.0 / n));
    // Rounding to whole ADU adds 0.5^2/12.
    EXPECT_NEAR(squares / n - sum / n * sum / n, 936.0 + 0.02, 936.0 * 5.0 * std::sqrt(2.0 / n));
}

class HeaderTest : public testing::TestWithParam<const char*> {};

/// There and back: what a dialect writes, the reader of dialects finds.
TEST_P(HeaderTest, IsUnderstood) {
    CameraScenario camera;
    camera.name = "Brack M2";
    camera.dialect = GetParam();
    FrameStory story;
    story.kind = "light";
    story.start = *parseUtc("2034-03-17T21:02:11.5");
    story.exposureSeconds = 60.0;
    story.filter = "R";
    story.object = "Field";
    story.raDegrees = 177.25;
    story.decDegrees = -2.5;
    story.pointing = true;
    const auto info = frame::describeFrame("/n/a.fits", 10, 10, makeHeader(story, camera, {}));
    EXPECT_EQ(info.kind, frame::FrameKind::Light);
    EXPECT_EQ(toIso(*info.midExposure), "2034-03-17T21:02:41.500Z");
    EXPECT_EQ(info.filter, "R");
    EXPECT_EQ(info.camera, "Brack M2");
    EXPECT_NEAR(info.pointing->longitude.degrees(), 177.25, 0.005);
    EXPECT_NEAR(info.pointing->latitude.degrees(), -2.5, 0.001);
}

/// Truth: the sphere. At a pole and beside the first meridian a field holds as many stars as anywhere, all of them within its
/// radius and at places that exist.
TEST(MakeStarsTest, TheSkyHasNoEdges) {
    const auto starsAt = [](double ra, double dec) {
        Scenario scenario;
        scenario.fields = {{ra, dec, 0.5, 2000.0}};
        return makeStars(scenario);
    };
    const std::size_t usual = starsAt(150.0, 20.0).size();
    for (const auto& [ra, dec] :
         {std::pair{0.01, 10.0}, {359.99, -5.0}, {200.0, 89.98}, {3.0, -89.9}}) {
        const auto stars = starsAt(ra, dec);
        EXPECT_NEAR(static_cast<double>(stars.size()),
                    static_cast<double>(usual),
                    0.1 * static_cast<double>(usual));
        const Vec3 middle = unitVector(ra, dec);
        for (const SimStar& star : stars) {
            EXPECT_GE(star.raDegrees, 0.0);
            EXPECT_LT(star.raDegrees, 360.0);
            EXPECT_LE(std::abs(star.decDegrees), 90.0);
            const Vec3 place = unitVector(star.raDegrees, star.decDegrees);
            EXPECT_GT(dot(middle, place), std::cos(0.505 * 3.14159265358979 / 180.0));
        }
    }
}

INSTANTIATE_TEST_SUITE_P(Dialects, HeaderTest, testing::Values("a", "b", "c"));

} // namespace
} // namespace pathmark::simulate
