#include "core/calibrate/particle_hits.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/calibrate/apply_pixels.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>
#include <vector>

namespace pathmark::calibrate {
namespace {

constexpr int kEdge = 3;

struct Step {
    int dx, dy;
};

constexpr std::array<Step, 4> kDirections{Step{1, 0}, Step{0, 1}, Step{1, 1}, Step{1, -1}};

/// The pixels at a distance of kEdge that have a value.
struct Ring {
    std::array<float, 8 * kEdge> values;
    std::size_t count = 0;
};

/// The value that so many of a ring lie below, seven at most; quicker for a few than setting them apart.
float smallestButSome(const Ring& ring, std::size_t below) {
    std::array<float, 8> lowest;
    std::size_t kept = 0;
    for (std::size_t i = 0; i < ring.count; ++i) {
        const float v = ring.values[i];
        if (kept > below && v >= lowest[kept - 1]) {
            continue;
        }
        std::size_t k = kept > below ? kept - 1 : kept++;
        for (; k > 0 && lowest[k - 1] > v; --k) {
            lowest[k] = lowest[k - 1];
        }
        lowest[k] = v;
    }
    return lowest[below];
}

/// Tells hits from stars at one pixel.
class HitTest {
  public:
    HitTest(const frame::Image& image, const HitOptions& options)
        : image_(image), options_(options) {
        const double sigma = options.fwhmPixels / 2.3548;
        straight_ = std::exp(-0.5 / (sigma * sigma));
        slanted_ = std::exp(-1.0 / (sigma * sigma));
    }

    /// What any hit rises over some pair of its neighbours: isHit() in short, of the excess that it asks for at least.
    [[nodiscard]] Rise leastRise(double threshold, double noise) const {
        // Where the sky is darker than that of the whole frame, so is its noise.
        const double least = 0.85 * threshold * noise;
        return {static_cast<float>((1.0 - 0.5 * straight_) * least),
                static_cast<float>((1.0 - 0.5 * slanted_) * least)};
    }

    /// True where the pixel stands `threshold` sigma above its surroundings and is sharper than any star.
    [[nodiscard]] bool isHit(int x, int y, double threshold) const {
        const Ring ring = ringAround(x, y);
        if (!canStandAbove(ring, image_.at(x, y), threshold)) {
            return false;
        }
        // The lower quartile: on a bright star's slope the middle of the ring is no sky, and too high a sky makes
        // any slope look sharp. Too low a one only costs faint hits.
        const double sky =
            ring.count == 0 ? 0.0 : static_cast<double>(smallestButSome(ring, ring.count / 4));
        const double excess = static_cast<double>(image_.at(x, y)) - sky;
        const double noise = noiseOf(sky, excess);
        if (!(excess > threshold * noise)) {
            return false;
        }
        return std::any_of(kDirections.begin(), kDirections.end(), [&](const Step& step) {
            const double least = (step.dx != 0 && step.dy != 0 ? slanted_ : straight_) * excess;
            const double pair = 0.5 * (static_cast<double>(image_.at(x + step.dx, y + step.dy)) +
                                       static_cast<double>(image_.at(x - step.dx, y - step.dy))) -
                                sky;
            // Three sigma of the pair and of the pixel's own share, so that faint stars are safe.
            const double doubt =
                3.0 * std::hypot(noiseOf(sky, pair) / std::sqrt(2.0), least / excess * noise);
            return pair + doubt < 0.5 * least;
        });
    }

  private:
    [[nodiscard]] Ring ringAround(int x, int y) const {
        Ring ring;
        const auto add = [&](float v) {
            if (std::isfinite(v) && ring.count < ring.values.size()) {
                ring.values[ring.count++] = v;
            }
        };
        for (int d = -kEdge; d <= kEdge; ++d) {
            add(image_.at(x + d, y - kEdge));
            add(image_.at(x + d, y + kEdge));
            if (std::abs(d) != kEdge) {
                add(image_.at(x - kEdge, y + d));
                add(image_.at(x + kEdge, y + d));
            }
        }
        return ring;
    }

    /// False where the pixel cannot stand so far above the ring's lower quartile: its noise is that of all its light at least. Most
    /// of what rises over two of its neighbours ends here.
    [[nodiscard]] bool canStandAbove(const Ring& ring, float pixel, double threshold) const {
        const double light = std::max(0.0, static_cast<double>(pixel));
        const auto limit =
            static_cast<float>(static_cast<double>(pixel) - threshold * noiseOf(light, 0.0));
        std::size_t below = 0;
        for (std::size_t i = 0; i < ring.count; ++i) {
            below += ring.values[i] < limit ? 1 : 0;
        }
        return ring.count == 0 || below > ring.count / 4;
    }

    [[nodiscard]] double noiseOf(double sky, double excess) const {
        const double photons = std::max(sky, 0.0) + std::max(excess, 0.0);
        return std::sqrt(photons / options_.gain + options_.readNoise * options_.readNoise);
    }

    const frame::Image& image_;
    const HitOptions& options_;
    double straight_ = 0.0;
    double slanted_ = 0.0;
};

/// Anything that rises over a pair of its neighbours; a flat sky stops here.
std::vector<int> candidatesOf(const frame::Image& image, int y, Rise least) {
    const auto width = static_cast<std::size_t>(image.width());
    std::vector<unsigned char> sharp(width);
    markSharp(image.row(y - 1).data(),
              image.row(y).data(),
              image.row(y + 1).data(),
              width,
              least,
              sharp.data());
    std::vector<int> found;
    const auto* start = sharp.data() + kEdge;
    const auto* end = sharp.data() + width - kEdge;
    while (const void* next = std::memchr(start, 1, static_cast<std::size_t>(end - start))) {
        const auto* place = static_cast<const unsigned char*>(next);
        found.push_back(static_cast<int>(place - sharp.data()));
        start = place + 1;
        if (start >= end) {
            break;
        }
    }
    return found;
}

} // namespace

int maskParticleHits(frame::Image& image, const HitOptions& options) {
    if (options.fwhmPixels < 1.5 || image.width() < 2 * kEdge + 2 ||
        image.height() < 2 * kEdge + 2) {
        return 0;
    }
    std::vector<float> sample;
    for (std::size_t i = 0; i < image.pixels().size(); i += 101) {
        sample.push_back(image.pixels()[i]);
    }
    const RobustMoments sky = clippedMoments(sample);
    const double noise =
        std::sqrt(std::max(sky.centre, 0.0) / options.gain + options.readNoise * options.readNoise);
    const HitTest test(image, options);
    const Rise least = test.leastRise(options.threshold, noise);
    std::vector<std::vector<int>> hits(static_cast<std::size_t>(image.height()));
    parallelFor(hits.size(), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        if (y < kEdge || y + kEdge >= image.height()) {
            return;
        }
        for (const int x : candidatesOf(image, y, least)) {
            if (test.isHit(x, y, options.threshold)) {
                hits[row].push_back(x);
            }
        }
    });
    // What belongs to a hit: neighbours sharper than a star with a lower threshold.
    std::vector<std::pair<int, int>> all;
    for (std::size_t row = 0; row < hits.size(); ++row) {
        const int y = static_cast<int>(row);
        for (const int x : hits[row]) {
            all.emplace_back(x, y);
            for (int j = -1; j <= 1; ++j) {
                for (int i = -1; i <= 1; ++i) {
                    const bool inside = x + i >= kEdge && y + j >= kEdge &&
                                        x + i + kEdge < image.width() &&
                                        y + j + kEdge < image.height();
                    if ((i != 0 || j != 0) && inside && test.isHit(x + i, y + j, 3.0)) {
                        all.emplace_back(x + i, y + j);
                    }
                }
            }
        }
    }
    int masked = 0;
    for (const auto& [x, y] : all) {
        if (std::isfinite(image.at(x, y))) {
            image.at(x, y) = frame::kNoValue;
            ++masked;
        }
    }
    return masked;
}

int maskParticleHitsInMosaic(frame::Image& mosaic, const HitOptions& options) {
    HitOptions ofPlane = options;
    ofPlane.fwhmPixels = 0.5 * options.fwhmPixels;
    int masked = 0;
    for (int place = 0; place < 4; ++place) {
        const int x0 = place % 2;
        const int y0 = place / 2;
        frame::Image plane(mosaic.width() / 2, mosaic.height() / 2);
        for (int y = 0; y < plane.height(); ++y) {
            for (int x = 0; x < plane.width(); ++x) {
                plane.at(x, y) = mosaic.at(2 * x + x0, 2 * y + y0);
            }
        }
        masked += maskParticleHits(plane, ofPlane);
        for (int y = 0; y < plane.height(); ++y) {
            for (int x = 0; x < plane.width(); ++x) {
                mosaic.at(2 * x + x0, 2 * y + y0) = plane.at(x, y);
            }
        }
    }
    return masked;
}

} // namespace pathmark::calibrate
