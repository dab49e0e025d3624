#include "desk/sky/picture_raster.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>

namespace pathmark::desk {
namespace {

constexpr int kBand = 32; ///< rows that a worker takes at once
constexpr int kBits = 16; ///< of the fraction of a pixel
constexpr std::int64_t kOne = std::int64_t{1} << kBits;

std::int64_t fixed(double value) {
    return static_cast<std::int64_t>(std::floor(value * static_cast<double>(kOne)));
}

std::uint32_t multiplied(std::uint32_t a, std::uint32_t b) {
    const auto part = [&](unsigned shift) {
        return ((a >> shift & 255U) * (b >> shift & 255U) + 127U) / 255U << shift;
    };
    return 0xFF000000U | part(16) | part(8) | part(0);
}

/// The colours of the eight bits of a grey picture.
std::array<std::uint32_t, 256> palette(QRgb tint) {
    std::array<std::uint32_t, 256> colours{};
    for (std::uint32_t v = 0; v < 256; ++v) {
        colours[v] = multiplied(0xFF000000U | v << 16U | v << 8U | v, tint);
    }
    return colours;
}

/// Between two colours, `part` of 256 of the way, each of the four bytes.
std::uint32_t between(std::uint32_t a, std::uint32_t b, std::uint32_t part) {
    const std::uint32_t odd = 0x00FF00FFU;
    const std::uint32_t half = 0x00800080U;
    const std::uint32_t low = ((a & odd) * (256U - part) + (b & odd) * part + half) >> 8U & odd;
    const std::uint32_t high =
        ((a >> 8U & odd) * (256U - part) + (b >> 8U & odd) * part + half) & ~odd;
    return low | high;
}

/// The pixels [first, last) of a row for which start + x step lies within [0, size).
void narrow(std::int64_t start, std::int64_t step, std::int64_t size, int& first, int& last) {
    if (step == 0) {
        if (start < 0 || start >= size) {
            last = first;
        }
        return;
    }
    // One pixel of care at either end: the loop's own sums decide.
    const double enter =
        static_cast<double>(step > 0 ? -start : size - 1 - start) / static_cast<double>(step);
    const double leave =
        static_cast<double>(step > 0 ? size - 1 - start : -start) / static_cast<double>(step);
    const double from =
        std::clamp(std::ceil(enter), static_cast<double>(first), static_cast<double>(last));
    const double to = std::clamp(std::floor(leave) + 1.0, from, static_cast<double>(last));
    first = static_cast<int>(from);
    last = static_cast<int>(to);
}

struct Row {
    std::int64_t u = 0; ///< of the first pixel, fixed point
    std::int64_t v = 0;
    std::int64_t du = 0;
    std::int64_t dv = 0;
};

// What is fetched from is handed over by value: nothing that is written can then be taken for it.
template <class Fetch>
void nearestRow(std::uint32_t* __restrict out, int first, int last, Row row, Fetch fetch) {
    std::int64_t u = row.u + first * row.du;
    std::int64_t v = row.v + first * row.dv;
    for (int x = first; x < last; ++x) {
        out[x] = fetch(u >> kBits, v >> kBits);
        u += row.du;
        v += row.dv;
    }
}

/// The weight of the next pixel in 256.
std::uint32_t weightOf(std::int64_t place) {
    return static_cast<std::uint32_t>(place >> (kBits - 8) & 255);
}

template <class Fetch>
void smoothRow(std::uint32_t* __restrict out,
               int first,
               int last,
               Row row,
               std::int64_t width,
               std::int64_t height,
               Fetch fetch) {
    // A pixel's value stands in its middle.
    std::int64_t u = row.u + first * row.du - kOne / 2;
    std::int64_t v = row.v + first * row.dv - kOne / 2;
    for (int x = first; x < last; ++x) {
        const std::int64_t i = u >> kBits;
        const std::int64_t j = v >> kBits;
        const std::int64_t i0 = std::max<std::int64_t>(i, 0);
        const std::int64_t j0 = std::max<std::int64_t>(j, 0);
        const std::int64_t i1 = std::min(i + 1, width - 1);
        const std::int64_t j1 = std::min(j + 1, height - 1);
        const std::uint32_t across = weightOf(u);
        out[x] = between(between(fetch(i0, j0), fetch(i1, j0), across),
                         between(fetch(i0, j1), fetch(i1, j1), across),
                         weightOf(v));
        u += row.du;
        v += row.dv;
    }
}

template <class Fetch>
void raster(QImage& screen,
            const QImage& picture,
            const QTransform& toPicture,
            const RasterLook& look,
            Fetch fetch) {
    const std::int64_t wide = static_cast<std::int64_t>(picture.width()) << kBits;
    const std::int64_t high = static_cast<std::int64_t>(picture.height()) << kBits;
    uchar* bits = screen.bits();
    const qsizetype line = screen.bytesPerLine();
    const int width = screen.width();
    const int height = screen.height();
    const auto bands = static_cast<std::size_t>((height + kBand - 1) / kBand);
    parallelFor(bands, [&](std::size_t band) {
        const int from = static_cast<int>(band) * kBand;
        for (int y = from; y < std::min(height, from + kBand); ++y) {
            auto* out = reinterpret_cast<std::uint32_t*>(bits + y * line); // NOLINT
            const QPointF start = toPicture.map(QPointF(0.5, y + 0.5));
            const Row row{
                fixed(start.x()), fixed(start.y()), fixed(toPicture.m11()), fixed(toPicture.m12())};
            int first = 0;
            int last = width;
            narrow(row.u, row.du, wide, first, last);
            narrow(row.v, row.dv, high, first, last);
            std::fill(out, out + first, look.ground);
            if (look.isSmooth) {
                smoothRow(out, first, last, row, picture.width(), picture.height(), fetch);
            } else {
                nearestRow(out, first, last, row, fetch);
            }
            std::fill(out + last, out + width, look.ground);
        }
    });
}

} // namespace

void rasterPicture(QImage& screen,
                   const QImage& picture,
                   const QTransform& toPicture,
                   const RasterLook& look) {
    const uchar* bits = picture.constBits();
    const std::int64_t line = picture.bytesPerLine();
    if (picture.format() == QImage::Format_Grayscale8) {
        const auto colours = palette(look.tint);
        const std::uint32_t* palette = colours.data();
        raster(screen, picture, toPicture, look, [=](std::int64_t x, std::int64_t y) {
            return palette[bits[y * line + x]];
        });
        return;
    }
    const auto* pixels = reinterpret_cast<const std::uint32_t*>(bits); // NOLINT: rows of QRgb
    const std::int64_t wide = line / 4;
    if ((look.tint & 0xFFFFFFU) == 0xFFFFFFU) {
        raster(screen, picture, toPicture, look, [=](std::int64_t x, std::int64_t y) {
            return pixels[y * wide + x];
        });
    } else {
        raster(screen,
               picture,
               toPicture,
               look,
               [=, tint = look.tint](std::int64_t x, std::int64_t y) {
                   return multiplied(pixels[y * wide + x], tint);
               });
    }
}

} // namespace pathmark::desk
