#include "desk/evidence/cutout.h"

#include "core/frame/fits_file.h"
#include "core/frame/wcs.h"
#include "desk/session/picture.h"

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kHalf = 15; ///< pixels of the frame either side

} // namespace

QImage cutout(const night::MeasurementRecord& m) {
    auto reader = frame::FitsReader::open(m.picture);
    if (!reader) {
        return {};
    }
    auto wcs = frame::readWcs(reader->header());
    if (!wcs) {
        return {};
    }
    const auto middle = wcs->toPixel(m.seen ? m.sky : m.predicted);
    if (!middle) {
        return {};
    }
    const int reach = static_cast<int>(1.5 * kHalf) + 2;
    const int y0 = std::clamp(static_cast<int>(middle->y) - reach, 0, reader->height() - 1);
    const int y1 = std::clamp(static_cast<int>(middle->y) + reach + 1, y0 + 1, reader->height());
    frame::Image rows(reader->width(), y1 - y0);
    if (!reader->rows(y0, rows.pixels())) {
        return {};
    }
    frame::Image small(2 * kHalf + 1, 2 * kHalf + 1, frame::kNoValue);
    const double step = Angle::arcsec(wcs->scaleArcsec()).radians();
    const SkyPos centre = wcs->toSky(*middle);
    for (int j = -kHalf; j <= kHalf; ++j) {
        for (int i = -kHalf; i <= kHalf; ++i) {
            const auto p = wcs->toPixel(fromTangentPlane(centre, {-i * step, j * step}));
            const int x = p ? static_cast<int>(std::lround(p->x)) : -1;
            const int y = p ? static_cast<int>(std::lround(p->y)) - y0 : -1;
            if (rows.contains(x, y)) {
                small.at(i + kHalf, j + kHalf) = rows.at(x, y);
            }
        }
    }
    return stretched(small, {});
}

} // namespace pathmark::desk
