#pragma once

#include "core/calibrate/groups.h"
#include "core/frame/fits_file.h"
#include "tests/support/temporary_folder.h"

#include <cmath>
#include <functional>
#include <random>
#include <string>
#include <vector>

namespace pathmark::test_support {

/// A detector made for tests with the standard library's own Poisson and normal numbers; nothing of it is
/// shared with the code under test. Everything about it is known to the last digit.
class ToyCamera {
  public:
    explicit ToyCamera(int width, int height, std::uint32_t seed = 1)
        : width_(width), height_(height), random_(seed) {
        std::normal_distribution<double> normal(0.0, 1.0);
        std::uniform_real_distribution<double> uniform(0.0, 1.0);
        for (int y = 0; y < height; ++y) {
            for (int x = 0; x < width; ++x) {
                biasAdu.push_back(500.0 + 3.0 * (x % 7) + 4.0 * y / height);
                darkRate.push_back(uniform(random_) < 2e-3 ? 0.2 + 2.0 * uniform(random_) : 0.03);
                const double u = 2.0 * x / width - 1.0;
                const double v = 2.0 * y / height - 1.0;
                const double dust =
                    0.05 *
                    std::exp(
                        -0.5 *
                        std::pow((std::hypot(x - 0.3 * width, y - 0.6 * height) - 18.0) / 5.0, 2));
                response.push_back((1.0 - 0.12 * (u * u + v * v) - dust) *
                                   (1.0 + 0.01 * normal(random_)));
            }
        }
    }

    double gain = 0.8;      ///< electrons per ADU
    double readNoise = 4.5; ///< electrons
    std::vector<double> biasAdu;
    std::vector<double> darkRate; ///< electrons per second
    std::vector<double> response;

    /// A frame of `light(x, y)` electrons before the response.
    frame::Image expose(const std::function<double(int, int)>& light, double seconds) {
        std::normal_distribution<double> normal(0.0, 1.0);
        frame::Image image(width_, height_);
        for (int y = 0; y < height_; ++y) {
            for (int x = 0; x < width_; ++x) {
                const std::size_t i = image.index(x, y);
                const double mean = light(x, y) * response[i] + seconds * darkRate[i];
                std::poisson_distribution<int> photons(std::max(mean, 1e-12));
                const double electrons =
                    (mean > 0.0 ? photons(random_) : 0) + readNoise * normal(random_);
                image.at(x, y) = static_cast<float>(std::round(biasAdu[i] + electrons / gain));
            }
        }
        return image;
    }

    /// Writes frames alike into a folder, as a group.
    calibrate::FrameGroup group(const TemporaryFolder& folder,
                                frame::FrameKind kind,
                                int count,
                                double seconds,
                                double level,
                                const std::string& tag = "") {
        calibrate::FrameGroup result;
        for (int i = 0; i < count; ++i) {
            // Flats of a real night differ in level.
            const double electrons = level * (1.0 + 0.02 * (i % 5));
            const auto path =
                folder / (std::string(frame::name(kind)) + tag + std::to_string(i) + ".fits");
            const auto image = expose([&](int, int) { return electrons; }, seconds);
            if (!frame::writeFits(path, image, {}, frame::PixelType::UInt16)) {
                throw std::runtime_error("the test's folder cannot be written");
            }
            result.frames.push_back(describe(path, kind, seconds));
        }
        result.example = result.frames.front();
        return result;
    }

    [[nodiscard]] frame::FrameInfo
    describe(const std::filesystem::path& path, frame::FrameKind kind, double seconds) const {
        frame::FrameInfo info;
        info.path = path;
        info.kind = kind;
        info.width = width_;
        info.height = height_;
        info.exposureSeconds = seconds;
        info.exposureKnown = true;
        return info;
    }

    [[nodiscard]] int width() const { return width_; }

    [[nodiscard]] int height() const { return height_; }

  private:
    int width_;
    int height_;
    std::mt19937 random_;
};

} // namespace pathmark::test_support
