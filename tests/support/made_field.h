#pragma once

#include "core/catalog/star.h"
#include "core/detect/detect.h"
#include "simulate/optics.h"

#include <algorithm>
#include <cmath>
#include <random>
#include <vector>

namespace pathmark::test_support {

inline constexpr int kWidth = 1600;
inline constexpr int kHeight = 1200;

struct Scene {
    double rotation;
    bool mirrored;
    double scale;      ///< arcsec per pixel
    double distortion; ///< pixels at the corner
    double hintError;  ///< degrees
    double missing;    ///< share of stars that are not detected
    double spurious;   ///< spurious sources per true one
};

/// Stars over three degrees and a frame in their middle, placed by the simulator's vector optics, which shares no
/// code with the program's projection.
struct MadeField {
    std::vector<catalog::StarRow> rows;
    detect::Detection detection;
    simulate::Optics optics;

    MadeField(const Scene& scene, std::uint32_t seed)
        : detection{
              detect::Background(frame::Image(64, 64, 100.0F)),
              detect::PointSpreadField(
                  {detect::MoffatForm::of(detect::Moffat::round(2.5, 3.0)), 0.0, 0.0, 1, 1, {}}),
              {},
              2.5,
              1.0} {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> offset(-1.5, 1.5);
        std::uniform_real_distribution<double> share(0.0, 1.0);
        std::normal_distribution<double> noise(0.0, 0.05);
        optics.axis = simulate::unitVector(150.0, 20.0);
        optics.arcsecPerPixel = scene.scale;
        optics.rotationDegrees = scene.rotation;
        optics.mirrored = scene.mirrored;
        optics.middleX = 0.5 * (kWidth - 1);
        optics.middleY = 0.5 * (kHeight - 1);
        optics.cubic = scene.distortion / std::pow(1000.0, 3.0);
        int trueSources = 0;
        for (int i = 0; i < 9000; ++i) {
            catalog::StarRow row;
            row.sourceId = i;
            row.decDegrees = 20.0 + offset(random);
            row.raDegrees = 150.0 + offset(random) / std::cos(row.decDegrees * kRadiansPerDegree);
            row.magG = static_cast<float>(19.0 + std::log10(share(random)) / 0.3);
            row.magBp = row.magG + 0.4F;
            row.magRp = row.magG - 0.4F;
            rows.push_back(row);
            const auto p = optics.place(simulate::unitVector(row.raDegrees, row.decDegrees));
            if (p && p->x > 3.0 && p->y > 3.0 && p->x < kWidth - 3 && p->y < kHeight - 3 &&
                share(random) > scene.missing) {
                add(p->x + noise(random), p->y + noise(random), static_cast<double>(row.magG));
                ++trueSources;
            }
        }
        for (int i = 0; i < static_cast<int>(scene.spurious * trueSources); ++i) {
            add(share(random) * kWidth, share(random) * kHeight, 12.0 + 6.0 * share(random));
        }
        std::sort(detection.sources.begin(),
                  detection.sources.end(),
                  [](const auto& a, const auto& b) { return a.flux > b.flux; });
    }

    void add(double x, double y, double magnitude) {
        detect::Source s;
        s.x = x;
        s.y = y;
        s.xError = 0.05;
        s.yError = 0.05;
        s.flux = std::pow(10.0, 0.4 * (25.0 - magnitude));
        s.snr = 100.0;
        s.fwhm = 2.5;
        detection.sources.push_back(s);
    }
};

} // namespace pathmark::test_support
