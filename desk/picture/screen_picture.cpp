#include "desk/picture/screen_picture.h"

#include "core/base/parallel.h"
#include "core/calibrate/colour_planes.h"
#include "core/night/joined_picture.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr float kShade = 0.35F; ///< of what is taken for the comet's light

/// A solution of pixels that are of so many of another's each.
frame::Wcs coarser(const frame::Wcs& wcs, double step) {
    return calibrate::wcsOfPlane(wcs, {step, 0.5 * (step - 1.0), 0.5 * (step - 1.0)});
}

/// Where the comet's light is taken to be: as found, and what was drawn since.
bool isLight(const OpenPicture& open, const night::PictureMaking& making, int x, int y) {
    const frame::Image& extent = open.linear.extent;
    const PlanePos at =
        toTangentPlane(open.linear.body,
                       coarser(open.linear.wcs, night::kSkyCell)
                           .toSky({static_cast<double>(x), static_cast<double>(y)}));
    return stack::asDrawn(making.strokes, at, 0.0, !extent.empty() && extent.at(x, y) > 0.5F);
}

} // namespace

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

std::shared_ptr<const Picture>
screenPicture(const OpenPicture& open, const picture::Look& look, std::size_t first) {
    auto picture = std::make_shared<Picture>();
    const picture::LayeredPicture& whole = open.level(first);
    picture->title = open.title;
    picture->hasMarks = false;
    picture->values = whole.whole.planes[1];
    const picture::Stretch stretch = open.stretchOf(look);
    picture::Marks marks = look.marks;
    marks.caption = false; // beneath a file's picture: the Sky has its own
    for (std::size_t k = first; k < open.levels(); ++k) {
        auto seen = picture::shown(
            open.level(k), look, stretch, open.histogram.ground, open.smoothings[k].get());
        const double step = std::exp2(static_cast<double>(k));
        picture::MarkedSky sky = night::markedSky(open.linear, open.note);
        sky.wcs = coarser(open.linear.wcs, step);
        sky.body = {(sky.body.x + 0.5) / step - 0.5, (sky.body.y + 0.5) / step - 0.5};
        picture::annotate(seen, marks, sky);
        if (k == first) {
            picture->display = screenImage(seen);
        } else {
            picture->reduced.push_back(screenImage(seen));
        }
    }
    picture->wcs = coarser(open.linear.wcs, std::exp2(static_cast<double>(first)));
    picture->grid = stack::PixelGrid{
        open.linear.wcs, open.linear.layers.whole.width(), open.linear.layers.whole.height()};
    return picture;
}

std::shared_ptr<const Picture> skyPicture(const OpenPicture& open,
                                          const night::PictureMaking& making) {
    picture::ColourPicture sky = open.linear.sky;
    if (sky.planes[0].empty()) {
        return screenPicture(open, {}, 0);
    }
    auto picture = std::make_shared<Picture>();
    picture->title = open.title;
    picture->hasMarks = false;
    picture->values = sky.planes[1];
    for (frame::Image& plane : sky.planes) {
        float low = 0.0F;
        float high = 0.0F;
        bool isFirst = true;
        for (const float v : plane.pixels()) {
            if (std::isfinite(v)) {
                low = isFirst ? v : std::min(low, v);
                high = isFirst ? v : std::max(high, v);
                isFirst = false;
            }
        }
        const float range = std::max(high - low, 1e-6F);
        for (int y = 0; y < plane.height(); ++y) {
            for (int x = 0; x < plane.width(); ++x) {
                float& v = plane.at(x, y);
                v = std::isfinite(v) ? 0.1F + 0.55F * (v - low) / range : 0.0F;
            }
        }
    }
    for (int y = 0; y < sky.height(); ++y) {
        for (int x = 0; x < sky.width(); ++x) {
            if (isLight(open, making, x, y)) {
                const std::array<float, 3> ink{
                    picture::kMarkInk.red, picture::kMarkInk.green, picture::kMarkInk.blue};
                for (std::size_t c = 0; c < 3; ++c) {
                    float& v = sky.planes[c].at(x, y);
                    v = (1.0F - kShade) * v + kShade * ink[c];
                }
            }
        }
    }
    picture->display = screenImage(sky);
    picture->wcs = coarser(open.linear.wcs, night::kSkyCell);
    picture->grid = stack::PixelGrid{
        open.linear.wcs, open.linear.layers.whole.width(), open.linear.layers.whole.height()};
    return picture;
}

std::size_t levelOf(const OpenPicture& open, double mostPixels) {
    for (std::size_t k = 0; k < open.levels(); ++k) {
        const picture::ColourPicture& level = open.level(k).whole;
        if (static_cast<double>(level.width()) * level.height() <= mostPixels) {
            return k;
        }
    }
    return open.levels() - 1;
}

} // namespace pathmark::desk
