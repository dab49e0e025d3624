#include "desk/picture/screen_picture.h"

#include "core/base/parallel.h"
#include "core/calibrate/colour_planes.h"

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

/// Brightness of 0 to 1 in eight bits a plane, the top row first.
QImage screenImage(const picture::ColourPicture& shown) {
    QImage image(shown.width(), shown.height(), QImage::Format_RGB32);
    uchar* bits = image.bits(); // once: it is shared no more
    const auto eight = [](float v) {
        return static_cast<int>(255.0F * std::clamp(v, 0.0F, 1.0F) + 0.5F);
    };
    parallelFor(static_cast<std::size_t>(shown.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        auto* out = reinterpret_cast<QRgb*>( // NOLINT: rows of this format are of QRgb
            bits + static_cast<qsizetype>(shown.height() - 1 - y) * image.bytesPerLine());
        const auto red = shown.planes[0].row(y);
        const auto green = shown.planes[1].row(y);
        const auto blue = shown.planes[2].row(y);
        for (std::size_t x = 0; x < red.size(); ++x) {
            out[x] = qRgb(eight(red[x]), eight(green[x]), eight(blue[x]));
        }
    });
    return image;
}

} // namespace

std::shared_ptr<const Picture>
screenPicture(const OpenPicture& open, const picture::Stretch& stretch, std::size_t first) {
    auto picture = std::make_shared<Picture>();
    const picture::ColourPicture& whole = open.levels[first];
    picture->title = open.title;
    picture->hasMarks = false;
    picture->values = whole.planes[1];
    picture->display = screenImage(picture::stretched(whole, stretch));
    for (std::size_t k = first + 1; k < open.levels.size(); ++k) {
        picture->reduced.push_back(screenImage(picture::stretched(open.levels[k], stretch)));
    }
    // Pixels of a level are of so many of the first, whose own have their centres on whole numbers.
    const double step = std::exp2(static_cast<double>(first));
    picture->wcs = calibrate::wcsOfPlane(open.wcs, {step, 0.5 * (step - 1.0), 0.5 * (step - 1.0)});
    picture->grid =
        stack::PixelGrid{open.wcs, open.levels.front().width(), open.levels.front().height()};
    return picture;
}

std::size_t levelOf(const OpenPicture& open, double mostPixels) {
    for (std::size_t k = 0; k < open.levels.size(); ++k) {
        const double pixels = static_cast<double>(open.levels[k].width()) * open.levels[k].height();
        if (pixels <= mostPixels) {
            return k;
        }
    }
    return open.levels.size() - 1;
}

} // namespace pathmark::desk
