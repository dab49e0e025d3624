#include "core/stack/resample_kernels.h"

#include "core/base/clones.h"

#include <algorithm>
#include <cstring>
#include <numbers>

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

/// sin(pi v / 3) / v for v from 0 to 1, to a part in 10^7.
[[gnu::always_inline]] inline float sineOverPlace(float v) {
    constexpr float third = std::numbers::pi_v<float> / 3.0F;
    const float z = third * third * v * v;
    return third * (1.0F + z * (-1.0F / 6.0F + z * (1.0F / 120.0F + z * (-1.0F / 5040.0F +
                                                                         z * (1.0F / 362880.0F)))));
}

/// The weights of the windowed sinc, their sum 1. With t the place after the third of its pixels and u = 1 - t, each is
/// sin(pi x) sin(pi x / 3) / x^2 at x = t + 2 to t - 3; the first sine is the same for all but its sign, so it falls out, and with
/// t u as a common factor nothing is divided by nought.
[[gnu::always_inline]] inline void
sincWeights(double from, double to, std::array<int, kRun>& first, std::array<Weights, 6>& weights) {
    const double step = (to - from) / kRun;
    for (int k = 0; k < kRun; ++k) {
        const auto i = static_cast<std::size_t>(k);
        const double place = from + k * step;
        const double whole = std::floor(place);
        first[i] = static_cast<int>(whole) - 2;
        const auto t = static_cast<float>(place - whole);
        const float u = 1.0F - t;
        const float pt = sineOverPlace(t);
        const float pu = sineOverPlace(u);
        // sin(pi (1 + t) / 3), which is even about t = 1/2.
        constexpr float sixth = std::numbers::pi_v<float> / 6.0F;
        const float z = sixth * sixth * (t - u) * (t - u);
        const float q =
            1.0F + z * (-0.5F + z * (1.0F / 24.0F + z * (-1.0F / 720.0F + z * (1.0F / 40320.0F))));
        const float tu = t * u;
        const float w0 = tu * u * pu / ((2.0F + t) * (2.0F + t));
        const float w1 = -tu * q / ((1.0F + t) * (1.0F + t));
        const float w2 = u * pt;
        const float w3 = t * pu;
        const float w4 = -tu * q / ((1.0F + u) * (1.0F + u));
        const float w5 = tu * t * pt / ((2.0F + u) * (2.0F + u));
        const float scale = 1.0F / (w0 + w1 + w2 + w3 + w4 + w5);
        weights[0][i] = scale * w0;
        weights[1][i] = scale * w1;
        weights[2][i] = scale * w2;
        weights[3][i] = scale * w3;
        weights[4][i] = scale * w4;
        weights[5][i] = scale * w5;
    }
}

/// All lanes as one value of the processor, or as many as it takes: left to itself the compiler shuffles these sums to pieces.
using Lanes = float __attribute__((vector_size(sizeof(float) * kRun)));

[[gnu::always_inline]] inline void load(const float* from, Lanes& to) {
    std::memcpy(&to, from, sizeof to);
}

/// The sums of all lanes as if their pixels followed each other from `first` on.
template <int N>
[[gnu::always_inline]] inline void
sumBeside(const float* first, std::ptrdiff_t width, const Taps<N>& taps, Weights& sums) {
    std::array<Lanes, N> across;
    for (std::size_t i = 0; i < N; ++i) {
        load(taps.wx[i].data(), across[i]);
    }
    Lanes sum{};
    for (std::size_t j = 0; j < N; ++j) {
        const float* row = first + static_cast<std::ptrdiff_t>(j) * width;
        Lanes line{};
        for (std::size_t i = 0; i < N; ++i) {
            Lanes pixels;
            load(row + i, pixels);
            line += across[i] * pixels;
        }
        Lanes along;
        load(taps.wy[j].data(), along);
        sum += along * line;
    }
    std::memcpy(sums.data(), &sum, sizeof sum);
}

template <int N>
float sumOne(const float* first, std::ptrdiff_t width, const Taps<N>& taps, std::size_t k) {
    float sum = 0.0F;
    for (std::size_t j = 0; j < N; ++j) {
        float line = 0.0F;
        for (std::size_t i = 0; i < N; ++i) {
            line += taps.wx[i][k] * first[i];
        }
        sum += taps.wy[j][k] * line;
        first += width;
    }
    return sum;
}

/// How many lanes from k on have the next pixel of the same row.
template <int N>
[[gnu::always_inline]] inline std::size_t sideBySide(const Taps<N>& taps, std::size_t k) {
    bool all = k == 0;
    for (int i = 0; i < kRun; ++i) {
        const auto lane = static_cast<std::size_t>(i);
        all &= taps.x[lane] - taps.x[0] == i && taps.y[lane] == taps.y[0];
    }
    if (all) {
        return kRun;
    }
    std::size_t end = k + 1;
    while (end < kRun && taps.x[end] - taps.x[k] == static_cast<int>(end - k) &&
           taps.y[end] == taps.y[k]) {
        ++end;
    }
    return end - k;
}

constexpr std::size_t kFewLanes = 3; ///< up to which one by one is quicker

/// NaN in, NaN out: the careful way is taken for those.
template <int N>
[[gnu::always_inline]] inline void
sumTaps(const frame::Image& pixels, const Taps<N>& taps, Weights& out) {
    const int width = pixels.width();
    const int height = pixels.height();
    const float* const origin = pixels.pixels().data();
    for (std::size_t k = 0; k < kRun;) {
        const std::size_t count = sideBySide<N>(taps, k);
        const int y = taps.y[k];
        const int base = taps.x[k] - static_cast<int>(k);
        const bool isInside = y >= 0 && y + N <= height;
        const std::ptrdiff_t row = static_cast<std::ptrdiff_t>(y) * width;
        if (isInside && count > kFewLanes && base >= 0 && base + kRun - 1 + N <= width) {
            Weights sums;
            sumBeside<N>(origin + row + base, width, taps, sums);
            for (std::size_t i = k; i < k + count; ++i) {
                out[i] = sums[i];
            }
        } else {
            for (std::size_t i = k; i < k + count; ++i) {
                const int x = taps.x[i];
                out[i] = isInside && x >= 0 && x + N <= width
                             ? sumOne<N>(origin + row + x, width, taps, i)
                             : frame::kNoValue;
            }
        }
        k += count;
    }
}

PATHMARK_CLONES
void cubicRun(const frame::Image& pixels, const RunEnds& ends, Weights& out) {
    Taps<4> taps;
    cubicWeights(ends[0].x, ends[1].x, taps.x, taps.wx);
    cubicWeights(ends[0].y, ends[1].y, taps.y, taps.wy);
    sumTaps<4>(pixels, taps, out);
}

PATHMARK_CLONES
void sincRun(const frame::Image& pixels, const RunEnds& ends, Weights& out) {
    Taps<6> taps;
    sincWeights(ends[0].x, ends[1].x, taps.x, taps.wx);
    sincWeights(ends[0].y, ends[1].y, taps.y, taps.wy);
    sumTaps<6>(pixels, taps, out);
}

/// Multiplies values on their way out; false where one of them is none.
PATHMARK_CLONES
bool scaledInto(const Weights& values, float factor, std::span<float> out) {
    Weights scaled;
    int finite = 0;
    for (std::size_t k = 0; k < kRun; ++k) {
        scaled[k] = factor * values[k];
        finite += std::isfinite(values[k]) ? 1 : 0;
    }
    std::copy_n(scaled.begin(), out.size(), out.begin());
    return finite == kRun;
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

bool interpolateRun(Kernel kernel,
                    const frame::Image& pixels,
                    const RunEnds& ends,
                    float factor,
                    std::span<float> out) {
    Weights values;
    // In the order of the frame's pixels, which lie the other way round in a turned one.
    const bool isReversed = ends[1].x < ends[0].x;
    const auto last = [](double from, double to) { return from + (to - from) * (kRun - 1) / kRun; };
    const auto before = [](double from, double to) { return from - (to - from) / kRun; };
    const auto& [a, b] = ends;
    const RunEnds along = isReversed ? RunEnds{frame::PixelPos{last(a.x, b.x), last(a.y, b.y)},
                                               frame::PixelPos{before(a.x, b.x), before(a.y, b.y)}}
                                     : ends;
    kernel == Kernel::Cubic ? cubicRun(pixels, along, values) : sincRun(pixels, along, values);
    if (isReversed) {
        std::reverse(values.begin(), values.end());
    }
    return scaledInto(values, factor, out);
}

PATHMARK_CLONES
void subtractLevels(std::span<const float> nodes, std::span<float> row) {
    for (std::size_t first = 0; first < row.size(); first += kRun) {
        const float from = nodes[first / kRun];
        const float step = (nodes[first / kRun + 1] - from) / kRun;
        float* const out = row.data() + first;
        const int count = static_cast<int>(std::min<std::size_t>(kRun, row.size() - first));
        for (int k = 0; k < count; ++k) {
            out[k] -= from + static_cast<float>(k) * step;
        }
    }
}

PATHMARK_CLONES
std::size_t countFinite(std::span<const float> values) {
    std::size_t count = 0;
    for (std::size_t first = 0; first < values.size(); first += 4096) {
        const std::size_t end = std::min(values.size(), first + 4096);
        int some = 0;
        for (std::size_t i = first; i < end; ++i) {
            some += std::isfinite(values[i]) ? 1 : 0;
        }
        count += static_cast<std::size_t>(some);
    }
    return count;
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
