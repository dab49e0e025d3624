#include "core/stack/resample_kernels.h"

#include "core/base/clones.h"

#include <algorithm>
#include <vector>

namespace pathmark::stack {
namespace {

constexpr double kLeastShare =
    0.6; ///< of a kernel, or of a pixel under drops, that must have values

using Weights = std::array<float, kRun>;

/// Where the pixels of a run lie in the frame: the first of N columns and rows, and the N weights of each.
template <int N>
struct Taps {
    std::array<int, kRun> x;
    std::array<int, kRun> y;
    std::array<Weights, N> wx;
    std::array<Weights, N> wy;
};

[[gnu::always_inline]] inline void cubicWeights(double from,
                                                double to,
                                                std::array<int, kRun>& first,
                                                std::array<Weights, 4>& weights) {
    const double step = (to - from) / kRun;
    for (int k = 0; k < kRun; ++k) {
        const auto i = static_cast<std::size_t>(k);
        const double place = from + k * step;
        const double whole = std::floor(place);
        const auto t = static_cast<float>(place - whole);
        const float t2 = t * t;
        const float t3 = t2 * t;
        first[i] = static_cast<int>(whole) - 1;
        weights[0][i] = -0.5F * t3 + t2 - 0.5F * t;
        weights[1][i] = 1.5F * t3 - 2.5F * t2 + 1.0F;
        weights[2][i] = -1.5F * t3 + 2.0F * t2 + 0.5F * t;
        weights[3][i] = 0.5F * t3 - 0.5F * t2;
    }
}

constexpr int kPhases = 4096; ///< places within a pixel that the sinc is tabled at: 0.0001 pixel

/// The six weights at each phase, their sum 1.
const std::vector<std::array<float, 6>>& sincTable() {
    static const std::vector<std::array<float, 6>> table = [] {
        std::vector<std::array<float, 6>> made(kPhases + 1);
        for (int p = 0; p <= kPhases; ++p) {
            std::array<double, 6> w{};
            double sum = 0.0;
            for (int i = 0; i < 6; ++i) {
                w[static_cast<std::size_t>(i)] =
                    kernelAt(Kernel::Lanczos3, i - 2 - static_cast<double>(p) / kPhases);
                sum += w[static_cast<std::size_t>(i)];
            }
            for (std::size_t i = 0; i < 6; ++i) {
                made[static_cast<std::size_t>(p)][i] = static_cast<float>(w[i] / sum);
            }
        }
        return made;
    }();
    return table;
}

inline void
sincWeights(double from, double to, std::array<int, kRun>& first, std::array<Weights, 6>& weights) {
    const auto& table = sincTable();
    const double step = (to - from) / kRun;
    for (std::size_t i = 0; i < kRun; ++i) {
        const double place = from + static_cast<double>(i) * step;
        const double whole = std::floor(place);
        const auto phase = static_cast<std::size_t>(std::lround((place - whole) * kPhases));
        first[i] = static_cast<int>(whole) - 2;
        for (std::size_t tap = 0; tap < 6; ++tap) {
            weights[tap][i] = table[phase][tap];
        }
    }
}

/// NaN in, NaN out: the careful way is taken for those.
template <int N>
[[gnu::always_inline]] inline void
sumTaps(const frame::Image& pixels, const Taps<N>& taps, std::span<float> out) {
    const int width = pixels.width();
    const int height = pixels.height();
    for (std::size_t k = 0; k < out.size(); ++k) {
        const int x = taps.x[k];
        const int y = taps.y[k];
        if (x < 0 || y < 0 || x + N > width || y + N > height) {
            out[k] = frame::kNoValue;
            continue;
        }
        const float* row = pixels.pixels().data() + static_cast<std::ptrdiff_t>(y) * width + x;
        float sum = 0.0F;
        for (std::size_t j = 0; j < N; ++j) {
            float line = 0.0F;
            for (std::size_t i = 0; i < N; ++i) {
                line += taps.wx[i][k] * row[i];
            }
            sum += taps.wy[j][k] * line;
            row += width;
        }
        out[k] = sum;
    }
}

PATHMARK_CLONES
void cubicRun(const frame::Image& pixels, const RunEnds& ends, std::span<float> out) {
    Taps<4> taps;
    cubicWeights(ends[0].x, ends[1].x, taps.x, taps.wx);
    cubicWeights(ends[0].y, ends[1].y, taps.y, taps.wy);
    sumTaps<4>(pixels, taps, out);
}

PATHMARK_CLONES
void sincRun(const frame::Image& pixels, const RunEnds& ends, std::span<float> out) {
    Taps<6> taps;
    sincWeights(ends[0].x, ends[1].x, taps.x, taps.wx);
    sincWeights(ends[0].y, ends[1].y, taps.y, taps.wy);
    sumTaps<6>(pixels, taps, out);
}

/// A convex polygon of up to eight corners.
struct Polygon {
    std::array<frame::PixelPos, 10> corners;
    int count = 0;

    void add(const frame::PixelPos& p) { corners[static_cast<std::size_t>(count++)] = p; }

    [[nodiscard]] double area() const {
        double twice = 0.0;
        for (int i = 0; i < count; ++i) {
            const auto& a = corners[static_cast<std::size_t>(i)];
            const auto& b = corners[static_cast<std::size_t>((i + 1) % count)];
            twice += a.x * b.y - a.y * b.x;
        }
        return 0.5 * std::abs(twice);
    }
};

/// What of a polygon lies where sign * coordinate <= sign * limit.
///
/// Source   Sutherland & Hodgman 1974, CACM 17, 32.
Polygon clipped(const Polygon& polygon, bool alongY, double limit, double sign) {
    Polygon result;
    const auto out = [&](const frame::PixelPos& p) {
        return sign * ((alongY ? p.y : p.x) - limit);
    };
    for (int i = 0; i < polygon.count; ++i) {
        const auto& a = polygon.corners[static_cast<std::size_t>(i)];
        const auto& b = polygon.corners[static_cast<std::size_t>((i + 1) % polygon.count)];
        const double da = out(a);
        const double db = out(b);
        if (da <= 0.0) {
            result.add(a);
        }
        if ((da < 0.0 && db > 0.0) || (da > 0.0 && db < 0.0)) {
            const double t = da / (da - db);
            result.add({a.x + t * (b.x - a.x), a.y + t * (b.y - a.y)});
        }
    }
    return result;
}

double sharedArea(const Polygon& pixel, double x, double y, double half) {
    const Polygon left = clipped(pixel, false, x + half, 1.0);
    const Polygon right = clipped(left, false, x - half, -1.0);
    const Polygon below = clipped(right, true, y + half, 1.0);
    return clipped(below, true, y - half, -1.0).area();
}

} // namespace

void interpolateRun(Kernel kernel,
                    const frame::Image& pixels,
                    const RunEnds& ends,
                    std::span<float> out) {
    kernel == Kernel::Cubic ? cubicRun(pixels, ends, out) : sincRun(pixels, ends, out);
}

float interpolateAround(Kernel kernel,
                        const frame::Image& pixels,
                        frame::PixelPos place,
                        double stretch) {
    const int nearX = static_cast<int>(std::lround(place.x));
    const int nearY = static_cast<int>(std::lround(place.y));
    if (!pixels.contains(nearX, nearY) || !std::isfinite(pixels.at(nearX, nearY))) {
        return frame::kNoValue;
    }
    const double reach = reachOf(kernel) * stretch;
    double all = 0.0;
    double used = 0.0;
    double sum = 0.0;
    for (int j = static_cast<int>(std::ceil(place.y - reach)); j <= place.y + reach; ++j) {
        const double wy = kernelAt(kernel, (j - place.y) / stretch);
        for (int i = static_cast<int>(std::ceil(place.x - reach)); i <= place.x + reach; ++i) {
            const double w = wy * kernelAt(kernel, (i - place.x) / stretch);
            all += w;
            if (pixels.contains(i, j) && std::isfinite(pixels.at(i, j))) {
                used += w;
                sum += w * static_cast<double>(pixels.at(i, j));
            }
        }
    }
    return used < kLeastShare * all ? frame::kNoValue : static_cast<float>(sum / used);
}

float meanUnderDrops(const frame::Image& pixels,
                     frame::PixelPos place,
                     const Slopes& slopes,
                     double drop) {
    Polygon pixel;
    for (const auto& [a, b] : {std::pair{-0.5, -0.5}, {0.5, -0.5}, {0.5, 0.5}, {-0.5, 0.5}}) {
        pixel.add({place.x + a * slopes.alongX.x + b * slopes.alongY.x,
                   place.y + a * slopes.alongX.y + b * slopes.alongY.y});
    }
    const double half = 0.5 * drop;
    const double reachX = 0.5 * (std::abs(slopes.alongX.x) + std::abs(slopes.alongY.x)) + half;
    const double reachY = 0.5 * (std::abs(slopes.alongX.y) + std::abs(slopes.alongY.y)) + half;
    double area = 0.0;
    double sum = 0.0;
    for (int j = static_cast<int>(std::ceil(place.y - reachY)); j <= place.y + reachY; ++j) {
        for (int i = static_cast<int>(std::ceil(place.x - reachX)); i <= place.x + reachX; ++i) {
            if (pixels.contains(i, j) && std::isfinite(pixels.at(i, j))) {
                const double shared = sharedArea(pixel, i, j, half);
                area += shared;
                sum += shared * static_cast<double>(pixels.at(i, j));
            }
        }
    }
    // Where pixels of the grid are small, many a drop falls beside one.
    const double usual = slopes.area() * drop * drop;
    return area < 0.25 * usual || area <= 0.0 ? frame::kNoValue : static_cast<float>(sum / area);
}

} // namespace pathmark::stack
