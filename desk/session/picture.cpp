#include "desk/session/picture.h"

#include "core/base/parallel.h"
#include "core/frame/fits_file.h"
#include "core/frame/open_frame.h"
#include "core/night/frame_picture.h"
#include "desk/shell/words.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <span>
#include <utility>

namespace pathmark::desk {
namespace {

constexpr int kSmallest = 400; ///< pixels of the longer side that no view goes below

/// The eight bits of a value, by table: a frame of 26 megapixels costs one look-up a pixel. Highlights, where they are told apart, go up
/// by as much with every octave above the high end of the range.
class Curve {
  public:
    Curve(const night::DisplayRange& range, Stretch stretch)
        : low_(range.low),
          factor_(kSteps / ((range.high - range.low) *
                            std::exp2(-0.4F * static_cast<float>(stretch.brightness)))) {
        // Steeper below where highlights take a part: the sky lies as high either way.
        const double softness = range.hasHighlights ? 12.0 : 8.0;
        const double top = range.hasHighlights ? 1.0 - kHighlights : 1.0;
        for (int i = 0; i <= kSteps; ++i) {
            const double t = static_cast<double>(i) / kSteps;
            set(i, top * std::asinh(softness * t) / std::asinh(softness));
        }
        for (int i = 1; i <= kOctaves * kOctaveSteps; ++i) {
            set(kSteps + i, top + (1.0 - top) * i / (kOctaves * kOctaveSteps));
        }
    }

    [[nodiscard]] uchar of(float value) const { return of(value, low_, factor_, table_.data()); }

    void row(std::span<const float> values, uchar* __restrict out) const {
        // Held apart from what is written, which the compiler could take for any of them.
        const float low = low_;
        const float factor = factor_;
        const uchar* table = table_.data();
        const float* in = values.data();
        for (std::size_t x = 0; x < values.size(); ++x) {
            out[x] = of(in[x], low, factor, table);
        }
    }

  private:
    static uchar of(float value, float low, float factor, const uchar* table) {
        constexpr auto steps = static_cast<float>(kSteps);
        const float v = (value - low) * factor;
        // NaN compares false and shows as the ground.
        const float bounded = v > 0.0F ? std::min(v, kMost * steps) : 0.0F;
        if (bounded <= steps) {
            return table[static_cast<int>(bounded)];
        }
        // The bits of a number above 1 count its octaves, and linear steps within one.
        const auto bits = std::bit_cast<std::uint32_t>(bounded * (1.0F / steps));
        return table[kSteps + static_cast<int>((bits - std::bit_cast<std::uint32_t>(1.0F)) >>
                                               kBitsBelowStep)];
    }

    void set(int place, double grey) {
        table_[static_cast<std::size_t>(place)] = static_cast<uchar>(std::lround(255.0 * grey));
    }

    static constexpr int kSteps = 4096;
    static constexpr double kHighlights = 0.2; ///< of the grey levels
    static constexpr int kOctaves = 6;
    static constexpr float kMost = 1 << kOctaves; ///< of the high end
    static constexpr int kStepBits = 6;
    static constexpr int kOctaveSteps = 1 << kStepBits;
    static constexpr int kBitsBelowStep = std::numeric_limits<float>::digits - 1 - kStepBits;
    float low_;
    float factor_;
    std::array<uchar, kSteps + kOctaves * kOctaveSteps + 1> table_{};
};

/// Calls for every row of an image of that size with the row of the picture that shows it: the first is the lowest.
template <class F>
void eachRow(const frame::Image& values, QImage& image, F row) {
    uchar* bits = image.bits(); // once: it is shared no more
    parallelFor(static_cast<std::size_t>(values.height()), [&](std::size_t y) {
        row(static_cast<int>(y),
            bits + static_cast<qsizetype>(values.height() - 1 - static_cast<int>(y)) *
                       image.bytesPerLine());
    });
}

QImage grey(const frame::Image& values, const Curve& curve) {
    QImage image(values.width(), values.height(), QImage::Format_Grayscale8);
    eachRow(values, image, [&](int y, uchar* out) { curve.row(values.row(y), out); });
    return image;
}

QImage coloured(const calibrate::ColourImage& colours, const Curve& curve) {
    QImage image(colours.red.width(), colours.red.height(), QImage::Format_RGB32);
    eachRow(colours.red, image, [&](int y, uchar* out) {
        auto* pixels = reinterpret_cast<QRgb*>(out); // NOLINT: rows of this format are of QRgb
        const auto red = colours.red.row(y);
        const auto green = colours.green.row(y);
        const auto blue = colours.blue.row(y);
        for (std::size_t x = 0; x < red.size(); ++x) {
            pixels[x] = qRgb(curve.of(red[x]), curve.of(green[x]), curve.of(blue[x]));
        }
    });
    return image;
}

bool isLarge(const QImage& image) {
    return std::max(image.width(), image.height()) > kSmallest;
}

std::shared_ptr<const Picture> pictureOf(night::ShownFrame frame,
                                         const night::LightRecord& light,
                                         const std::optional<stack::PixelGrid>& grid,
                                         Stretch stretch) {
    auto picture = std::make_shared<Picture>();
    picture->values = std::move(frame.values);
    picture->wcs = light.wcs;
    picture->grid = light.solved() ? grid : std::nullopt;
    picture->title = QString::fromStdString(light.raw.filename().string());
    makeDisplay(*picture, stretch, std::move(frame.colours));
    return picture;
}

QString nameOf(StackMap map) {
    switch (map) {
    case StackMap::Light: break;
    case StackMap::Noise: return Words::tr("noise");
    case StackMap::Coverage: return Words::tr("coverage");
    case StackMap::ClippedLow: return Words::tr("values clipped below");
    case StackMap::ClippedHigh: return Words::tr("values clipped above");
    }
    return {};
}

Result<frame::Image> valuesOf(frame::FitsReader& stack, StackMap map) {
    switch (map) {
    case StackMap::Light: return stack.image();
    case StackMap::Noise: break;
    case StackMap::Coverage: return stack.extension("COVERAGE");
    case StackMap::ClippedLow: return stack.extension("CLIPPED_LOW");
    case StackMap::ClippedHigh: return stack.extension("CLIPPED_HIGH");
    }
    auto noise = stack.extension("VARIANCE");
    if (noise) {
        for (float& value : noise->pixels()) {
            value = std::sqrt(value);
        }
    }
    return noise;
}

} // namespace

std::size_t Picture::bytes() const {
    auto bytes = values.pixels().size_bytes() + static_cast<std::size_t>(display.sizeInBytes());
    for (const QImage& image : reduced) {
        bytes += static_cast<std::size_t>(image.sizeInBytes());
    }
    return bytes;
}

QImage stretched(const frame::Image& values, Stretch stretch) {
    return stretched(values, stretch, night::displayRange(values));
}

QImage stretched(const frame::Image& values, Stretch stretch, const night::DisplayRange& range) {
    return grey(values, Curve(range, stretch));
}

void makeDisplay(Picture& picture,
                 Stretch stretch,
                 std::optional<calibrate::ColourImage> colours,
                 std::optional<night::DisplayRange> range) {
    const Curve curve(range ? *range : night::displayRange(picture.values), stretch);
    picture.reduced.clear();
    if (colours) {
        picture.display = coloured(*colours, curve);
        while (isLarge(picture.reduced.empty() ? picture.display : picture.reduced.back())) {
            colours = calibrate::ColourImage{night::halved(colours->red),
                                             night::halved(colours->green),
                                             night::halved(colours->blue)};
            picture.reduced.push_back(coloured(*colours, curve));
        }
        return;
    }
    picture.display = grey(picture.values, curve);
    const frame::Image* larger = &picture.values;
    frame::Image half;
    while (isLarge(picture.reduced.empty() ? picture.display : picture.reduced.back())) {
        half = night::halved(*larger);
        picture.reduced.push_back(grey(half, curve));
        larger = &half;
    }
}

Result<std::shared_ptr<const Picture>>
loadLight(const LightFile& file, const std::optional<stack::PixelGrid>& grid, Stretch stretch) {
    auto frame = night::calibratedPicture(file.light, file.pattern);
    if (!frame) {
        return fail(frame.error());
    }
    return pictureOf(std::move(*frame), file.light, grid, stretch);
}

Result<std::shared_ptr<const Picture>>
loadRaw(const LightFile& file, const std::optional<stack::PixelGrid>& grid, Stretch stretch) {
    auto frame = night::rawPicture(file.light, file.pattern);
    if (!frame) {
        return fail(frame.error());
    }
    auto picture =
        std::make_shared<Picture>(*pictureOf(std::move(*frame), file.light, grid, stretch));
    picture->title = Words::tr("%1, before calibration").arg(picture->title);
    return picture;
}

Result<std::shared_ptr<const Picture>> loadStack(const std::filesystem::path& path,
                                                 const QString& title,
                                                 const std::optional<stack::PixelGrid>& grid,
                                                 Stretch stretch,
                                                 StackMap map) {
    auto stack = frame::FitsReader::open(path);
    auto values = stack ? valuesOf(*stack, map) : Result<frame::Image>(fail(stack.error()));
    if (!values) {
        return fail(values.error());
    }
    const bool isLight = map == StackMap::Light;
    auto picture = std::make_shared<Picture>();
    picture->title = isLight ? title : Words::tr("%1: %2").arg(title, nameOf(map));
    picture->values = std::move(*values);
    if (auto wcs =
            frame::readWcs(stack->header(), picture->values.width(), picture->values.height())) {
        picture->wcs = *wcs;
        picture->grid = grid;
    }
    makeDisplay(*picture,
                stretch,
                std::nullopt,
                isLight ? std::nullopt : std::optional(night::wholeRange(picture->values)));
    return picture;
}

Result<std::shared_ptr<const Picture>> loadPair(const night::LightRecord& here,
                                                const night::LightRecord& other,
                                                night::PairPart part,
                                                const std::optional<stack::PixelGrid>& grid,
                                                Stretch stretch) {
    auto values = night::pairPicture(here, other, part);
    if (!values) {
        return fail(values.error());
    }
    auto picture = std::make_shared<Picture>();
    const QString own = QString::fromStdString(here.raw.filename().string());
    const QString there = QString::fromStdString(other.raw.filename().string());
    picture->title = part == night::PairPart::Other
                         ? Words::tr("%1 on the pixels of %2").arg(there, own)
                         : Words::tr("%1 and %2, added").arg(own, there);
    picture->values = std::move(*values);
    picture->wcs = here.wcs;
    picture->grid = grid;
    makeDisplay(*picture, stretch);
    return picture;
}

std::shared_ptr<const Picture> thenShown(const night::ThenPicture& then,
                                         const night::LightRecord& light,
                                         const std::optional<stack::PixelGrid>& grid,
                                         Stretch stretch,
                                         std::optional<night::DisplayRange> range) {
    auto picture = std::make_shared<Picture>();
    picture->title = QString::fromStdString(then.title);
    if (then.epoch) {
        const QString year = QString::fromStdString(toIso(*then.epoch, 0)).left(4);
        picture->title += picture->title.contains(year) ? QString() : " · " + year;
    }
    picture->values = then.values;
    picture->wcs = light.wcs;
    picture->grid = grid;
    makeDisplay(*picture, stretch, std::nullopt, range);
    return picture;
}

} // namespace pathmark::desk
