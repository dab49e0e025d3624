#include "desk/session/picture.h"

#include "core/base/parallel.h"
#include "core/frame/open_frame.h"
#include "core/night/frame_picture.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kSmallest = 400; ///< pixels of the longer side that no view goes below

QImage stretched(const frame::Image& values, const night::DisplayRange& range, Stretch stretch) {
    const float span =
        (range.high - range.low) * std::exp2(-0.4F * static_cast<float>(stretch.brightness));
    // A table over the range, so that a frame of 26 megapixels costs one look-up a pixel.
    constexpr int steps = 4096;
    std::array<uchar, steps + 1> table{};
    for (int i = 0; i <= steps; ++i) {
        const double t = static_cast<double>(i) / steps;
        table[static_cast<std::size_t>(i)] =
            static_cast<uchar>(std::lround(255.0 * std::asinh(8.0 * t) / std::asinh(8.0)));
    }
    QImage image(values.width(), values.height(), QImage::Format_Grayscale8);
    const float factor = static_cast<float>(steps) / span;
    parallelFor(static_cast<std::size_t>(values.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        const auto in = values.row(y);
        uchar* out =
            image.bits() + static_cast<qsizetype>(values.height() - 1 - y) * image.bytesPerLine();
        for (std::size_t x = 0; x < in.size(); ++x) {
            const float v = (in[x] - range.low) * factor;
            // NaN compares false and shows as the ground.
            out[x] = v > 0.0F
                         ? table[static_cast<std::size_t>(std::min(v, static_cast<float>(steps)))]
                         : 0;
        }
    });
    return image;
}

} // namespace

QImage stretched(const frame::Image& values, Stretch stretch) {
    return stretched(values, night::displayRange(values), stretch);
}

void makeDisplay(Picture& picture, Stretch stretch) {
    const night::DisplayRange range = night::displayRange(picture.values);
    picture.display = stretched(picture.values, range, stretch);
    picture.reduced.clear();
    const frame::Image* larger = &picture.values;
    frame::Image half;
    while (std::max(larger->width(), larger->height()) > kSmallest) {
        half = night::halved(*larger);
        picture.reduced.push_back(stretched(half, range, stretch));
        larger = &half;
    }
}

Result<std::shared_ptr<const Picture>> loadLight(const night::LightRecord& light,
                                                 const std::optional<stack::PixelGrid>& grid,
                                                 Stretch stretch) {
    auto picture = std::make_shared<Picture>();
    if (grid && light.solved()) {
        auto image = night::registeredPicture(light, *grid);
        if (!image) {
            return fail(image.error());
        }
        picture->values = std::move(*image);
        picture->wcs = grid->wcs;
    } else {
        auto loaded = frame::readFrame(light.calibrated);
        if (!loaded) {
            return fail(loaded.error());
        }
        picture->values = std::move(loaded->image);
        picture->wcs = light.wcs;
    }
    picture->title = QString::fromStdString(light.raw.filename().string());
    picture->filter = QString::fromStdString(light.filter);
    makeDisplay(*picture, stretch);
    return picture;
}

Result<std::shared_ptr<const Picture>> loadRaw(const night::LightRecord& light,
                                               const std::optional<stack::PixelGrid>& grid,
                                               Stretch stretch) {
    auto image = night::registeredRawPicture(light, grid);
    if (!image) {
        return fail(image.error());
    }
    auto picture = std::make_shared<Picture>();
    picture->values = std::move(*image);
    picture->wcs = grid && light.solved() ? std::optional(grid->wcs) : light.wcs;
    picture->title = QString::fromStdString(light.raw.filename().string()) + ", before calibration";
    picture->filter = QString::fromStdString(light.filter);
    makeDisplay(*picture, stretch);
    return picture;
}

Result<std::shared_ptr<const Picture>>
loadStack(const std::filesystem::path& path, const QString& title, Stretch stretch) {
    auto loaded = frame::readFits(path);
    if (!loaded) {
        return fail(loaded.error());
    }
    auto picture = std::make_shared<Picture>();
    picture->title = title;
    picture->values = std::move(loaded->image);
    if (auto wcs = frame::readWcs(loaded->header, loaded->image.width(), loaded->image.height())) {
        picture->wcs = *wcs;
    }
    makeDisplay(*picture, stretch);
    return picture;
}

} // namespace pathmark::desk
