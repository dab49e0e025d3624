#include "core/night/report/cut_out.h"

#include "core/base/robust.h"
#include "core/frame/fits_file.h"
#include "core/frame/wcs.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr double kBlackSigmas = -1.0; ///< of the sky's scatter, from the sky
constexpr double kLeastSpan = 12.0;   ///< sigmas from black to white at the least
constexpr double kSoftness = 5.0;     ///< sigmas that are still shown in proportion

} // namespace

Result<frame::Image> cutOutOf(const MeasurementRecord& m, int halfPixels) {
    auto reader = frame::FitsReader::open(m.picture);
    auto wcs = reader ? frame::readWcs(reader->header()) : fail(reader.error());
    if (!wcs) {
        return fail(wcs.error());
    }
    const auto middle = wcs->toPixel(m.seen ? m.sky : m.predicted);
    if (!middle) {
        return fail(ErrorId::MeasureOutside, "It lies outside the picture.", m.picture.string());
    }
    // North may lie along the diagonal.
    const int reach = static_cast<int>(1.5 * halfPixels) + 2;
    const int y0 = std::clamp(static_cast<int>(middle->y) - reach, 0, reader->height() - 1);
    const int y1 = std::clamp(static_cast<int>(middle->y) + reach + 1, y0 + 1, reader->height());
    frame::Image rows(reader->width(), y1 - y0);
    if (auto read = reader->rows(y0, rows.pixels()); !read) {
        return fail(read.error());
    }
    frame::Image cut(2 * halfPixels + 1, 2 * halfPixels + 1, frame::kNoValue);
    const double step = Angle::arcsec(wcs->scaleArcsec()).radians();
    const SkyPos centre = wcs->toSky(*middle);
    for (int j = -halfPixels; j <= halfPixels; ++j) {
        for (int i = -halfPixels; i <= halfPixels; ++i) {
            const auto p = wcs->toPixel(fromTangentPlane(centre, {-i * step, j * step}));
            const int x = p ? static_cast<int>(std::lround(p->x)) : -1;
            const int y = p ? static_cast<int>(std::lround(p->y)) - y0 : -1;
            if (rows.contains(x, y)) {
                cut.at(i + halfPixels, j + halfPixels) = rows.at(x, y);
            }
        }
    }
    return cut;
}

report::PagePicture greyOf(const frame::Image& image, const std::string& caption) {
    report::PagePicture picture{image.width(), image.height(), {}, caption};
    picture.grey.assign(
        static_cast<std::size_t>(image.width()) * static_cast<std::size_t>(image.height()), 0);
    std::vector<double> values;
    for (const float value : image.pixels()) {
        if (std::isfinite(value)) {
            values.push_back(static_cast<double>(value));
        }
    }
    if (values.empty()) {
        return picture;
    }
    const double brightest = *std::max_element(values.begin(), values.end());
    const double sky = medianInPlace(std::span(values));
    for (double& value : values) {
        value = std::abs(value - sky);
    }
    const double sigma = std::max(1e-9, 1.4826 * medianInPlace(std::span(values)));
    const double black = kBlackSigmas;
    const double white = std::max(kLeastSpan, (brightest - sky) / sigma);
    const double whole = std::asinh((white - black) / kSoftness);
    for (int y = 0; y < image.height(); ++y) {
        for (int x = 0; x < image.width(); ++x) {
            // The picture's first row is the top one; a frame's is the bottom one.
            const double value = static_cast<double>(image.at(x, image.height() - 1 - y));
            const double above = (value - sky) / sigma - black;
            const double share = std::isfinite(value) ? std::asinh(above / kSoftness) / whole : 0.0;
            picture.grey[static_cast<std::size_t>(y) * static_cast<std::size_t>(image.width()) +
                         static_cast<std::size_t>(x)] =
                static_cast<unsigned char>(std::lround(255.0 * std::clamp(share, 0.0, 1.0)));
        }
    }
    return picture;
}

} // namespace pathmark::night
