#include "core/stack/resample_kernels.h"

#include "core/base/clones.h"

#include <algorithm>
#include <cstring>
#include <numbers>

namespace pathmark::stack {
namespace {

constexpr double kLeastShare =
    0.6; ///< of a kernel, or of a pixel under drops, that must have values

using Values = std::array<float, kRun>;

/// All lanes as one value of the processor, or as many as it takes: left to itself the compiler shuffles sums over a run to pieces.
using Lanes = float __attribute__((vector_size(sizeof(float) * kRun)));

[[gnu::always_inline]] inline void load(const float* from, Lanes& to) {
    std::memcpy(&to, from, sizeof to);
}

/// The weights of four pixels at t past the second of them. V: float or Lanes.
template <class V>
[[gnu::always_inline]] inline void weightsAt(const V& t, std::array<V, 4>& w) {
    const V t2 = t * t;
    const V t3 = t2 * t;
    w[0] = -0.5F * t3 + t2 - 0.5F * t;
    w[1] = 1.5F * t3 - 2.5F * t2 + 1.0F;
    w[2] = -1.5F * t3 + 2.0F * t2 + 0.5F * t;
    w[3] = 0.5F * t3 - 0.5F * t2;
}

/// sin(pi v / 3) / v for v from 0 to 1, to a part in 10^7.
template <class V>
[[gnu::always_inline]] inline void sineOverPlace(const V& v, V& sine) {
    constexpr float third = std::numbers::pi_v<float> / 3.0F;
    const V z = third * third * v * v;
    sine =
        third * (1.0F + z * (-1.0F / 6.0F +
                             z * (1.0F / 120.0F + z * (-1.0F / 5040.0F + z * (1.0F / 362880.0F)))));
}

/// The weights of six pixels at t past the third of them, their sum 1. Those of the windowed sinc are sin(pi x) sin(pi x / 3) / x^2 at
/// x = t + 2 to t - 3. The first sine is the same for all but its sign, so it falls out; with t (1 - t) as a common factor nothing is
/// divided by nought.
template <class V>
[[gnu::always_inline]] inline void weightsAt(const V& t, std::array<V, 6>& w) {
    const V u = 1.0F - t;
    V st;
    V su;
    sineOverPlace(t, st);
    sineOverPlace(u, su);
    // sin(pi (1 + t) / 3), which is even about t = 1/2.
    constexpr float sixth = std::numbers::pi_v<float> / 6.0F;
    const V z = sixth * sixth * (t - u) * (t - u);
    const V middle =
        1.0F + z * (-0.5F + z * (1.0F / 24.0F + z * (-1.0F / 720.0F + z * (1.0F / 40320.0F))));
    const V tu = t * u;
    w[0] = tu * u * su / ((2.0F + t) * (2.0F + t));
    w[1] = -tu * middle / ((1.0F + t) * (1.0F + t));
    w[2] = u * st;
    w[3] = t * su;
    w[4] = -tu * middle / ((1.0F + u) * (1.0F + u));
    w[5] = tu * t * st / ((2.0F + u) * (2.0F + u));
    const V scale = 1.0F / (w[0] + w[1] + w[2] + w[3] + w[4] + w[5]);
    for (V& one : w) {
        one *= scale;
    }
}

/// Where the places of a run lie along one axis of the frame: `pixel` + k + part(k), or without the k.
struct Axis {
    double from = 0.0;
    double step = 0.0;

    Axis(double begin, double end) : from(begin), step((end - begin) / kRun) {}

    [[nodiscard]] double at(std::size_t k) const { return from + static_cast<double>(k) * step; }

    /// The pixel before place k.
    [[nodiscard]] int pixel(std::size_t k) const { return static_cast<int>(std::floor(at(k))); }

    /// The parts of a pixel that the places are past `pixel`, or past the next one at each lane with `moves` 1.
    [[gnu::always_inline]] void parts(int pixel, double moves, Lanes& out) const {
        const auto first = static_cast<float>(from - pixel);
        const auto more = static_cast<float>(step - moves);
        for (int k = 0; k < kRun; ++k) {
            out[k] = first + static_cast<float>(k) * more;
        }
    }
};

/// The values of a run whose pixels follow each other in one row, `first` being the kernel's first at the first lane.
template <std::size_t N>
[[gnu::always_inline]] inline void
sumBeside(const float* first, std::ptrdiff_t width, const Lanes& tx, const Lanes& ty, Lanes& sum) {
    std::array<Lanes, N> across;
    std::array<Lanes, N> along;
    weightsAt(tx, across);
    weightsAt(ty, along);
    sum = Lanes{};
    for (std::size_t j = 0; j < N; ++j) {
        const float* row = first + static_cast<std::ptrdiff_t>(j) * width;
        Lanes line{};
        for (std::size_t i = 0; i < N; ++i) {
            Lanes pixels;
            load(row + i, pixels);
            line += across[i] * pixels;
        }
        sum += along[j] * line;
    }
}

template <std::size_t N>
float sumOne(const frame::Image& pixels, double x, double y) {
    constexpr int before = static_cast<int>(N) / 2 - 1;
    const double wholeX = std::floor(x);
    const double wholeY = std::floor(y);
    const int x0 = static_cast<int>(wholeX) - before;
    const int y0 = static_cast<int>(wholeY) - before;
    constexpr int taps = static_cast<int>(N);
    if (x0 < 0 || y0 < 0 || x0 + taps > pixels.width() || y0 + taps > pixels.height()) {
        return frame::kNoValue;
    }
    std::array<float, N> across;
    std::array<float, N> along;
    weightsAt(static_cast<float>(x - wholeX), across);
    weightsAt(static_cast<float>(y - wholeY), along);
    const float* row = pixels.pixels().data() + pixels.index(x0, y0);
    float sum = 0.0F;
    for (std::size_t j = 0; j < N; ++j, row += pixels.width()) {
        float line = 0.0F;
        for (std::size_t i = 0; i < N; ++i) {
            line += across[i] * row[i];
        }
        sum += along[j] * line;
    }
    return sum;
}

/// How many places from k on have the next pixel of the same row.
[[gnu::always_inline]] inline std::size_t sideBySide(const Axis& x, const Axis& y, std::size_t k) {
    constexpr std::size_t last = kRun - 1;
    // The parts of a pixel grow or shrink evenly: where the last has the same, all have.
    const int shift = x.pixel(k) - static_cast<int>(k);
    const int row = y.pixel(k);
    if (x.pixel(last) - static_cast<int>(last) == shift && y.pixel(last) == row) {
        return kRun - k;
    }
    std::size_t end = k + 1;
    while (end < kRun && x.pixel(end) - static_cast<int>(end) == shift && y.pixel(end) == row) {
        ++end;
    }
    return end - k;
}

constexpr std::size_t kFewLanes = 3; ///< up to which one by one is quicker
constexpr double kNearlyOne =
    0.9 / kRun; ///< pixels that a run's step may differ from a pixel, to be taken side by side

/// The values of a run times a factor; false where one is none. NaN in, NaN out.
template <std::size_t N>
[[gnu::always_inline]] inline bool
sumRun(const frame::Image& pixels, const RunEnds& ends, float factor, Values& out) {
    const Axis x(ends[0].x, ends[1].x);
    const Axis y(ends[0].y, ends[1].y);
    constexpr int before = static_cast<int>(N) / 2 - 1;
    constexpr int taps = static_cast<int>(N);
    const bool isAlongRows = std::abs(x.step - 1.0) < kNearlyOne && std::abs(y.step) < kNearlyOne;
    for (std::size_t k = 0; k < kRun;) {
        const std::size_t count = isAlongRows ? sideBySide(x, y, k) : kRun;
        const int shift = x.pixel(k) - static_cast<int>(k);
        const int row = y.pixel(k);
        const int x0 = shift - before;
        const int y0 = row - before;
        if (isAlongRows && count > kFewLanes && x0 >= 0 && y0 >= 0 &&
            x0 + kRun - 1 + taps <= pixels.width() && y0 + taps <= pixels.height()) {
            Lanes tx;
            Lanes ty;
            Lanes sum;
            x.parts(shift, 1.0, tx);
            y.parts(row, 0.0, ty);
            sumBeside<N>(
                pixels.pixels().data() + pixels.index(x0, y0), pixels.width(), tx, ty, sum);
            sum *= factor;
            if (count == kRun) {
                std::memcpy(out.data(), &sum, sizeof sum);
            } else {
                for (std::size_t i = k; i < k + count; ++i) {
                    out[i] = sum[i];
                }
            }
        } else {
            for (std::size_t i = k; i < k + count; ++i) {
                out[i] = factor * sumOne<N>(pixels, x.at(i), y.at(i));
            }
        }
        k += count;
    }
    int finite = 0;
    for (const float v : out) {
        finite += v - v == 0.0F ? 1 : 0;
    }
    return finite == kRun;
}

PATHMARK_CLONES
bool cubicRun(const frame::Image& pixels, const RunEnds& ends, float factor, Values& out) {
    return sumRun<4>(pixels, ends, factor, out);
}

PATHMARK_CLONES
bool sincRun(const frame::Image& pixels, const RunEnds& ends, float factor, Values& out) {
    return sumRun<6>(pixels, ends, factor, out);
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
    Values values;
    // In the order of the frame's pixels, which lie the other way round in a turned one.
    const bool isReversed = ends[1].x < ends[0].x;
    const auto last = [](double from, double to) { return from + (to - from) * (kRun - 1) / kRun; };
    const auto before = [](double from, double to) { return from - (to - from) / kRun; };
    const auto& [a, b] = ends;
    const RunEnds along = isReversed ? RunEnds{frame::PixelPos{last(a.x, b.x), last(a.y, b.y)},
                                               frame::PixelPos{before(a.x, b.x), before(a.y, b.y)}}
                                     : ends;
    const bool isWhole = kernel == Kernel::Cubic ? cubicRun(pixels, along, factor, values)
                                                 : sincRun(pixels, along, factor, values);
    if (isReversed) {
        std::reverse_copy(
            values.end() - static_cast<std::ptrdiff_t>(out.size()), values.end(), out.begin());
    } else {
        std::copy_n(values.begin(), out.size(), out.begin());
    }
    return isWhole;
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
