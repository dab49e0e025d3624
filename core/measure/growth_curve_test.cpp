#include "core/measure/growth_curve.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

// Truth: photons thrown one by one through a Moffat profile, of which a circle holds 1 - (1 + r^2 / alpha^2)^(1 - beta) exactly.
namespace pathmark::measure {
namespace {

constexpr double kFwhm = 2.8;
constexpr double kBeta = 3.0;
constexpr double kSky = 150.0;
constexpr int kSide = 61;

double exactShare(double radius) {
    const double alpha = 0.5 * kFwhm / std::sqrt(std::pow(2.0, 1.0 / kBeta) - 1.0);
    return 1.0 - std::pow(1.0 + radius * radius / (alpha * alpha), 1.0 - kBeta);
}

class GrowthCurveTest : public testing::Test {
  protected:
    GrowthCurveTest() { photons_.setBlur(kFwhm, kBeta, 0.0, 0.0); }

    /// A new frame of sky.
    void expose() {
        image_ = frame::Image(kSide, kSide);
        for (float& v : image_.pixels()) {
            v = static_cast<float>(photons_.poisson(kSky) - kSky);
        }
    }

    frame::PixelPos somewhere() { return {30.0 + photons_.uniform(), 30.0 + photons_.uniform()}; }

    [[nodiscard]] GrowthCurve curveAt(frame::PixelPos place,
                                      const std::vector<StarNearby>& neighbours = {}) const {
        Picture picture;
        picture.image = &image_;
        picture.noise = std::sqrt(kSky);
        const auto curve = growthCurve(picture, forms_, place, neighbours, growthRadii(forms_));
        EXPECT_TRUE(curve);
        return curve.value_or(GrowthCurve{});
    }

    /// The highest S/N that a linear estimate of a point of that light can have: its profile by the variance of each pixel.
    [[nodiscard]] double bound(frame::PixelPos place, double flux) const {
        double information = 0.0;
        for (int y = 0; y < kSide; ++y) {
            for (int x = 0; x < kSide; ++x) {
                const double p = spread_.at(x - place.x, y - place.y).value;
                information += p * p / (kSky + flux * p);
            }
        }
        return flux * std::sqrt(information);
    }

    test_support::Photons photons_{47};
    frame::Image image_;
    detect::PointSpread spread_{detect::Moffat::round(kFwhm, kBeta), 0.0, 0.0, 24};
    PointForms forms_{spread_, spread_};
};

/// Truth: the scatter of lights, each frame with a flat of its own error, its own twinkling and its own reading.
TEST_F(GrowthCurveTest, EachPartOfTheErrorIsWhatItScattersBy) {
    constexpr double electrons = 4.0e6;
    constexpr double flat = 0.01;
    constexpr double twinkle = 0.001;
    constexpr double reading = 9.0;
    constexpr int tries = 150;
    const frame::PixelPos place{30.3, 30.1};
    Picture picture;
    picture.noise = std::hypot(std::sqrt(kSky), reading);
    picture.readNoise = reading;
    const auto scatterOf = [&](double flatError, double twinkling, ErrorParts& stated) {
        double sum = 0.0;
        double squares = 0.0;
        picture.flatError = flatError;
        picture.scintillation = twinkling;
        for (int k = 0; k < tries; ++k) {
            expose();
            const double light = electrons * (1.0 + twinkling * photons_.normal(1.0));
            for (int y = 0; y < kSide; ++y) {
                for (int x = 0; x < kSide; ++x) {
                    const double p = spread_.at(x - place.x, y - place.y).value;
                    const double value = photons_.poisson(light * p);
                    image_.at(x, y) +=
                        static_cast<float>(value * (1.0 + flatError * photons_.normal(1.0)) +
                                           photons_.normal(reading));
                }
            }
            picture.image = &image_;
            const auto curve = growthCurve(picture, forms_, place, {}, growthRadii(forms_));
            EXPECT_TRUE(curve);
            stated = curve->error;
            sum += curve->flux / tries;
            squares += curve->flux * curve->flux / tries;
        }
        return std::sqrt(squares - sum * sum);
    };
    ErrorParts stated;
    EXPECT_NEAR(scatterOf(flat, 0.0, stated) / stated.all(), 1.0, 0.2);
    EXPECT_GT(stated.flat, 3.0 * stated.light) << "or it is not what is tested";
    EXPECT_NEAR(scatterOf(0.0, twinkle, stated) / stated.all(), 1.0, 0.2);
    EXPECT_NEAR(stated.scintillation / electrons, twinkle, 1e-4);
    EXPECT_NEAR(stated.reading / stated.sky, reading / std::sqrt(kSky), 1e-6);
}

TEST_F(GrowthCurveTest, EachCircleHoldsItsShare) {
    constexpr double electrons = 60000.0;
    constexpr int tries = 40;
    const auto radii = growthRadii(forms_);
    std::vector<double> mean(radii.size());
    std::vector<double> whole(radii.size());
    for (int k = 0; k < tries; ++k) {
        expose();
        const auto place = somewhere();
        photons_.point(image_, place.x, place.y, electrons);
        const auto curve = curveAt(place);
        ASSERT_EQ(curve.circles.size(), radii.size());
        for (std::size_t c = 0; c < radii.size(); ++c) {
            mean[c] += curve.circles[c].flux / tries;
            whole[c] += curve.circles[c].flux / curve.circles[c].share / tries;
        }
    }
    for (std::size_t c = 0; c < radii.size(); ++c) {
        EXPECT_NEAR(whole[c] / electrons, 1.0, 0.004) << radii[c];
        // On a steep profile a pixel on the rim has more of its light inside than its area: in wide circles that is nothing.
        EXPECT_NEAR(mean[c] / electrons, exactShare(radii[c]), radii[c] > 4.0 ? 0.006 : 0.06)
            << radii[c];
    }
}

/// In reach of what any fit can do, and stated as it is, from the brightest to the faintest.
TEST_F(GrowthCurveTest, TheBestCircleIsNearTheBoundAndItsErrorHolds) {
    double lastRadius = 1e9;
    for (const double electrons : {100000.0, 3000.0, 500.0}) {
        constexpr int tries = 250;
        double mean = 0.0;
        double chi = 0.0;
        double snr = 0.0;
        double best = 0.0;
        for (int k = 0; k < tries; ++k) {
            expose();
            const auto place = somewhere();
            photons_.point(image_, place.x, place.y, electrons);
            const auto curve = curveAt(place);
            const double off = curve.flux - electrons;
            mean += off / tries;
            chi += std::pow(off / curve.error.all(), 2) / tries;
            snr += electrons / curve.error.all() / bound(place, electrons) / tries;
            best += curve.circles[curve.best].radius / tries;
        }
        const double sigma = electrons / bound({30.5, 30.5}, electrons);
        EXPECT_NEAR(mean, 0.0, 0.25 * sigma) << electrons;
        EXPECT_NEAR(std::sqrt(chi), 1.0, 0.1) << electrons;
        EXPECT_GT(snr, 1.0 / 1.15) << electrons;
        EXPECT_LT(best, lastRadius) << electrons;
        lastRadius = best;
    }
}

TEST_F(GrowthCurveTest, ABrighterNeighbourIsTakenOffAndSaid) {
    constexpr double electrons = 8000.0;
    constexpr double neighbour = 6.3 * electrons;
    constexpr int tries = 60;
    double mean = 0.0;
    for (int k = 0; k < tries; ++k) {
        expose();
        const auto place = somewhere();
        const frame::PixelPos other{place.x + 2.5 * kFwhm, place.y};
        photons_.point(image_, place.x, place.y, electrons);
        photons_.point(image_, other.x, other.y, neighbour);
        const auto curve = curveAt(place, {{other, neighbour, 0.0}});
        mean += (curve.flux - electrons) / curve.error.all() / tries;
        EXPECT_TRUE(curve.isBlended);
        EXPECT_GT(curve.error.neighbours, 0.0);
    }
    EXPECT_NEAR(mean, 0.0, 0.5);
}

TEST_F(GrowthCurveTest, WhatIsSaturatedIsSaid) {
    expose();
    photons_.point(image_, 30.0, 30.0, 50000.0);
    Picture picture;
    picture.image = &image_;
    picture.noise = std::sqrt(kSky);
    picture.saturationElectrons = 3000.0;
    const auto curve = growthCurve(picture, forms_, {30.0, 30.0}, {}, growthRadii(forms_));
    ASSERT_TRUE(curve);
    EXPECT_TRUE(curve->isSaturated);
}

TEST_F(GrowthCurveTest, TheEdgeIsRefused) {
    expose();
    Picture picture;
    picture.image = &image_;
    for (const frame::PixelPos place : {frame::PixelPos{-20.0, 30.0}, frame::PixelPos{1.0, 61.0}}) {
        EXPECT_EQ(growthCurve(picture, forms_, place, {}, growthRadii(forms_)).error().id,
                  ErrorId::MeasureOutside);
    }
}

} // namespace
} // namespace pathmark::measure
