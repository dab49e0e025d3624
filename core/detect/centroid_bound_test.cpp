#include "core/detect/detect.h"

#include <Eigen/Dense>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>
#include <string>
#include <vector>

// The limit that the photons set. Frames are painted here, pixel by pixel, by a midpoint sum of a profile written out
// here; the bound is the Fisher information of that painting by differences. Nothing is shared with the fitter.

namespace pathmark::detect {
namespace {

constexpr double kSky = 400.0;
constexpr double kReadNoise = 6.0;

/// A Moffat profile by width, axis ratio and direction.
struct Profile {
    double fwhm, ratio, angle, beta;

    [[nodiscard]] double value(double x, double y) const {
        const double core = 0.5 * fwhm / std::sqrt(std::pow(2.0, 1.0 / beta) - 1.0);
        const double along = (x * std::cos(angle) + y * std::sin(angle)) / std::sqrt(ratio);
        const double across = (-x * std::sin(angle) + y * std::cos(angle)) * std::sqrt(ratio);
        return (beta - 1.0) / (std::numbers::pi * core * core) *
               std::pow(1.0 + (along * along + across * across) / (core * core), -beta);
    }

    /// Over the pixel whose middle is (dx, dy) away.
    [[nodiscard]] double share(double dx, double dy) const {
        const int n = std::hypot(dx, dy) > 1.5 * fwhm ? 3 : fwhm < 2.0 ? 7 : 5;
        double sum = 0.0;
        for (int j = 0; j < n; ++j) {
            for (int i = 0; i < n; ++i) {
                sum += value(dx + (i + 0.5) / n - 0.5, dy + (j + 0.5) / n - 0.5);
            }
        }
        return sum / (n * n);
    }
};

struct Star {
    double x, y, flux;
};

/// The bound on x and flux, place and flux free.
struct Bound {
    double x, flux;
};

Bound boundOf(const Profile& profile, double subX, double subY, double flux) {
    const int half = static_cast<int>(std::ceil(2.5 * profile.fwhm));
    const double h = 1e-3;
    Eigen::Matrix3d fisher = Eigen::Matrix3d::Zero();
    for (int j = -half; j <= half; ++j) {
        for (int i = -half; i <= half; ++i) {
            const double x = i - subX;
            const double y = j - subY;
            const double p = profile.share(x, y);
            const Eigen::Vector3d slope(
                flux * (profile.share(x - h, y) - profile.share(x + h, y)) / (2.0 * h),
                flux * (profile.share(x, y - h) - profile.share(x, y + h)) / (2.0 * h),
                p);
            fisher += slope * slope.transpose() / (kSky + kReadNoise * kReadNoise + flux * p);
        }
    }
    const Eigen::Matrix3d inverse = fisher.inverse();
    return {std::sqrt(inverse(0, 0)), std::sqrt(inverse(2, 2))};
}

/// The flux that has a signal-to-noise by the bound, by interpolation in a table.
class FluxForSnr {
  public:
    explicit FluxForSnr(const Profile& profile) {
        for (double log = 1.5; log < 7.0; log += 0.25) {
            const double flux = std::pow(10.0, log);
            table_.push_back({std::log10(flux / boundOf(profile, 0.0, 0.0, flux).flux), log});
        }
    }

    [[nodiscard]] double operator()(double snr) const {
        const double log = std::log10(snr);
        std::size_t i = 1;
        while (i + 1 < table_.size() && table_[i].first < log) {
            ++i;
        }
        const auto& [s0, f0] = table_[i - 1];
        const auto& [s1, f1] = table_[i];
        return std::pow(10.0, f0 + (f1 - f0) * (log - s0) / (s1 - s0));
    }

  private:
    std::vector<std::pair<double, double>> table_;
};

/// One star and what was found of it.
struct Outcome {
    double snr = 0.0;
    Bound bound{};
    double flux = 0.0;
    double dx = 0.0;
    double df = 0.0;
    double xError = 0.0;
    double fluxError = 0.0;
};

/// Pixels from star to star: far enough that wings do not lift the sky.
int spacingFor(const Profile& profile) {
    return std::max(36, static_cast<int>(9.0 * profile.fwhm));
}

/// A frame of stars with signal-to-noise from 5 to 1000, as many in each decade, and a detection of it.
std::vector<Outcome> tryFrame(const Profile& profile, int columns, int rows, std::uint32_t seed) {
    const int spacing = spacingFor(profile);
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> sub(-0.5, 0.5);
    std::uniform_real_distribution<double> logSnr(std::log10(5.0), 3.0);
    frame::Image image(columns * spacing, rows * spacing, static_cast<float>(kSky));
    const FluxForSnr fluxForSnr(profile);
    std::vector<Star> stars;
    std::vector<double> snrs;
    for (int r = 0; r < rows; ++r) {
        for (int c = 0; c < columns; ++c) {
            const double snr = std::pow(10.0, logSnr(random));
            const Star star{(c + 0.5) * spacing + sub(random),
                            (r + 0.5) * spacing + sub(random),
                            fluxForSnr(snr)};
            const int cx = static_cast<int>(std::lround(star.x));
            const int cy = static_cast<int>(std::lround(star.y));
            const int half = static_cast<int>(4.0 * profile.fwhm) + 2;
            for (int y = std::max(0, cy - half); y <= std::min(image.height() - 1, cy + half);
                 ++y) {
                for (int x = std::max(0, cx - half); x <= std::min(image.width() - 1, cx + half);
                     ++x) {
                    image.at(x, y) +=
                        static_cast<float>(star.flux * profile.share(x - star.x, y - star.y));
                }
            }
            stars.push_back(star);
            snrs.push_back(snr);
        }
    }
    std::normal_distribution<double> normal;
    for (float& v : image.pixels()) {
        v += static_cast<float>(std::sqrt(static_cast<double>(v) + kReadNoise * kReadNoise) *
                                normal(random));
    }
    DetectOptions options;
    options.threshold = 3.0; // below the S/N tested, so that the cut takes no part in the scatter
    const auto detection = detectSources(image, options);
    std::vector<Outcome> outcomes;
    for (std::size_t i = 0; detection && i < stars.size(); ++i) {
        const Star& star = stars[i];
        Outcome o;
        o.snr = snrs[i];
        o.flux = star.flux;
        o.bound =
            boundOf(profile, star.x - std::round(star.x), star.y - std::round(star.y), star.flux);
        for (const Source& s : detection->sources) {
            if (std::hypot(s.x - star.x, s.y - star.y) < 6.0 * o.bound.x + 0.1) {
                o.dx = s.x - star.x;
                o.df = s.flux - star.flux;
                o.xError = s.xError;
                o.fluxError = s.fluxError;
                outcomes.push_back(o);
                break;
            }
        }
    }
    return outcomes;
}

struct Summary {
    double position = 0.0; ///< rms in units of the bound
    double flux = 0.0;
    double positionChi = 0.0; ///< mean square in units of the stated error
    double fluxChi = 0.0;
    double bias = 0.0; ///< of x, weighted, pixels
    double biasError = 0.0;
};

/// `common`: share by which all fluxes of the frame are off; it goes into the zero point.
Summary summarize(const std::vector<Outcome>& outcomes, double common) {
    Summary s;
    double weights = 0.0;
    const auto n = static_cast<double>(outcomes.size());
    for (const Outcome& o : outcomes) {
        const double df = o.df - common * o.flux;
        s.position += o.dx * o.dx / (o.bound.x * o.bound.x) / n;
        s.flux += df * df / (o.bound.flux * o.bound.flux) / n;
        s.positionChi += o.dx * o.dx / (o.xError * o.xError) / n;
        s.fluxChi += df * df / (o.fluxError * o.fluxError) / n;
        const double weight = 1.0 / (o.bound.x * o.bound.x);
        s.bias += weight * o.dx;
        weights += weight;
    }
    s.bias /= weights;
    s.biasError = 1.0 / std::sqrt(weights);
    s.position = std::sqrt(s.position);
    s.flux = std::sqrt(s.flux);
    return s;
}

class CentroidBoundTest : public testing::TestWithParam<Profile> {};

/// 900 stars each, 10 800 in all, S/N 5 to 1000. An rms of 900 draws has a scatter of 2.4 %: two of these are allowed
/// on top of 1.05 here; the mean over all profiles is held to 1.05 by the numbers recorded (docs/numbers.md).
TEST_P(CentroidBoundTest, ScatterIsAtTheBound) {
    constexpr std::size_t painted = 900;
    const auto outcomes = tryFrame(GetParam(), 36, 25, 77);
    ASSERT_GT(outcomes.size(), painted * 96 / 100);
    double common = 0.0;
    double weights = 0.0;
    for (const Outcome& o : outcomes) {
        const double weight = o.flux * o.flux / (o.bound.flux * o.bound.flux);
        common += weight * o.df / o.flux;
        weights += weight;
    }
    common /= weights;
    const Summary all = summarize(outcomes, common);
    RecordProperty("position", std::to_string(all.position));
    RecordProperty("flux", std::to_string(all.flux));
    RecordProperty("bias", std::to_string(all.bias));
    RecordProperty("chi_position", std::to_string(all.positionChi));
    RecordProperty("chi_flux", std::to_string(all.fluxChi));
    RecordProperty("common", std::to_string(common));
    for (const auto& [low, high] :
         {std::pair{5.0, 8.0}, {8.0, 30.0}, {30.0, 200.0}, {200.0, 1000.0}}) {
        std::vector<Outcome> some;
        for (const Outcome& o : outcomes) {
            if (o.snr >= low && o.snr < high) {
                some.push_back(o);
            }
        }
        const Summary part = summarize(some, common);
        RecordProperty("from_" + std::to_string(static_cast<int>(low)),
                       std::to_string(part.position) + " " + std::to_string(part.flux));
    }
    EXPECT_LT(all.position, 1.05 * 1.05);
    EXPECT_LT(all.flux, 1.05 * 1.05);
    EXPECT_LT(std::abs(all.bias), 0.005 + 2.0 * all.biasError);
    EXPECT_NEAR(all.positionChi, 1.0, 0.12);
    EXPECT_NEAR(all.fluxChi, 1.0, 0.12);
    EXPECT_LT(std::abs(common), 0.02);
}

INSTANTIATE_TEST_SUITE_P(Stars,
                         CentroidBoundTest,
                         testing::Values(Profile{1.5, 1.0, 0.0, 3.0},
                                         Profile{1.5, 1.2, 0.3, 2.5},
                                         Profile{1.8, 1.0, 0.0, 4.0},
                                         Profile{2.2, 1.3, 2.6, 3.0},
                                         Profile{2.5, 1.0, 0.0, 2.5},
                                         Profile{2.5, 1.4, 0.6, 3.5},
                                         Profile{3.0, 1.5, 0.8, 3.0},
                                         Profile{3.5, 1.0, 0.0, 3.0},
                                         Profile{4.0, 1.0, 0.0, 4.5},
                                         Profile{4.0, 1.4, 2.0, 3.0},
                                         Profile{5.0, 1.0, 0.0, 3.0},
                                         Profile{6.0, 1.3, 1.0, 3.0}));

} // namespace
} // namespace pathmark::detect
