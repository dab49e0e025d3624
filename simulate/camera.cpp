#include "simulate/camera.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>

namespace pathmark::simulate {
namespace {

struct DustRing {
    double x, y, radius, depth;
};

std::vector<DustRing> drawDust(const CameraScenario& camera, const NoiseHash& hash) {
    std::vector<DustRing> dust;
    for (std::uint64_t i = 0; i < 9; ++i) {
        dust.push_back({hash.uniform(i, 0) * camera.width,
                        hash.uniform(i, 1) * camera.height,
                        15.0 + 25.0 * hash.uniform(i, 2),
                        0.02 + 0.05 * hash.uniform(i, 3)});
    }
    return dust;
}

double ringDepth(const DustRing& ring, double x, double y) {
    const double r = std::hypot(x - ring.x, y - ring.y) / ring.radius;
    const double wall = (r - 0.7) / 0.22;
    return ring.depth * std::exp(-0.5 * wall * wall);
}

} // namespace

Detector makeDetector(const CameraScenario& camera, std::uint64_t seed) {
    const NoiseHash hash(seed);
    const NoiseHash columns = hash.child(1);
    const NoiseHash pixels = hash.child(2);
    const auto dust = drawDust(camera, hash.child(3));
    Detector d{frame::Image(camera.width, camera.height),
               frame::Image(camera.width, camera.height),
               frame::Image(camera.width, camera.height)};
    const double cx = 0.5 * camera.width + 20.0;
    const double cy = 0.5 * camera.height - 15.0;
    const double corner = std::hypot(cx, cy);
    parallelFor(static_cast<std::size_t>(camera.height), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (int x = 0; x < camera.width; ++x) {
            const std::uint64_t i = d.biasAdu.index(x, y);
            d.biasAdu.at(x, y) = static_cast<float>(
                camera.biasAdu + 2.0 * columns.normal(static_cast<std::uint64_t>(x)) +
                6.0 * y / camera.height);
            double dark = camera.darkElectronsPerSecond * (0.8 + 0.4 * x / camera.width);
            if (pixels.uniform(i, 0) < camera.hotShare) {
                dark += 0.5 * std::pow(100.0, pixels.uniform(i, 1));
            }
            d.darkPerSecond.at(x, y) = static_cast<float>(dark);
            const double r = std::hypot(x - cx, y - cy) / corner;
            double response = 1.0 - 0.22 * r * r - 0.06 * r * r * r * r;
            for (const DustRing& ring : dust) {
                response *= 1.0 - ringDepth(ring, x, y);
            }
            d.response.at(x, y) =
                static_cast<float>(response * (1.0 + 0.006 * pixels.normal(i + 7919)));
        }
    });
    return d;
}

frame::Image expose(const frame::Image& light,
                    const Detector& detector,
                    const CameraScenario& camera,
                    double seconds,
                    const NoiseHash& hash) {
    frame::Image adu(camera.width, camera.height);
    parallelFor(static_cast<std::size_t>(camera.height), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (int x = 0; x < camera.width; ++x) {
            const std::uint64_t i = adu.index(x, y);
            const double mean = static_cast<double>(light.at(x, y)) +
                                seconds * static_cast<double>(detector.darkPerSecond.at(x, y));
            const double electrons =
                hash.poisson(mean, i) + camera.readNoiseElectrons * hash.normal(i, 0);
            const double value =
                static_cast<double>(detector.biasAdu.at(x, y)) + electrons / camera.electronsPerAdu;
            adu.at(x, y) = static_cast<float>(
                camera.aduStep * std::clamp(std::round(value), 0.0, camera.saturationAdu));
        }
    });
    return adu;
}

int bayerColour(const CameraScenario& camera, int x, int y) {
    const int side = camera.bayer.size() == 36 ? 6 : 2;
    if (camera.bayer.size() != static_cast<std::size_t>(side * side)) {
        return 1;
    }
    const char letter = camera.bayer[static_cast<std::size_t>(y % side * side + x % side)];
    return letter == 'R' ? 0 : letter == 'B' ? 2 : 1;
}

} // namespace pathmark::simulate
