#include "core/calibrate/colour_planes.h"

#include "core/calibrate/apply.h"
#include "tests/support/matchers.h"

#include <gtest/gtest.h>

#include <cmath>
#include <string>

namespace pathmark::calibrate {
namespace {

/// A pattern of 6 x 6 as some cameras have it: every cell of 3 x 3 has five green, two red and two blue about its middle.
const std::string kSixBySix = "GBGGRGRGRBGBGBGGRGGRGGBGBGBRGRGRGGBG";
/// The same sensor, read from its third column and second row on.
const std::string kSixByShifted = frame::ColourPattern::of(kSixBySix)->from(2, 1)->letters();

/// Truth: linear interpolation is exact on a plane, so a grey plane must come back to rounding.
TEST(DemosaicTest, AGreyPlaneComesBack) {
    for (const std::string& pattern : {std::string("RGGB"),
                                       std::string("GRBG"),
                                       std::string("GBRG"),
                                       std::string("BGGR"),
                                       kSixBySix}) {
        frame::Image mosaic(40, 30);
        for (int y = 0; y < 30; ++y) {
            for (int x = 0; x < 40; ++x) {
                mosaic.at(x, y) = static_cast<float>(100 + 3 * x + 2 * y);
            }
        }
        const auto colours = demosaic(mosaic, pattern);
        for (int y = 4; y < 26; ++y) {
            for (int x = 4; x < 36; ++x) {
                for (const auto* plane : {&colours.red, &colours.green, &colours.blue}) {
                    ASSERT_NEAR(plane->at(x, y), mosaic.at(x, y), 1e-3F)
                        << pattern << " " << x << " " << y;
                }
            }
        }
    }
}

/// Truth: a sharp vertical edge seen through the pattern; an interpolation across it would smear it over a pixel.
TEST(DemosaicTest, AnEdgeStaysSharp) {
    frame::Image mosaic(40, 40);
    for (int y = 0; y < 40; ++y) {
        for (int x = 0; x < 40; ++x) {
            mosaic.at(x, y) = x < 20 ? 100.0F : 1000.0F;
        }
    }
    const auto colours = demosaic(mosaic, "RGGB");
    for (int y = 6; y < 34; ++y) {
        EXPECT_NEAR(colours.green.at(18, y), 100.0F, 30.0F);
        EXPECT_NEAR(colours.green.at(21, y), 1000.0F, 30.0F);
    }
}

/// A pixel-integrated Gaussian star by the error function.
double starIn(double x, double y, double cx, double cy, double sigma) {
    const auto part = [&](double t, double c) {
        const double s = sigma * std::sqrt(2.0);
        return 0.5 * (std::erf((t + 0.5 - c) / s) - std::erf((t - 0.5 - c) / s));
    };
    return part(x, cx) * part(y, cy);
}

/// Truth: the places at which noise-free stars were painted on the mosaic, through the solution of the raw frame. The
/// centre of gravity over a wide window is exact for a well sampled star. A square of 6 x 6 sums 3 x 3 pixels, which samples less.
TEST(ColourPlanesTest, EveryPlaneMeasuresTheSamePlaceOfTheSky) {
    frame::Wcs raw;
    raw.referenceSky = skyDegrees(150.0, 20.0);
    raw.referencePixel = {64.3, 60.8};
    const double scale = Angle::arcsec(1.2).radians();
    raw.cd = {-scale * 0.98, scale * 0.2, scale * 0.2, scale * 0.98};
    raw.a = frame::SipPolynomial(2);
    raw.b = frame::SipPolynomial(2);
    raw.a.setCoefficient(2, 0, 2e-5);
    raw.b.setCoefficient(1, 1, -3e-5);
    for (const std::string& pattern :
         {std::string("RGGB"), std::string("GBRG"), kSixBySix, kSixByShifted}) {
        for (const auto& [cx, cy] :
             {std::pair{40.37, 51.12}, std::pair{83.9, 70.45}, std::pair{61.0, 95.5}}) {
            frame::Image mosaic(128, 128);
            for (int y = 0; y < 128; ++y) {
                for (int x = 0; x < 128; ++x) {
                    mosaic.at(x, y) = static_cast<float>(1e5 * starIn(x, y, cx, cy, 3.1));
                }
            }
            const SkyPos truth = raw.toSky({cx, cy});
            for (const Colour colour : {Colour::Red, Colour::Green, Colour::Blue, Colour::Sum}) {
                const auto plane = takePlane(mosaic, colour, pattern);
                double sum = 0.0;
                double sx = 0.0;
                double sy = 0.0;
                for (int y = 0; y < plane.height(); ++y) {
                    for (int x = 0; x < plane.width(); ++x) {
                        const double v = static_cast<double>(plane.at(x, y));
                        sum += v;
                        sx += v * x;
                        sy += v * y;
                    }
                }
                const auto wcs = wcsOfPlane(raw, planeGeometry(colour, pattern));
                const SkyPos measured = wcs.toSky({sx / sum, sy / sum});
                // 0.01 px of the raw frame.
                EXPECT_LT(separation(measured, truth).arcsec(), 0.01 * 1.2)
                    << pattern << " " << name(colour);
            }
        }
    }
}

/// Truth: counted by hand from the pattern.
TEST(ColourPatternTest, CellsOfSixBySixHaveEachColourAboutTheirMiddle) {
    const auto pattern = frame::ColourPattern::of(kSixBySix);
    ASSERT_TRUE(pattern);
    EXPECT_EQ(pattern->cell(), 3);
    EXPECT_EQ(pattern->firstX(), 0);
    EXPECT_EQ(pattern->countInCell('R'), 2);
    EXPECT_EQ(pattern->countInCell('G'), 5);
    EXPECT_EQ(pattern->countInCell('B'), 2);
    const auto shifted = frame::ColourPattern::of(kSixByShifted);
    EXPECT_EQ(shifted->firstX(), 1);
    EXPECT_EQ(shifted->firstY(), 2);
    EXPECT_EQ(pattern->turnedOver(12)->turnedOver(12)->letters(), kSixBySix);
    EXPECT_EQ(pattern->turnedOver(12)->at(0, 0), 'G');
    EXPECT_EQ(pattern->turnedOver(12)->at(1, 0), 'R') << "the last row is GRGGBG";
    // Columns of colours: no cut of it has red about the middle.
    EXPECT_FALSE(frame::ColourPattern::of("RGBRGBRGBRGBRGBRGBRGBRGBRGBRGBRGBRGB"));
    EXPECT_FALSE(frame::ColourPattern::of("GGGG"));
    EXPECT_FALSE(frame::ColourPattern::of("RGGBR"));
}

frame::FrameInfo lightWith(const std::string& pattern, int width, int height) {
    frame::FrameInfo info;
    info.path = "/n/light.fits";
    info.kind = frame::FrameKind::Light;
    info.width = width;
    info.height = height;
    info.bayerPattern = pattern;
    return info;
}

/// A sky of a third of the range, as a colour camera under a bright sky has it, is far from saturated, whatever its sum is; a cell
/// with one saturated pixel is.
TEST(ColourPlanesTest, ASumIsSaturatedWhereOneOfItsPixelsIs) {
    CalibrationSet set;
    set.noise = {1.0, 4.0, 16383.0};
    for (const std::string& pattern : {std::string("RGGB"), kSixBySix, kSixByShifted}) {
        frame::LoadedFrame light{frame::Image(18, 18, 5400.0F), {}};
        light.image.at(7, 9) = 16383.0F;
        const auto info = lightWith(pattern, 18, 18);
        const auto done = Calibrator(set, info).apply(light, info);
        int saturated = 0;
        for (const float v : done.image.pixels()) {
            saturated += static_cast<double>(v) >= done.saturationElectrons ? 1 : 0;
        }
        EXPECT_EQ(saturated, 1) << pattern;
    }
}

/// Truth: Poisson's and Gauss's variances added by hand for pixels of one level.
TEST(ColourPlanesTest, TheVarianceOfAPlaneIsThatOfItsMean) {
    CalibrationSet set;
    set.noise = {1.0, 3.0, 65535.0};
    set.wantsVariance = true;
    for (const auto& [colour, of] :
         {std::pair{Colour::Red, 0.5}, {Colour::Green, 0.2}, {Colour::Sum, 9.0}}) {
        set.colour = colour;
        frame::LoadedFrame light{frame::Image(12, 12, 400.0F), {}};
        const auto info = lightWith(kSixBySix, 12, 12);
        const auto done = Calibrator(set, info).apply(light, info);
        EXPECT_NEAR(done.variance.at(1, 1), (400.0 + 9.0) * of, 1e-3) << name(colour);
    }
}

} // namespace
} // namespace pathmark::calibrate
