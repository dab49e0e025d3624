#include "core/base/robust.h"
#include "core/calibrate/apply.h"
#include "core/calibrate/dark_scale.h"
#include "core/calibrate/noise.h"
#include "tests/support/toy_camera.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace pathmark::calibrate {
namespace {

using test_support::TemporaryFolder;
using test_support::ToyCamera;

constexpr int kSide = 512;
constexpr double kSeconds = 60.0;
constexpr double kFlatLevel = 30000.0;
constexpr int kBiases = 15;
constexpr int kDarks = 10;
constexpr int kFlats = 15;

/// Light that runs from 60 to some 20 000 electrons, so that every decile of signal means something.
double scene(int x, int y) {
    return 60.0 + 40.0 * x / kSide + 20000.0 * std::pow(static_cast<double>(y) / kSide, 4);
}

/// How the pedestals of lights and flats come about, and so what noise they must bring.
enum class Way { PlainDark, FlatDarks, ScaledDark };

struct Outcome {
    double errorOverNoise =
        0.0; ///< rms error over the rms of the noise that the camera's own values give
    double meanError = 0.0; ///< electrons
    std::array<double, 10>
        varianceRatio{};    ///< by decile of signal: scatter of the error over the stated variance
    double flatError = 0.0; ///< as the header states it
    DarkScale scale;
};

class CalibratedTruthTest : public testing::TestWithParam<Way> {
  protected:
    static Outcome run(Way way) {
        const TemporaryFolder folder;
        ToyCamera camera(kSide, kSide, 4711 + static_cast<std::uint32_t>(way));
        const double darkSeconds = way == Way::ScaledDark ? 150.0 : kSeconds;
        const auto biases = camera.group(folder, frame::FrameKind::Bias, kBiases, 0.0, 0.0);
        const auto darks = camera.group(folder, frame::FrameKind::Dark, kDarks, darkSeconds, 0.0);
        const auto flats = camera.group(folder, frame::FrameKind::Flat, kFlats, 4.0, kFlatLevel);
        const auto bias = buildMaster(biases, {}, {});
        const auto dark = buildMaster(darks, {}, {});
        std::optional<Master> flatDark;
        if (way == Way::FlatDarks) {
            flatDark = *buildMaster(
                camera.group(folder, frame::FrameKind::FlatDark, 12, 4.0, 0.0), {}, {});
        }
        const auto flat = buildFlat(flats, flatDark ? &*flatDark : &*bias, {}, {});
        if (!bias || !dark || !flat) {
            throw std::runtime_error("a master failed");
        }
        constexpr int lights = 6;
        frame::LoadedFrame light{camera.expose(scene, kSeconds), {}};
        const auto info = camera.describe("/n/light.fits", frame::FrameKind::Light, kSeconds);
        Outcome outcome;
        CalibrationSet set;
        set.flat = &*flat;
        set.bias = &*bias;
        set.noise = {camera.gain, camera.readNoise, 65535.0};
        set.wantsVariance = true;
        if (way == Way::ScaledDark) {
            set.scaledDark = &*dark;
            outcome.scale = fitDarkScale(light.image, kSeconds, *bias, *dark, set.noise);
            set.darkScale = outcome.scale.scale;
        } else {
            set.dark = &*dark;
        }
        const Calibrator calibrator(set, info);
        const CalibratedFrame first = calibrator.apply(light, info);
        outcome.flatError = first.header.number(frame::kFlatErrorKeyword).value_or(0.0);
        Master lighter = *flat; // as a run holds it
        lighter.forgetVariance();
        EXPECT_EQ(lighter.typicalError(), flat->typicalError());
        judge(camera, way, darkSeconds, first, outcome);
        // The mean of one light's faint half has 0.05 electrons of its own photon noise: more lights tell the bias.
        for (int i = 1; i < lights; ++i) {
            Outcome next;
            judge(camera,
                  way,
                  darkSeconds,
                  calibrator.apply({camera.expose(scene, kSeconds), {}}, info),
                  next);
            outcome.meanError += next.meanError;
        }
        outcome.meanError /= lights;
        return outcome;
    }

  private:
    /// The variance of a calibrated pixel worked out from the camera's values alone: photons, dark current, read
    /// noise, whole ADU, and the same of each master over its number of frames.
    static double expectedVariance(
        const ToyCamera& camera, std::size_t i, double electrons, Way way, double darkSeconds) {
        const double rounding = camera.gain * camera.gain / 12.0;
        const double read = camera.readNoise * camera.readNoise + rounding;
        const double rate = camera.darkRate[i];
        const double own = electrons * camera.response[i] + kSeconds * rate + read;
        double under = (kSeconds * rate + read) / kDarks;
        if (way == Way::ScaledDark) {
            const double k = kSeconds / darkSeconds;
            under = k * k * (darkSeconds * rate + read) / kDarks +
                    (1.0 - k) * (1.0 - k) * read / kBiases;
        }
        const double flatElectrons = kFlatLevel * camera.response[i];
        const double underFlat =
            way == Way::FlatDarks ? (read + 4.0 * rate) / 12.0 : read / kBiases;
        const double flat =
            ((flatElectrons + read) / kFlats + underFlat) / (flatElectrons * flatElectrons);
        return (own + under) / (camera.response[i] * camera.response[i]) +
               electrons * electrons * flat;
    }

    /// What a flat calls 1: the response where the camera loses least, by the medians of 24 x 24 cells.
    static double fullResponse(const ToyCamera& camera) {
        std::vector<double> medians;
        for (int cell = 0; cell < 24 * 24; ++cell) {
            std::vector<double> values;
            for (int y = cell / 24 * kSide / 24; y < (cell / 24 + 1) * kSide / 24; ++y) {
                for (int x = cell % 24 * kSide / 24; x < (cell % 24 + 1) * kSide / 24; ++x) {
                    values.push_back(camera.response[static_cast<std::size_t>(y * kSide + x)]);
                }
            }
            medians.push_back(medianInPlace(std::span(values)));
        }
        std::sort(medians.begin(), medians.end());
        return medians[medians.size() * 95 / 100];
    }

    static void judge(const ToyCamera& camera,
                      Way way,
                      double darkSeconds,
                      const CalibratedFrame& frame,
                      Outcome& outcome) {
        const double full = fullResponse(camera);

        struct Pixel {
            double truth, error, stated;
        };

        std::vector<Pixel> pixels;
        double squares = 0.0;
        double expected = 0.0;
        for (int y = 0; y < kSide; ++y) {
            for (int x = 0; x < kSide; ++x) {
                const std::size_t i = frame.image.index(x, y);
                const double truth = scene(x, y) * full;
                const double error = static_cast<double>(frame.image.pixels()[i]) - truth;
                if (!std::isfinite(error)) {
                    continue;
                }
                squares += error * error;
                expected +=
                    full * full * expectedVariance(camera, i, scene(x, y), way, darkSeconds);
                pixels.push_back({truth, error, static_cast<double>(frame.variance.pixels()[i])});
            }
        }
        outcome.errorOverNoise = std::sqrt(squares / expected);
        std::vector<double> faint;
        std::sort(pixels.begin(), pixels.end(), [](const Pixel& a, const Pixel& b) {
            return a.truth < b.truth;
        });
        for (std::size_t d = 0; d < 10; ++d) {
            double scatter = 0.0;
            double stated = 0.0;
            for (std::size_t k = d * pixels.size() / 10; k < (d + 1) * pixels.size() / 10; ++k) {
                scatter += pixels[k].error * pixels[k].error;
                stated += pixels[k].stated;
                outcome.meanError +=
                    d < 5 ? pixels[k].error / (0.5 * static_cast<double>(pixels.size())) : 0.0;
            }
            outcome.varianceRatio[d] = scatter / stated;
        }
    }
};

/// Truth: the camera's own light without noise, and the noise that its values give by the law of propagation.
/// 262 144 pixels tell the ratio to 0.14 % and the mean of the fainter half to 0.04 electrons.
TEST_P(CalibratedTruthTest, ErrorIsThePropagatedNoise) {
    const Outcome outcome = run(GetParam());
    EXPECT_LE(outcome.errorOverNoise, GetParam() == Way::ScaledDark ? 1.05 : 1.02);
    EXPECT_GE(outcome.errorOverNoise, 0.97);
    EXPECT_LT(std::abs(outcome.meanError), 0.1);
    // The photons of the flats; a typical pixel sees a little less than the level.
    EXPECT_NEAR(outcome.flatError * std::sqrt(kFlats * kFlatLevel), 1.05, 0.08);
    for (const double ratio : outcome.varianceRatio) {
        EXPECT_NEAR(ratio, 1.0, 0.03);
    }
    RecordProperty("error_over_noise", std::to_string(outcome.errorOverNoise));
    RecordProperty("mean_error_e", std::to_string(outcome.meanError));
    const auto worst =
        std::max_element(outcome.varianceRatio.begin(),
                         outcome.varianceRatio.end(),
                         [](double a, double b) { return std::abs(a - 1.0) < std::abs(b - 1.0); });
    RecordProperty("worst_variance_ratio", std::to_string(*worst));
    if (GetParam() == Way::ScaledDark) {
        EXPECT_NEAR(outcome.scale.measured, kSeconds / 150.0, 3.5 * outcome.scale.error);
        EXPECT_LT(outcome.scale.error, 0.01);
        RecordProperty("dark_scale_measured", std::to_string(outcome.scale.measured));
    }
}

INSTANTIATE_TEST_SUITE_P(Ways,
                         CalibratedTruthTest,
                         testing::Values(Way::PlainDark, Way::FlatDarks, Way::ScaledDark));

/// A dark that is warmer than the lights has more current than its exposure says: the hot pixels tell.
/// Truth: twice the exposure at half the current; the ratio of exposures would be wrong by a factor two.
TEST(FitDarkScaleTest, FollowsTheHotPixelsAndNotTheClock) {
    const TemporaryFolder folder;
    ToyCamera camera(kSide, kSide, 7);
    const auto bias =
        buildMaster(camera.group(folder, frame::FrameKind::Bias, 9, 0.0, 0.0), {}, {});
    const auto dark =
        buildMaster(camera.group(folder, frame::FrameKind::Dark, 9, 100.0, 0.0), {}, {});
    ASSERT_TRUE(bias && dark);
    const frame::NoiseModel noise{camera.gain, camera.readNoise, 65535.0};
    for (double& rate : camera.darkRate) {
        rate *= 0.5;
    }
    const auto light = camera.expose(
        [](int x, int y) { return 300.0 + (x % 97 == 0 && y % 89 == 0 ? 20000.0 : 0.0); }, 100.0);
    const auto scale = fitDarkScale(light, 100.0, *bias, *dark, noise);
    EXPECT_TRUE(scale.fitted);
    EXPECT_NEAR(scale.scale, 0.5, 0.02);
    EXPECT_NEAR(scale.scale, 0.5, 4.0 * scale.error);
    // Without hot pixels there is nothing to go by, and the clock counts.
    Master even = *dark;

    even.image = bias->image;
    EXPECT_FALSE(fitDarkScale(light, 50.0, *bias, even, noise).fitted);
    EXPECT_DOUBLE_EQ(fitDarkScale(light, 50.0, *bias, even, noise).scale, 0.5);
}

/// Truth: the gain and read noise that the frames were made with.
TEST(MeasureNoiseTest, FindsGainAndReadNoise) {
    const TemporaryFolder folder;
    ToyCamera camera(kSide, kSide, 11);
    const auto flats = camera.group(folder, frame::FrameKind::Flat, 4, 2.0, 20000.0);
    const auto biases = camera.group(folder, frame::FrameKind::Bias, 4, 0.0, 0.0);
    const auto noise = measureNoise(flats, biases);
    ASSERT_TRUE(noise);
    EXPECT_NEAR(noise->electronsPerAdu, camera.gain, 0.02 * camera.gain);
    EXPECT_NEAR(noise->readNoiseElectrons, camera.readNoise, 0.03 * camera.readNoise);
    RecordProperty("gain", std::to_string(noise->electronsPerAdu));
    RecordProperty("read_noise", std::to_string(noise->readNoiseElectrons));
    EXPECT_TRUE(noiseDisagreements(*noise, 0.8, 4.5).empty());
    const auto sentences = noiseDisagreements(*noise, 1.6, 9.0);
    ASSERT_EQ(sentences.size(), 2U);
    EXPECT_NE(sentences[0].find("given as 1.600 e-/ADU"), std::string::npos) << sentences[0];
    EXPECT_NE(sentences[1].find("read noise is given as 9.00"), std::string::npos) << sentences[1];
}

TEST(MeasureNoiseTest, NeedsTwoOfEach) {
    const TemporaryFolder folder;
    ToyCamera camera(64, 64, 12);
    const auto flats = camera.group(folder, frame::FrameKind::Flat, 2, 2.0, 20000.0);
    const auto bias = camera.group(folder, frame::FrameKind::Bias, 1, 0.0, 0.0);
    EXPECT_EQ(measureNoise(flats, bias).error().id, ErrorId::CalibrateNoFrames);
}

} // namespace
} // namespace pathmark::calibrate
