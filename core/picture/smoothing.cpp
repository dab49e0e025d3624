#include "core/picture/smoothing.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"

#include <algorithm>
#include <cmath>

namespace pathmark::picture {
namespace {

constexpr double kThreshold = 3.0; ///< sigma at a strength of 1
constexpr std::size_t kMostForNoise = 200000;

int mirrored(int k, int count) {
    k = k < 0 ? -k : k;
    k = k >= count ? 2 * (count - 1) - k : k;
    return std::clamp(k, 0, count - 1);
}

/// Smoothed by a cubic B-spline whose taps are `step` pixels apart, along both axes.
frame::Image smoother(const frame::Image& image, int step) {
    const int width = image.width();
    const int height = image.height();
    frame::Image across(width, height);
    parallelFor(static_cast<std::size_t>(height), [&](std::size_t row) {
        const auto in = image.row(static_cast<int>(row));
        const auto out = across.row(static_cast<int>(row));
        const auto tap = [&](int x) { return in[static_cast<std::size_t>(mirrored(x, width))]; };
        const auto edge = [&](int x) {
            out[static_cast<std::size_t>(x)] = 0.375F * tap(x) +
                                               0.25F * (tap(x - step) + tap(x + step)) +
                                               0.0625F * (tap(x - 2 * step) + tap(x + 2 * step));
        };
        const int inner = std::min(2 * step, width);
        const int last = std::max(inner, width - 2 * step);
        for (int x = 0; x < inner; ++x) {
            edge(x);
        }
        for (int x = inner; x < last; ++x) {
            const float* at = in.data() + x;
            out[static_cast<std::size_t>(x)] = 0.375F * at[0] + 0.25F * (at[-step] + at[step]) +
                                               0.0625F * (at[-2 * step] + at[2 * step]);
        }
        for (int x = last; x < width; ++x) {
            edge(x);
        }
    });
    frame::Image both(width, height);
    parallelFor(static_cast<std::size_t>(height), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        const auto at = [&](int v) { return across.row(mirrored(v, height)).data(); };
        const float* a = at(y - 2 * step);
        const float* b = at(y - step);
        const float* c = at(y);
        const float* d = at(y + step);
        const float* e = at(y + 2 * step);
        const auto out = both.row(y);
        for (std::size_t x = 0; x < out.size(); ++x) {
            out[x] = 0.375F * c[x] + 0.25F * (b[x] + d[x]) + 0.0625F * (a[x] + e[x]);
        }
    });
    return both;
}

frame::Image difference(const frame::Image& a, const frame::Image& b) {
    frame::Image result(a.width(), a.height());
    parallelFor(static_cast<std::size_t>(a.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (std::size_t x = 0; x < a.row(y).size(); ++x) {
            result.row(y)[x] = a.row(y)[x] - b.row(y)[x];
        }
    });
    return result;
}

/// Of the sky on a scale.
float skySigma(const frame::Image& detail) {
    const auto pixels = detail.pixels();
    const std::size_t step = std::max<std::size_t>(1, pixels.size() / kMostForNoise);
    std::vector<double> values;
    for (std::size_t k = 0; k < pixels.size(); k += step) {
        if (pixels[k] != 0.0F) { // where no frame is
            values.push_back(static_cast<double>(pixels[k]));
        }
    }
    return values.empty() ? 1.0F
                          : std::max(1e-12F, static_cast<float>(medianAndDeviation(values).sigma));
}

/// z^2 of each pixel: the mean of three by three.
frame::Image
squares(const frame::Image& detail, const frame::Image& smooth, float sigma, float photons) {
    const int width = detail.width();
    frame::Image result(width, detail.height());
    parallelFor(static_cast<std::size_t>(detail.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        std::vector<float> columns(static_cast<std::size_t>(width), 0.0F);
        for (int v = y - 1; v <= y + 1; ++v) {
            const auto in = detail.row(mirrored(v, detail.height()));
            for (std::size_t x = 0; x < columns.size(); ++x) {
                columns[x] += in[x] * in[x];
            }
        }
        const auto light = smooth.row(y);
        const auto out = result.row(y);
        for (int x = 0; x < width; ++x) {
            const auto k = static_cast<std::size_t>(x);
            const float sum = columns[static_cast<std::size_t>(mirrored(x - 1, width))] +
                              columns[k] +
                              columns[static_cast<std::size_t>(mirrored(x + 1, width))];
            out[k] = sum / (9.0F * sigma * sigma * (1.0F + photons * std::max(0.0F, light[k])));
        }
    });
    return result;
}

float limitOf(double strength) {
    return static_cast<float>(std::pow(kThreshold * strength, 4.0));
}

/// Adds what is kept of a detail.
void addKept(const frame::Image& detail,
             const frame::Image& square,
             float limit,
             frame::Image& to) {
    parallelFor(static_cast<std::size_t>(detail.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        const auto d = detail.row(y);
        const auto s = square.row(y);
        const auto out = to.row(y);
        for (std::size_t x = 0; x < out.size(); ++x) {
            const float z4 = s[x] * s[x];
            out[x] += d[x] * (z4 / (z4 + limit + 1e-30F));
        }
    });
}

double photonsOf(const PlaneNoise& noise, std::size_t plane) {
    const double sky = noise.noise[plane] * noise.noise[plane];
    return sky > 0.0 ? noise.lightVariance[plane] / sky : 0.0;
}

/// Calls `take(detail, square)` for every scale from the finest on; the smoothest is what is left.
template <class F>
frame::Image forScales(const frame::Image& plane, float photons, const F& take) {
    frame::Image smooth = plane;
    for (std::size_t j = 0; j < Smoothing::kScales; ++j) {
        frame::Image next = smoother(smooth, 1 << j);
        frame::Image detail = difference(smooth, next);
        frame::Image square = squares(detail, next, skySigma(detail), photons);
        take(std::move(detail), std::move(square));
        smooth = std::move(next);
    }
    return smooth;
}

} // namespace

Smoothing::Smoothing(const ColourPicture& light, const PlaneNoise& noise) : isGrey_(light.isGrey) {
    for (std::size_t c = 0; c < (isGrey_ ? 1U : 3U); ++c) {
        Plane plane;
        plane.smoothest =
            forScales(light.planes[c],
                      static_cast<float>(photonsOf(noise, c)),
                      [&](frame::Image detail, frame::Image square) {
                          plane.scales.push_back({std::move(detail), std::move(square)});
                      });
        planes_.push_back(std::move(plane));
    }
}

ColourPicture Smoothing::at(double strength) const {
    ColourPicture result;
    result.isGrey = isGrey_;
    for (std::size_t c = 0; c < planes_.size(); ++c) {
        result.planes[c] = planes_[c].smoothest;
        for (const Scale& scale : planes_[c].scales) {
            addKept(scale.detail, scale.square, limitOf(strength), result.planes[c]);
        }
    }
    if (isGrey_) {
        result.planes[1] = result.planes[2] = result.planes[0];
    }
    return result;
}

ColourPicture smoothed(const ColourPicture& light, const PlaneNoise& noise, double strength) {
    ColourPicture result;
    result.isGrey = light.isGrey;
    for (std::size_t c = 0; c < (light.isGrey ? 1U : 3U); ++c) {
        frame::Image kept(light.width(), light.height());
        const frame::Image smoothest =
            forScales(light.planes[c],
                      static_cast<float>(photonsOf(noise, c)),
                      [&](const frame::Image& detail, const frame::Image& square) {
                          addKept(detail, square, limitOf(strength), kept);
                      });
        for (std::size_t k = 0; k < kept.pixels().size(); ++k) {
            kept.pixels()[k] += smoothest.pixels()[k];
        }
        result.planes[c] = std::move(kept);
    }
    if (light.isGrey) {
        result.planes[1] = result.planes[2] = result.planes[0];
    }
    return result;
}

} // namespace pathmark::picture
